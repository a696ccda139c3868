"""What of a recipe is decided last: fall-off towards the edges, glow, grain, border and signature.

Places lie in the picture as it is cropped, in shares of its width and height; px are those of the full frame.
"""

from dataclasses import dataclass, field

from . import toning
from .leaves import Choice, Map, Number, Text, described
from .shapes import Grid
from .tree import Section

SIDES = ("all", "left", "right", "top", "bottom")
MOST_DRAWN = 160_000
"""Px of a drawing."""
CORNERS = ("lower_right", "lower_left", "upper_left", "upper_right")


@dataclass(frozen=True)
class FallOff(Section):
    """The picture darkened towards its edges, or its middle lightened."""

    depth_EV: float = described(Number("EV", 0.0, 3.0, 0.0, 0.05, 2, "Darkening of the farthest corner."))
    start_percent: float = described(
        Number("%", 0.0, 95.0, 30.0, 1.0, 0, "Distance from the centre at which it starts; the farthest corner is 100.")
    )
    round_percent: float = described(
        Number("%", 0.0, 100.0, 50.0, 1.0, 0, "Shape: 0 follows the picture, 100 is a circle.")
    )
    lift_EV: float = described(Number("EV", 0.0, 1.5, 0.0, 0.05, 2, "Lightening of the centre."))
    protect_percent: float = described(Number("%", 0.0, 100.0, 50.0, 1.0, 0, "Protection of blacks and whites."))
    x: float = described(Number("", -0.5, 1.5, 0.5, 0.005, 3, "Centre, share of the picture's width."))
    y: float = described(Number("", -0.5, 1.5, 0.5, 0.005, 3, "Centre, share of the picture's height."))
    side: str = described(Choice(SIDES, "all", "All edges, or one."))
    spares: str = described(Text("", "The place that is left alone, by its id; empty for none."))


@dataclass(frozen=True)
class Behind(Section):
    """What lies behind the subject, out of focus as a wide lens would have it."""

    disc_px: float = described(
        Number("px", 0.0, 200.0, 0.0, 1.0, 0, "Diameter of the blur disc of a distant point, px of the frame.")
    )
    keeps: str = described(Text("", "The place that stays sharp, by its id; empty for none."))
    sharp_y: float = described(
        Number("", 0.0, 1.0, 1.0, 0.005, 3, "Height at which the ground is sharp, share of the picture's height.")
    )
    far_y: float = described(
        Number(
            "",
            0.0,
            1.0,
            1.0,
            0.005,
            3,
            "Height at which the ground is farthest; the same as the sharp line means that all of it is far.",
        )
    )
    lights_EV: float = described(
        Number("EV", 0.0, 4.0, 1.0, 0.1, 1, "How much brighter highlights were than the sensor could record.")
    )


@dataclass(frozen=True)
class Glow(Section):
    """Light that spreads from what is bright."""

    amount_percent: float = described(Number("%", 0.0, 100.0, 0.0, 1.0, 0, "Amount of glow."))
    radius_px: float = described(Number("px", 10.0, 600.0, 60.0, 5.0, 0, "Spread, px of the full frame."))
    from_L: float = described(Number("L*", 40.0, 98.0, 80.0, 1.0, 0, "Lightness above which areas glow."))
    warmer_mired: float = described(Number("mired", -100.0, 100.0, 0.0, 1.0, 0, "Warmth of the glow."))


@dataclass(frozen=True)
class Grain(Section):
    """Grain, strongest in the middle tones."""

    strength_L: float = described(Number("L*", 0.0, 8.0, 0.0, 0.1, 1, "Strength: standard deviation in the midtones."))
    size_px: float = described(Number("px", 1.0, 8.0, 1.6, 0.1, 1, "Size of a grain, px of the full frame."))


@dataclass(frozen=True)
class Border(Section):
    """An even border round the picture, outside it."""

    width_percent: float = described(
        Number("%", 0.0, 25.0, 0.0, 0.5, 1, "Width of the border, share of the picture's short side.")
    )
    tone_L: float = described(Number("L*", 0.0, 100.0, 100.0, 1.0, 0, "Lightness of the border, which is neutral."))


@dataclass(frozen=True)
class Signature(Section):
    """A line of text, or a drawing, in a corner."""

    text: str = described(Text("", "Text of the signature; empty for none.", 80))
    height_percent: float = described(
        Number("%", 1.0, 12.0, 2.5, 0.1, 1, "Height of the letters, share of the picture's short side.")
    )
    opacity_percent: float = described(Number("%", 5.0, 100.0, 60.0, 1.0, 0, "Opacity."))
    corner: str = described(Choice(CORNERS, "lower_right", "Position."))
    tone: str = described(Choice(("light", "dark"), "light", "Light or dark letters."))
    drawing: Grid = described(Map("Coverage of each pixel of an image that replaces the text.", MOST_DRAWN))


@dataclass(frozen=True)
class Finish(Section):
    """The last touches."""

    fall_off: FallOff = field(default_factory=FallOff)
    behind: Behind = field(default_factory=Behind)
    glow: Glow = field(default_factory=Glow)
    grain: Grain = field(default_factory=Grain)
    border: Border = field(default_factory=Border)
    signature: Signature = field(default_factory=Signature)
    active: str = toning.active()
