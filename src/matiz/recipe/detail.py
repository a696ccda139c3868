"""What of a recipe is decided about detail: noise."""

from dataclasses import dataclass, field

from . import toning
from .leaves import Number, described
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
class Detail(Section):
    """Noise taken out."""

    noise: NoiseOut = field(default_factory=NoiseOut)
    active: str = toning.active()
