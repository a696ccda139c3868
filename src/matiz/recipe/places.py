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

    join: str = described(Choice(JOINS, "add", "How it meets the parts before it."))
    invert: str = described(Choice(("off", "on"), "off", "Whether what it leaves out is meant."))
    grow_px: float = described(
        Number("px", -200.0, 200.0, 0.0, 1.0, 0, "How far it is loosened beyond its edge; negative tightens it.")
    )
    feather_px: float = described(Number("px", 0.0, 1000.0, 0.0, 1.0, 0, "Over how many px its edge is spread."))
    strength_percent: float = _percent(100.0, 0.0, 100.0, "How much it has to say.")
    fit_px: float = described(
        Number("px", 0.0, 200.0, 0.0, 1.0, 0, "Within how many px its edge is moved to the picture's own; 0 leaves it.")
    )


@dataclass(frozen=True)
class Bright(MaskPart):
    """Bright tones: Y^n of display lightness 0..1. Common practice, no source."""

    KIND: ClassVar[str] = "bright"

    exponent: float = described(Number("", 1.0, 6.0, 1.0, 0.1, 1, "How closely it keeps to the brightest."))
    channel: str = described(Choice(CHANNELS, "lightness", "What tones are told by."))


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

    low: float = described(Number("zone", 0.0, 10.0, 4.0, 0.1, 1, "The lowest zone that is all in it."))
    high: float = described(Number("zone", 0.0, 10.0, 6.0, 0.1, 1, "The highest zone that is all in it."))
    soft: float = described(Number("zone", 0.0, 5.0, 1.0, 0.1, 1, "Over how many zones it ends beyond either."))


@dataclass(frozen=True)
class Colour(MaskPart):
    """What has the colour of one of several picks."""

    KIND: ClassVar[str] = "colour"

    picks: Points = described(FramePoints("Where the colours are taken from.", MOST_PICKS))
    hue_deg: float = described(Number("°", 1.0, 180.0, 20.0, 1.0, 0, "How far a hue may be off."))
    chroma: float = described(Number("", 1.0, 150.0, 30.0, 1.0, 0, "How far a chroma C*ab may be off."))
    lightness: float = described(Number("", 1.0, 100.0, 100.0, 1.0, 0, "How far a lightness L* may be off."))
    soft_percent: float = _percent(50.0, 0.0, 100.0, "How much of that is fall-off.")


@dataclass(frozen=True)
class Saturated(MaskPart):
    """Saturated colours: from a chroma on."""

    KIND: ClassVar[str] = "saturated"

    chroma: float = described(Number("", 0.0, 150.0, 30.0, 1.0, 0, "The chroma C*ab at which it is half."))
    soft: float = described(Number("", 1.0, 150.0, 30.0, 1.0, 0, "Over how much chroma it rises."))


@dataclass(frozen=True)
class Muted(Saturated):
    """Muted colours: up to a chroma."""

    KIND: ClassVar[str] = "muted"


@dataclass(frozen=True)
class Ramp(MaskPart):
    """Full at one end of a line, nothing at the other, even across it."""

    KIND: ClassVar[str] = "ramp"

    x: float = _place(0.5, "Where it is full.")
    y: float = _place(0.0, "Where it is full.")
    x2: float = _place(0.5, "Where it is gone.")
    y2: float = _place(0.3, "Where it is gone.")


@dataclass(frozen=True)
class Ellipse(MaskPart):
    """Full inside an ellipse, falling off to its rim."""

    KIND: ClassVar[str] = "ellipse"

    x: float = _place(0.5, "Its middle.")
    y: float = _place(0.33, "Its middle.")
    w: float = described(Number("", 0.002, 3.0, 0.3, 0.001, 4, "Its width, of the long side."))
    h: float = described(Number("", 0.002, 3.0, 0.2, 0.001, 4, "Its height, of the long side."))
    turn_deg: float = described(Number("°", -180.0, 180.0, 0.0, 1.0, 0, "How far it is turned clockwise."))
    soft_percent: float = _percent(50.0, 0.0, 100.0, "How much of it is fall-off.")


@dataclass(frozen=True)
class Lasso(MaskPart):
    """All that an outline holds."""

    KIND: ClassVar[str] = "lasso"

    path: Points = described(FramePoints("The outline.", MOST_POINTS))


@dataclass(frozen=True)
class Reach(MaskPart):
    """What is near a pick and coloured like it; picks to keep out push back."""

    KIND: ClassVar[str] = "reach"

    picks: Points = described(FramePoints("What is meant.", MOST_PICKS))
    keep_out: Points = described(FramePoints("What is not.", MOST_PICKS))
    distance: float = described(Number("", 0.005, 2.0, 0.25, 0.005, 3, "How far a pick reaches, of the long side."))
    difference: float = described(Number("", 1.0, 100.0, 25.0, 1.0, 0, "How far a colour may be off, in L*a*b*."))


@dataclass(frozen=True)
class Subject(MaskPart):
    """What the picture is of, found by a network and fitted to the picture's own edges; taps correct it."""

    KIND: ClassVar[str] = "subject"
    WANTS_SUBJECT: ClassVar[bool] = True

    picks: Points = described(FramePoints("What is meant too.", MOST_PICKS))
    keep_out: Points = described(FramePoints("What is not.", MOST_PICKS))
    n: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Which of several apart, the largest first; 0 for all."))


