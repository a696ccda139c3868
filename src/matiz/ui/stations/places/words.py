"""Places and the parts of their masks in a few words."""

from collections.abc import Mapping

from ....recipe.places import (
    Background,
    Bright,
    Brush,
    Colour,
    Dim,
    Edges,
    Ellipse,
    Faces,
    Focus,
    Ground,
    Lasso,
    Mapped,
    MaskPart,
    Middle,
    Muted,
    People,
    Place,
    Ramp,
    Reach,
    SameAs,
    Saturated,
    SkinOf,
    Sky,
    Subject,
    Zones,
)
from ....wording import counted, number

"""What a part does with those before it: adds to them, takes from them, leaves only what both have."""
KINDS: tuple[tuple[type[MaskPart], str, str], ...] = (
    (Subject, "Subject", "The subject of the picture, found automatically."),
    (Background, "Background", "Everything but the subject."),
    (Sky, "Sky", "The sky, found automatically."),
    (Ground, "Ground", "Everything but the sky."),
    (Faces, "Faces", "Faces, found automatically: all, or one of them."),
    (People, "People", "People, by their faces: all, or one of them."),
    (SkinOf, "Skin", "Skin of people whose faces are found, without eyes, brows and lips."),
    (Focus, "In focus", "What is in focus, by the sharpness of edges."),
    (Brush, "Brush", "Painted by hand in the picture."),
    (Ramp, "Ramp", "A gradient along a line: drag it in the picture."),
    (Ellipse, "Ellipse", "Full inside, fading to its rim: drag it in the picture."),
    (Lasso, "Outline", "Everything inside an outline: draw it in the picture."),
    (Reach, "Reach", "What is near a pick and of a similar colour; Alt-click to exclude."),
    (Colour, "Colour", "What has the colour of your picks, anywhere in the picture."),
    (Zones, "Zones", "A range of zones."),
    (Bright, "Bright", "Bright tones, weighted by a power of lightness."),
    (Middle, "Middle", "Middle tones."),
    (Dim, "Dim", "Dim tones."),
    (Saturated, "Saturated", "Saturated colours."),
    (Muted, "Muted", "Muted colours."),
    (Edges, "Edges", "Where lightness changes steeply."),
)
"""What a part can be, its name and what it is, in the order in which they are offered."""
NAMES = {kind: name for kind, name, _ in KINDS} | {Mapped: "Map"}


def part_label(part: MaskPart, names: Mapping[str, str]) -> str:
    """A part in a few words. names: of places by id."""
    return f"{NAMES.get(type(part), part.KIND)} {_detail(part, names)}".strip()


def _detail(part: MaskPart, names: Mapping[str, str]) -> str:
    match part:
        case SameAs():
            return f"of {names.get(part.of, 'a place that was removed')}"
        case Bright():
            return "" if part.channel == "lightness" else part.channel
        case Zones():
            return f"{number(part.low, 1)}–{number(part.high, 1)}"
        case Brush():
            return counted(len(part.strokes), "stroke")
        case Subject():
            which = f"number {part.n:.0f}" if part.n else ""
            taps = counted(len(part.picks) + len(part.keep_out), "tap") if part.picks or part.keep_out else ""
            return f"{which} {taps}".strip()
        case Faces():
            return f"number {part.n:.0f}" if part.n else ""
        case Colour() | Reach():
            return counted(len(part.picks), "pick")
    return ""


def place_label(place: Place, n: int) -> str:
    """The name of a place; what its mask is made of, where it has none."""
    if place.name:
        return place.name
    kinds = [NAMES.get(type(part), "place") for part in place.mask.values()]  # type: ignore[arg-type]
    return f"Place {n}" + (f": {', '.join(kinds[:3])}" if kinds else "")
