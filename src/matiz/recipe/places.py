"""What of a recipe is decided for a place of the picture: its mask, part by part, and what is changed there.

Points lie in the frame, in units of its long side; lengths in px are those of the full frame.
"""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from ..errors import RecipeError
from . import toning, tree
from .colour import Peg
from .leaves import Choice, Drawn, FramePoints, Map, Number, Points, Text, Values, described
from .shapes import Grid, Shape
from .tree import Rows, Section

JOINS = ("add", "subtract", "intersect")
CHANNELS = ("lightness", "red", "green", "blue", "cyan", "magenta", "yellow")
"""What tones are told by: display lightness, a channel's, or that of all but a channel."""
MOST_PICKS, MOST_POINTS, MOST_STROKES = 24, 2000, 200_000
MOST_DEPTH, MOST_PARTS = 12, 1000
"""Of masks that are those of other places: how long a chain of them may be, and how many parts all masks of a recipe
may have in all, each counted as often as it is used."""


def _percent(default: float, low: float, high: float, help_text: str) -> Any:
    return described(Number("%", low, high, default, 1.0, 0, help_text))


def _place(default: float, help_text: str) -> Any:
    return described(Number("", -1.0, 2.0, default, 0.001, 4, help_text))


@dataclass(frozen=True)
class MaskPart(Section):
    """One part of a mask, and how it is joined to those before it."""

    WANTS_SUBJECT: ClassVar[bool] = False
    """Whether it follows from what the subject of the picture is, which takes seconds to find."""

    join: str = described(Choice(JOINS, "add", "How it is combined with the parts before it."))
    invert: str = described(Choice(("off", "on"), "off", "Invert: use what the part leaves out."))
    grow_px: float = described(Number("px", -200.0, 200.0, 0.0, 1.0, 0, "Expand beyond its edge; negative contracts."))
    feather_px: float = described(Number("px", 0.0, 1000.0, 0.0, 1.0, 0, "Feather of its edge, px."))
    strength_percent: float = _percent(100.0, 0.0, 100.0, "Opacity of this part.")
    fit_px: float = described(
        Number(
            "px", 0.0, 200.0, 0.0, 1.0, 0, "Snap its edge to edges in the picture within this distance, px; 0 is off."
        )
    )


@dataclass(frozen=True)
class Bright(MaskPart):
    """Bright tones: Y^n of display lightness 0..1. Common practice, no source."""

    KIND: ClassVar[str] = "bright"

    exponent: float = described(Number("", 1.0, 6.0, 1.0, 0.1, 1, "Power: how closely it is limited to the brightest."))
    channel: str = described(Choice(CHANNELS, "lightness", "The channel that the tones are measured in."))


@dataclass(frozen=True)
class Dim(Bright):
    """Dim tones: (1 - Y)^n."""

    KIND: ClassVar[str] = "dim"


@dataclass(frozen=True)
class Middle(Bright):
    """Middle tones: 1 - |2 Y - 1|^n."""

    KIND: ClassVar[str] = "middle"


@dataclass(frozen=True)
class Zones(MaskPart):
    """A range of zones, softly ended."""

    KIND: ClassVar[str] = "zones"

    low: float = described(Number("zone", 0.0, 10.0, 4.0, 0.1, 1, "Lowest zone that is fully in it."))
    high: float = described(Number("zone", 0.0, 10.0, 6.0, 0.1, 1, "Highest zone that is fully in it."))
    soft: float = described(Number("zone", 0.0, 5.0, 1.0, 0.1, 1, "Fall-off beyond either, in zones."))


@dataclass(frozen=True)
class Colour(MaskPart):
    """What has the colour of one of several picks."""

    KIND: ClassVar[str] = "colour"

    picks: Points = described(FramePoints("Where the colours are picked.", MOST_PICKS))
    hue_deg: float = described(Number("°", 1.0, 180.0, 20.0, 1.0, 0, "Tolerance of hue."))
    chroma: float = described(Number("", 1.0, 150.0, 30.0, 1.0, 0, "Tolerance of chroma C*ab."))
    lightness: float = described(Number("", 1.0, 100.0, 100.0, 1.0, 0, "Tolerance of lightness L*."))
    soft_percent: float = _percent(50.0, 0.0, 100.0, "Share of the tolerance that is fall-off.")


@dataclass(frozen=True)
class Saturated(MaskPart):
    """Saturated colours: from a chroma on."""

    KIND: ClassVar[str] = "saturated"

    chroma: float = described(Number("", 0.0, 150.0, 30.0, 1.0, 0, "Chroma C*ab at which it is half."))
    soft: float = described(Number("", 1.0, 150.0, 30.0, 1.0, 0, "Range of chroma over which it rises."))


@dataclass(frozen=True)
class Muted(Saturated):
    """Muted colours: up to a chroma."""

    KIND: ClassVar[str] = "muted"


