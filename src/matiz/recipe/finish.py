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

    depth_EV: float = described(Number("EV", 0.0, 3.0, 0.0, 0.05, 2, "How much darker the farthest corner is."))
    start_percent: float = described(
        Number("%", 0.0, 95.0, 30.0, 1.0, 0, "How far out it begins: the farthest corner is 100.")
    )
    round_percent: float = described(
        Number("%", 0.0, 100.0, 50.0, 1.0, 0, "From the picture's own shape, 0, to a circle.")
    )
    lift_EV: float = described(Number("EV", 0.0, 1.5, 0.0, 0.05, 2, "How much lighter its centre is."))
    protect_percent: float = described(
        Number("%", 0.0, 100.0, 50.0, 1.0, 0, "How far blacks and whites are left as they are.")
    )
    x: float = described(Number("", -0.5, 1.5, 0.5, 0.005, 3, "Its centre, share of the picture's width."))
    y: float = described(Number("", -0.5, 1.5, 0.5, 0.005, 3, "Its centre, share of the picture's height."))
    side: str = described(Choice(SIDES, "all", "Whether it goes to all edges or to one."))
    spares: str = described(Text("", "The place whose mask it leaves as it is, by its id; none when empty."))


@dataclass(frozen=True)
class Behind(Section):
    """What lies behind the subject, out of focus as a wide lens would have it."""

    disc_px: float = described(
        Number("px", 0.0, 200.0, 0.0, 1.0, 0, "Width of the disc that a point far behind becomes, px of the frame.")
    )
    keeps: str = described(Text("", "The place whose mask stays sharp, by its id; none when empty."))
    sharp_y: float = described(
        Number("", 0.0, 1.0, 1.0, 0.005, 3, "Where the ground is sharp, share of the picture's height.")
    )
    far_y: float = described(
        Number("", 0.0, 1.0, 1.0, 0.005, 3, "Where it is as far as anything; like the sharp line, all of it is far.")
    )
    lights_EV: float = described(
        Number("EV", 0.0, 4.0, 1.0, 0.1, 1, "How much brighter lights were than the sensor could hold.")
    )


@dataclass(frozen=True)
class Glow(Section):
    """Light that spreads from what is bright."""

    amount_percent: float = described(Number("%", 0.0, 100.0, 0.0, 1.0, 0, "How much of it is added."))
    radius_px: float = described(Number("px", 10.0, 600.0, 60.0, 5.0, 0, "How far it spreads, px of the full frame."))
    from_L: float = described(Number("L*", 40.0, 98.0, 80.0, 1.0, 0, "How bright what spreads is at least."))
    warmer_mired: float = described(Number("mired", -100.0, 100.0, 0.0, 1.0, 0, "How much warmer it is."))


@dataclass(frozen=True)
class Grain(Section):
    """Grain, strongest in the middle tones."""

    strength_L: float = described(Number("L*", 0.0, 8.0, 0.0, 0.1, 1, "Its standard deviation in middle tones."))
    size_px: float = described(Number("px", 1.0, 8.0, 1.6, 0.1, 1, "Width of a grain, px of the full frame."))


@dataclass(frozen=True)
class Border(Section):
    """An even border round the picture, outside it."""

    width_percent: float = described(
        Number("%", 0.0, 25.0, 0.0, 0.5, 1, "Its width, share of the picture's short side.")
    )
    tone_L: float = described(Number("L*", 0.0, 100.0, 100.0, 1.0, 0, "Its lightness; it is neutral."))


@dataclass(frozen=True)
class Signature(Section):
    """A line of text, or a drawing, in a corner."""

    text: str = described(Text("", "What is written; nothing when empty.", 80))
    height_percent: float = described(
        Number("%", 1.0, 12.0, 2.5, 0.1, 1, "Height of its letters, share of the picture's short side.")
    )
    opacity_percent: float = described(Number("%", 5.0, 100.0, 60.0, 1.0, 0, "How opaque it is."))
    corner: str = described(Choice(CORNERS, "lower_right", "Where it stands."))
    tone: str = described(Choice(("light", "dark"), "light", "Light letters or dark ones."))
    drawing: Grid = described(Map("How much each px of a drawing covers, in place of the text.", MOST_DRAWN))


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
