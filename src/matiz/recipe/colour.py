"""What of a recipe is decided about colours, for the whole picture; a place has hue pegs of its own.

Hues of pegs are those of Oklab (Ottosson 2020), which stays with a hue as its chroma and lightness change; lightness is
CIE L*, chroma C*ab.
"""

from dataclasses import dataclass, field
from typing import Any

from . import toning, tree
from .leaves import Choice, Number, Numbers, Values, described
from .tree import Rows, Section

MOST_TURN_DEG = 90.0
REFERENCE_TONES = 3
"""Lightnesses that skin is held to: its darks, middles and lights."""
NO_SKIN: Values = (0.0,) * (3 * REFERENCE_TONES)
FILTERS = ("none", "yellow", "orange", "red", "green", "blue")


@dataclass(frozen=True)
class Peg(Section):
    """A point on the hue strip that moves the colours around it."""

    at_deg: float = described(Number("°", 0.0, 360.0, 0.0, 1.0, 0, "Hue of the peg, in Oklab."))
    reach_deg: float = described(
        Number("°", 5.0, 180.0, 30.0, 1.0, 0, "Reach to either side; the effect fades out to there.")
    )
    hue_deg: float = described(Number("°", -MOST_TURN_DEG, MOST_TURN_DEG, 0.0, 0.5, 1, "Hue shift."))
    chroma: float = described(Number("x", 0.0, 4.0, 1.0, 0.01, 2, "Factor of chroma."))
    lightness: float = described(Number("", -40.0, 40.0, 0.0, 0.5, 1, "Added to lightness L*."))


@dataclass(frozen=True)
class TintNode(Section):
    """A point of the tint path: a colour that is laid over one lightness, and smoothly over those around it."""

    at: float = described(Number("", 5.0, 95.0, 50.0, 1.0, 0, "Lightness L* of the node."))
    a: float = described(Number("", -40.0, 40.0, 0.0, 0.5, 1, "Added to a*; positive is redder."))
    b: float = described(Number("", -40.0, 40.0, 0.0, 0.5, 1, "Added to b*; positive is yellower."))


def _turned() -> Any:
    return described(Number("°", -30.0, 30.0, 0.0, 0.5, 1, "Rotation of the primary around white, in u'v'."))


def _scaled() -> Any:
    return described(
        Number("x", 0.5, 1.5, 1.0, 0.01, 2, "Distance from white, relative to the original; more is more chroma.")
    )


@dataclass(frozen=True)
class Primaries(Section):
    """Where red, green and blue of the working space are taken to; white stays."""

    red_deg: float = _turned()
    red_chroma: float = _scaled()
    green_deg: float = _turned()
    green_chroma: float = _scaled()
    blue_deg: float = _turned()
    blue_chroma: float = _scaled()


@dataclass(frozen=True)
class Skin(Section):
    """What skin is to look like, and how far it is brought there."""

    reference: Values = described(
        Numbers(
            Number(
                "", -128.0, 128.0, 0.0, 0.1, 1, "L*, a*, b* of its shadows, midtones and highlights; all 0 for none."
            ),
            3 * REFERENCE_TONES,
        )
    )
    reach: float = described(Number("", 4.0, 40.0, 12.0, 0.5, 1, "Tolerance around the skin colour, ΔC*ab."))
    evenness_percent: float = described(
        Number("%", 0.0, 100.0, 0.0, 1.0, 0, "How far hue and chroma of skin are evened out; lightness stays.")
    )


@dataclass(frozen=True)
class Grading(Section):
    """Colours by hue, saturation and lightness, after the rendition."""

    pegs: Rows[Peg] = tree.table(Peg)
    chroma_percent: float = described(Number("%", -100.0, 200.0, 0.0, 1.0, 0, "Chroma added to all colours."))
    muted_percent: float = described(
        Number("%", -100.0, 200.0, 0.0, 1.0, 0, "Chroma added to muted colours; skin is protected.")
    )
    tint: Rows[TintNode] = tree.table(TintNode)
    primaries: Primaries = field(default_factory=Primaries)
    skin: Skin = field(default_factory=Skin)
    black_and_white: str = described(
        Choice(("off", "on"), "off", "Whether only lightness is shown; the lightness of pegs weights the hues.")
    )
    filter: str = described(Choice(FILTERS, "none", "Colour filter of black and white."))
    active: str = toning.active()