@dataclass(frozen=True)
class Ramp(MaskPart):
    """Full at one end of a line, nothing at the other, even across it."""

    KIND: ClassVar[str] = "ramp"

    x: float = _place(0.5, "Position where it is full.")
    y: float = _place(0.0, "Position where it is full.")
    x2: float = _place(0.5, "Position where it ends.")
    y2: float = _place(0.3, "Position where it ends.")


@dataclass(frozen=True)
class Ellipse(MaskPart):
    """Full inside an ellipse, falling off to its rim."""

    KIND: ClassVar[str] = "ellipse"

    x: float = _place(0.5, "Centre.")
    y: float = _place(0.33, "Centre.")
    w: float = described(Number("", 0.002, 3.0, 0.3, 0.001, 4, "Width, share of the long side."))
    h: float = described(Number("", 0.002, 3.0, 0.2, 0.001, 4, "Height, share of the long side."))
    turn_deg: float = described(Number("°", -180.0, 180.0, 0.0, 1.0, 0, "Clockwise rotation."))
    soft_percent: float = _percent(50.0, 0.0, 100.0, "Share of it that is fall-off.")


@dataclass(frozen=True)
class Lasso(MaskPart):
    """All that an outline holds."""

    KIND: ClassVar[str] = "lasso"

    path: Points = described(FramePoints("The outline.", MOST_POINTS))


@dataclass(frozen=True)
class Reach(MaskPart):
    """What is near a pick and coloured like it; picks to keep out push back."""

    KIND: ClassVar[str] = "reach"

    picks: Points = described(FramePoints("Points inside.", MOST_PICKS))
    keep_out: Points = described(FramePoints("Points outside.", MOST_PICKS))
    distance: float = described(Number("", 0.005, 2.0, 0.25, 0.005, 3, "Reach of a pick, share of the long side."))
    difference: float = described(Number("", 1.0, 100.0, 25.0, 1.0, 0, "Tolerance of colour, in L*a*b*."))


@dataclass(frozen=True)
class Subject(MaskPart):
    """What the picture is of, found by a network and fitted to the picture's own edges; taps correct it."""

    KIND: ClassVar[str] = "subject"
    WANTS_SUBJECT: ClassVar[bool] = True

    picks: Points = described(FramePoints("Points that belong to it too.", MOST_PICKS))
    keep_out: Points = described(FramePoints("Points outside.", MOST_PICKS))
    n: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Which of several, largest first; 0 for all."))


@dataclass(frozen=True)
class Background(Subject):
    """Everything but the subject."""

    KIND: ClassVar[str] = "background"


@dataclass(frozen=True)
class Sky(MaskPart):
    """The sky: what is smooth, hangs together and reaches the upper border."""

    KIND: ClassVar[str] = "sky"


@dataclass(frozen=True)
class Ground(Sky):
    """Everything but the sky."""

    KIND: ClassVar[str] = "ground"


@dataclass(frozen=True)
class Faces(MaskPart):
    """Faces found by a network: all, or one of them."""

    KIND: ClassVar[str] = "faces"

    n: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Which one, largest first; 0 for all."))


@dataclass(frozen=True)
class People(Faces):
    """People, each by the face that was found: all, or one of them."""

    KIND: ClassVar[str] = "person"
    WANTS_SUBJECT: ClassVar[bool] = True


@dataclass(frozen=True)
class SkinOf(MaskPart):
    """Skin of the people whose faces are found; eyes, brows and lips are none."""

    KIND: ClassVar[str] = "skin"
    WANTS_SUBJECT: ClassVar[bool] = True


@dataclass(frozen=True)
class Focus(MaskPart):
    """What is in focus, by the sharpness of edges."""

    KIND: ClassVar[str] = "focus"


@dataclass(frozen=True)
class Stroke(Section):
    """One stroke of a brush: what it passes is painted, or wiped off."""

    path: Shape = described(Drawn("Points of the stroke, and the pressure of the pen."))
    radius_px: float = described(Number("px", 1.0, 4000.0, 150.0, 1.0, 0, "Radius of the brush."))
    hardness_percent: float = _percent(0.0, 0.0, 100.0, "Hardness: share of the radius that is full.")
    strength_percent: float = _percent(15.0, 0.0, 100.0, "Opacity of one stroke, as a share of the limit.")
    limit_percent: float = _percent(100.0, 1.0, 100.0, "Limit to which overlapping strokes build up.")
    erase: str = described(Choice(("off", "on"), "off", "Whether it erases."))
    keep_to: float = described(
        Number("", 0.0, 100.0, 0.0, 1.0, 0, "Tolerance from the colour where the stroke began, L*a*b*; 0 for any.")
    )


@dataclass(frozen=True)
class Brush(MaskPart):
    """What strokes have painted, one upon the other."""

    KIND: ClassVar[str] = "brush"

    strokes: Rows[Stroke] = tree.table(Stroke, most=MOST_STROKES)


