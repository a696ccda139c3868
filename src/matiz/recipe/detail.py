"""What of a recipe is decided about detail: noise taken out, blur taken back, edges sharpened."""

from dataclasses import dataclass, field

from . import toning
from .leaves import Choice, Number, described
from .tree import Section


@dataclass(frozen=True)
class NoiseOut(Section):
    """How much of the noise is taken out."""

    strength_percent: float = described(
        Number("%", 0.0, 100.0, 0.0, 1.0, 0, "Share of the noise in lightness that is taken out.")
    )
    colour_percent: float = described(
        Number("%", 0.0, 100.0, 0.0, 1.0, 0, "Share of the noise in colour that is taken out.")
    )


@dataclass(frozen=True)
class Deblur(Section):
    """Blur of the lens, of a slight misfocus and of a slight shake, taken back."""

    blur_px: float = described(
        Number("px", 0.0, 3.0, 0.0, 0.1, 1, "Spread of the blur that is taken back, px of the full frame; 0 is none.")
    )
    smear_px: float = described(
        Number("px", 0.0, 3.0, 0.0, 0.1, 1, "Spread of a smear along one way that is taken back too; 0 is none.")
    )
    smear_deg: float = described(
        Number("°", 0.0, 180.0, 0.0, 1.0, 0, "Its way in the frame as taken: 0 level, 90 upright, from level to up.")
    )


@dataclass(frozen=True)
class Sharpen(Section):
    """How edges are sharpened, in lightness alone."""

    amount_percent: float = described(
        Number("%", 0.0, 300.0, 0.0, 1.0, 0, "How much of what differs from a blur is added.")
    )
    radius_px: float = described(Number("px", 0.4, 6.0, 1.0, 0.1, 1, "Spread of that blur, px of the full frame."))
    halo_L: float = described(
        Number("L*", 0.0, 20.0, 3.0, 0.5, 1, "How far beyond its surroundings an edge may overshoot.")
    )
    gate: str = described(Choice(("on", "off"), "on", "Whether what does not rise above the noise is left alone."))


@dataclass(frozen=True)
class Detail(Section):
    """Noise and sharpness."""

    noise: NoiseOut = field(default_factory=NoiseOut)
    deblur: Deblur = field(default_factory=Deblur)
    sharpen: Sharpen = field(default_factory=Sharpen)
    active: str = toning.active()