@dataclass(frozen=True)
class Background(Subject):
    """All but the subject."""

    KIND: ClassVar[str] = "background"


@dataclass(frozen=True)
class Sky(MaskPart):
    """The sky: what is smooth, hangs together and reaches the upper border."""

    KIND: ClassVar[str] = "sky"


@dataclass(frozen=True)
class Ground(Sky):
    """All but the sky."""

    KIND: ClassVar[str] = "ground"


@dataclass(frozen=True)
class Faces(MaskPart):
    """Faces found by a network: all, or one of them."""

    KIND: ClassVar[str] = "faces"

    n: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Which one, the largest first; 0 for all."))


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
    """What is in focus, by how far edges are spread."""

    KIND: ClassVar[str] = "focus"


@dataclass(frozen=True)
class Stroke(Section):
    """One stroke of a brush: what it passes is painted, or wiped off."""

    path: Shape = described(Drawn("Where it went, and how hard the pen was pressed."))
    radius_px: float = described(Number("px", 1.0, 4000.0, 150.0, 1.0, 0, "How far it reaches to either side."))
    hardness_percent: float = _percent(0.0, 0.0, 100.0, "How much of that is whole; the rest is fall-off.")
    strength_percent: float = _percent(15.0, 0.0, 100.0, "How much of the way to its limit one stroke goes.")
    limit_percent: float = _percent(100.0, 1.0, 100.0, "As far as strokes over each other build up.")
    erase: str = described(Choice(("off", "on"), "off", "Whether it wipes off instead."))
    keep_to: float = described(
        Number("", 0.0, 100.0, 0.0, 1.0, 0, "How far a colour may be off from where it began, L*a*b*; 0 for any.")
    )


@dataclass(frozen=True)
class Brush(MaskPart):
    """What strokes have painted, one upon the other."""

    KIND: ClassVar[str] = "brush"

    strokes: Rows[Stroke] = tree.table(Stroke, most=MOST_STROKES)


@dataclass(frozen=True)
class Edges(MaskPart):
    """Where lightness rises steeply."""

    KIND: ClassVar[str] = "edges"

    rise: float = described(
        Number("", 1.0, 100.0, 12.0, 1.0, 0, "How far L* must rise over a dozen px for an edge to be whole.")
    )


@dataclass(frozen=True)
class Mapped(MaskPart):
    """What was measured over the frame: a coarse map, smooth between its shares."""

    KIND: ClassVar[str] = "map"

    shares: Grid = described(Map("How much each part of the frame has of it."))


@dataclass(frozen=True)
class SameAs(MaskPart):
    """The mask of another place, as that place has it."""

    KIND: ClassVar[str] = "place"

    of: str = described(Text("", "The id of that place."))


@dataclass(frozen=True)
class Place(Section):
    """What is changed where a mask is."""

    name: str = described(Text("", "What it is called."))
    active: str = described(Choice(("on", "off"), "on", "Whether it counts."))
    strength_percent: float = _percent(100.0, 0.0, 200.0, "How much of all its changes is made.")
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
    warmer_mired: float = described(
        Number("mired", -300.0, 300.0, 0.0, 1.0, 0, "How much warmer the picture is there; negative is cooler.")
    )
    greener_duv: float = described(
        Number("", -0.03, 0.03, 0.0, 0.0005, 4, "How much greener the picture is there, in Duv; negative is pinker.")
    )
    pinned_K: float = described(
        Number("K", 0.0, 25_000.0, 0.0, 50.0, 0, "The light that its colours are pinned to, whatever the whole is "
               "balanced for; 0 for none.")
    )  # fmt: skip
    pinned_duv: float = described(Number("", -0.03, 0.03, 0.0, 0.0005, 4, "The Duv of that light."))
    zones_EV: Values = toning.zones()
    contrast: toning.Contrast = field(default_factory=toning.Contrast)
    sharpen_percent: float = _percent(
        0.0, -100.0, 200.0, "How much sharper it is than the whole, with Detail's radius; negative softens."
    )
    haze_percent: float = toning.haze()
    curve: Points = toning.lightness_curve()
    chroma_percent: float = _percent(0.0, -100.0, 200.0, "How much chroma is added, at the same luminance.")
    hold_chroma: str = described(
        Choice(("on", "off"), "on", "Whether what exposure lightens keeps the chroma C*ab that it had.")
    )
    tint_chroma: float = described(
        Number("", 0.0, 60.0, 0.0, 0.5, 1, "How much of a colour is laid over it, C*ab; lightness stays.")
    )
    tint_hue_deg: float = described(Number("°", 0.0, 360.0, 60.0, 1.0, 0, "Which colour that is, CIELAB hue."))
    pegs: Rows[Peg] = tree.table(Peg)
    spare_dark: float = described(
        Number("zone", 0.0, 5.0, 0.0, 0.1, 1, "The zone below which nothing is changed, softly; 0 for none.")
    )
    spare_light: float = described(
        Number("zone", 5.0, 10.0, 10.0, 0.1, 1, "The zone above which nothing is changed, softly; 10 for none.")
    )
    blend: str = described(
        Choice(
            ("normal", "multiply", "screen", "soft_light"),
            "normal",
            "How the picture is laid over itself there: multiply darkens, screen lightens, soft light adds contrast.",
        )
    )
    denoise_percent: float = _percent(
        0.0, -100.0, 100.0, "How much of the noise that is left is taken out there too; negative brings back what was."
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