@dataclass(frozen=True)
class Edges(MaskPart):
    """Where lightness changes steeply."""

    KIND: ClassVar[str] = "edges"

    rise: float = described(
        Number("", 1.0, 100.0, 12.0, 1.0, 0, "Rise of L* over a dozen px at which an edge is full.")
    )


@dataclass(frozen=True)
class Mapped(MaskPart):
    """What was measured over the frame: a coarse map, smooth between its shares."""

    KIND: ClassVar[str] = "map"

    shares: Grid = described(Map("Coverage of each part of the frame."))


@dataclass(frozen=True)
class SameAs(MaskPart):
    """The mask of another place, as that place has it."""

    KIND: ClassVar[str] = "place"

    of: str = described(Text("", "The id of that place."))


@dataclass(frozen=True)
class Place(Section):
    """What is changed where a mask is."""

    name: str = described(Text("", "Name."))
    active: str = described(Choice(("on", "off"), "on", "Whether it is on."))
    strength_percent: float = _percent(100.0, 0.0, 200.0, "Strength of all its changes.")
    mask: Rows[Section] = tree.table(
        Bright,
        Dim,
        Middle,
        Zones,
        Colour,
        Saturated,
        Muted,
        Ramp,
        Ellipse,
        Lasso,
        Reach,
        Edges,
        Brush,
        Subject,
        Background,
        Sky,
        Ground,
        Faces,
        People,
        SkinOf,
        Focus,
        Mapped,
        SameAs,
    )
    exposure_EV: float = toning.exposure()
    warmer_mired: float = described(Number("mired", -300.0, 300.0, 0.0, 1.0, 0, "Warmer; negative is cooler."))
    greener_duv: float = described(
        Number("", -0.03, 0.03, 0.0, 0.0005, 4, "Greener, in Duv; negative is more magenta.")
    )
    pinned_K: float = described(
        Number("K", 0.0, 25_000.0, 0.0, 50.0, 0, "The light that its colours are pinned to, whatever the whole is "
               "balanced for; 0 for none.")
    )  # fmt: skip
    pinned_duv: float = described(Number("", -0.03, 0.03, 0.0, 0.0005, 4, "The Duv of that light."))
    zones_EV: Values = toning.zones()
    contrast: toning.Contrast = field(default_factory=toning.Contrast)
    sharpen_percent: float = _percent(
        0.0, -100.0, 200.0, "Sharpening on top of the whole picture's, with Detail's radius; negative softens."
    )
    haze_percent: float = toning.haze()
    curve: Points = toning.lightness_curve()
    chroma_percent: float = _percent(0.0, -100.0, 200.0, "Chroma added, at the same luminance.")
    hold_chroma: str = described(Choice(("on", "off"), "on", "Whether chroma C*ab is kept where exposure lightens."))
    tint_chroma: float = described(Number("", 0.0, 60.0, 0.0, 0.5, 1, "Chroma C*ab of the tint; lightness stays."))
    tint_hue_deg: float = described(Number("°", 0.0, 360.0, 60.0, 1.0, 0, "Hue of the tint, CIELAB."))
    pegs: Rows[Peg] = tree.table(Peg)
    spare_dark: float = described(
        Number("zone", 0.0, 5.0, 0.0, 0.1, 1, "Leave alone below this zone, softly; 0 for none.")
    )
    spare_light: float = described(
        Number("zone", 5.0, 10.0, 10.0, 0.1, 1, "Leave alone above this zone, softly; 10 for none.")
    )
    blend: str = described(
        Choice(
            ("normal", "multiply", "screen", "soft_light"),
            "normal",
            "Blend of the picture with itself: multiply darkens, screen lightens, soft light adds contrast.",
        )
    )
    denoise_percent: float = _percent(
        0.0, -100.0, 100.0, "Noise reduction on top of the whole picture's; negative brings noise back."
    )


def check_references(places: Rows[Section]) -> None:
    """RecipeError where masks that name other places' masks are too deep or too many. Masks that go in a circle are
    allowed: a part that names a mask which it is in itself leaves nothing."""
    masks = {ident: place.mask for ident, place in places.items() if isinstance(place, Place)}
    named = {ident: [part.of for part in mask.values() if type(part) is SameAs] for ident, mask in masks.items()}
    if not any(named.values()):  # with each step of a drag
        return
    count = 0
    waiting: list[tuple[str, ...]] = [(ident,) for ident in masks]
    while waiting:
        chain = waiting.pop()
        count += len(masks[chain[-1]])
        waiting += [(*chain, other) for other in named[chain[-1]] if other in masks and other not in chain]
        if len(chain) > MOST_DEPTH:
            raise RecipeError(f"places: masks name each other over {MOST_DEPTH} deep; name fewer")
        if count > MOST_PARTS and len(chain) > 1:
            raise RecipeError(f"places: with masks that name other masks there are over {MOST_PARTS} parts; name fewer")
