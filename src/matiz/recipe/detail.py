"""What of a recipe is decided about detail: noise taken out, blur taken back, edges sharpened."""

from dataclasses import dataclass, field

from . import toning
from .leaves import Choice, Number, described
from .tree import Section


@dataclass(frozen=True)
class NoiseOut(Section):
    """How much of the noise is taken out."""

    strength_percent: float = described(
        Number("%", 0.0, 100.0, 0.0, 1.0, 0, "Share of the luminance noise that is removed.")
    )
    colour_percent: float = described(
        Number("%", 0.0, 100.0, 0.0, 1.0, 0, "Share of the colour noise that is removed.")
    )


@dataclass(frozen=True)
class Deblur(Section):
    """Blur of the lens, of a slight misfocus and of a slight shake, taken back."""

    blur_px: float = described(
        Number(
            "px",
            0.0,
            3.0,
            0.0,
            0.1,
            1,
            "Spread of the blur that is removed (standard deviation), px of the full frame; 0 is none.",
        )
    )
    smear_px: float = described(
        Number(
            "px",
            0.0,
            3.0,
            0.0,
            0.1,
            1,
            "Spread of the motion blur that is removed too (standard deviation), px; 0 is none.",
        )
    )
    smear_deg: float = described(
        Number(
            "°",
            0.0,
            180.0,
            0.0,
            1.0,
            0,
            "Direction of the motion in the frame as taken: 0 horizontal, 90 vertical, counter-clockwise.",
        )
    )


@dataclass(frozen=True)
class Sharpen(Section):
    """How edges are sharpened, in lightness alone."""

    amount_percent: float = described(
        Number("%", 0.0, 300.0, 0.0, 1.0, 0, "Amount of sharpening: how much of the difference from a blur is added.")
    )
    radius_px: float = described(
        Number("px", 0.4, 6.0, 1.0, 0.1, 1, "Radius of that blur (standard deviation), px of the full frame.")
    )
    halo_L: float = described(
        Number("L*", 0.0, 20.0, 3.0, 0.5, 1, "Limit of overshoot beyond the surroundings of an edge.")
    )
    gate: str = described(Choice(("on", "off"), "on", "Whether detail below the noise is left alone."))


@dataclass(frozen=True)
class Detail(Section):
    """Noise and sharpness."""

    noise: NoiseOut = field(default_factory=NoiseOut)
    deblur: Deblur = field(default_factory=Deblur)
    sharpen: Sharpen = field(default_factory=Sharpen)
    active: str = toning.active()
