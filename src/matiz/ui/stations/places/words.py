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

JOINS = {"add": "add", "subtract": "take", "intersect": "only"}
"""What a part does with those before it: adds to them, takes from them, leaves only what both have."""
KINDS: tuple[tuple[type[MaskPart], str, str], ...] = (
    (Subject, "Subject", "What the picture is of, found by itself; click what is missing, Alt and click what is not."),
    (Background, "Background", "All but the subject."),
    (Sky, "Sky", "The sky, found by itself."),
    (Ground, "Ground", "All but the sky."),
    (Faces, "Faces", "Faces, found by themselves: all, or one of them."),
    (People, "People", "People, by their faces: all, or one of them."),
    (SkinOf, "Skin", "Skin of those whose faces are found; not eyes, brows and lips."),
    (Focus, "In focus", "What is in focus, by how far edges are spread."),
    (Brush, "Brush", "Painted by hand on the picture."),
    (Ramp, "Ramp", "Full at one end of a line, gone at the other: drag it on the picture."),
    (Ellipse, "Ellipse", "Full inside, falling off to its rim: drag it on the picture."),
    (Lasso, "Outline", "All that an outline holds: draw it on the picture."),
    (Reach, "Reach", "What is near a pick and coloured like it; Alt and click keeps out."),
    (Colour, "Colour", "What has the colour of your picks, anywhere."),
    (Zones, "Zones", "A range of zones."),
    (Bright, "Bright", "Bright tones, by a power of their lightness."),
    (Middle, "Middle", "Middle tones."),
    (Dim, "Dim", "Dim tones."),
    (Saturated, "Saturated", "Saturated colours."),
    (Muted, "Muted", "Muted colours."),
    (Edges, "Edges", "Where lightness rises steeply."),
)
"""What a part can be, its name and what it is, in the order in which they are offered."""
NAMES = {kind: name for kind, name, _ in KINDS} | {Mapped: "Map"}


def part_told(part: MaskPart, names: Mapping[str, str]) -> str:
    """A part in a few words. names: of places by id."""
    return f"{NAMES.get(type(part), part.KIND)} {_detail(part, names)}".strip()


def _detail(part: MaskPart, names: Mapping[str, str]) -> str:
    match part:
        case SameAs():
            return f"of {names.get(part.of, 'a place that is gone')}"
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


def place_told(place: Place, n: int) -> str:
    """The name of a place; what its mask is made of, where it has none."""
    if place.name:
        return place.name
    kinds = [NAMES.get(type(part), "place") for part in place.mask.values()]  # type: ignore[arg-type]
    return f"Place {n}" + (f": {', '.join(kinds[:3])}" if kinds else "")
