"""What the tables of Mend hold: repairs of the frame, and how the picture is bent on its plane."""

from dataclasses import dataclass
from typing import Any, ClassVar

from .leaves import Choice, FramePoints, Number, Points, described
from .tree import Section


def _number_of_px(default: float, low: float, high: float, help_text: str) -> Any:
    return described(Number("px", low, high, default, 0.5, 1, help_text))


@dataclass(frozen=True)
class Repair(Section):
    """An area of the frame that gets other pixels."""

    path: Points = described(FramePoints("A spot, or the points of a stroke, of the frame's long side.", 500))
    outline: str = described(Choice(("off", "on"), "off", "Whether the path is an outline, and all in it is meant."))
    radius_px: float = _number_of_px(20.0, 1.0, 2000.0, "How far it reaches from the path, full-frame px.")
    feather_px: float = _number_of_px(4.0, 0.0, 1000.0, "Over how many px it ends beyond that.")
    active: str = described(Choice(("on", "off"), "on", "Whether it counts."))


BOTH, TEXTURE, BASE, MIXED = LAYERS = ("both", "texture", "base", "mixed")
"""What a heal changes: all of it, what is finer than its detail alone, or what is coarser: that is spanned from around,
or mixed along the stroke."""


@dataclass(frozen=True)
class Heal(Repair):
    """An area that gets the texture of another place, and keeps the tone of its own."""

    KIND: ClassVar[str] = "heal"

    dx: float = described(Number("", -2.0, 2.0, 0.0, 0.001, 4, "How far right its source lies, of the long side."))
    dy: float = described(Number("", -2.0, 2.0, 0.0, 0.001, 4, "How far below its source lies, of the long side."))
    layer: str = described(
        Choice(LAYERS, BOTH, "Whether it heals all, the texture, or light and shade, or mixes these along its path.")
    )
    detail_px: float = _number_of_px(3.5, 0.5, 60.0, "The blur in which texture just vanishes, full-frame px.")

    @property
    def has_source(self) -> bool:
        """Whether it takes anything from elsewhere."""
        return self.layer in (BOTH, TEXTURE)


@dataclass(frozen=True)
class Clone(Heal):
    """An area that gets the pixels of another place as they are."""

    KIND: ClassVar[str] = "clone"


@dataclass(frozen=True)
class Aside(Repair):
    """An area that is as one of the frames has it that the picture was merged of."""

    KIND: ClassVar[str] = "frame"

    frame: float = described(Number("", 1.0, 60.0, 1.0, 1.0, 0, "Which of them, in the order in which they are named."))


@dataclass(frozen=True)
class Fill(Repair):
    """An area that is rebuilt from the rest of the picture."""

    KIND: ClassVar[str] = "fill"

    turn: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Which of the ways in which it can be filled."))


def _place(help_text: str) -> Any:
    return described(Number("", -1.0, 2.0, 0.0, 0.001, 4, help_text))


@dataclass(frozen=True)
class Band(Section):
    """A band of the picture that is made taller or wider, and what lies beyond it lower or narrower. Its foot, or its
    left side, stays; places are on the picture's plane, as those of a crop."""

    KIND: ClassVar[str] = "band"

    x: float = _place("Left side, of the long side.")
    y: float = _place("Upper side, of the long side.")
    w: float = _place("Width, of the long side.")
    h: float = _place("Height, of the long side.")
    percent: float = described(
        Number("%", -50.0, 100.0, 20.0, 1.0, 0, "By how much it is stretched; negative squeezes it.")
    )
    way: str = described(Choice(("height", "width"), "height", "Which of its sides is changed."))


@dataclass(frozen=True)
class Pull(Section):
    """A place that is moved, and the picture about it with it; one that is moved nowhere is pinned."""

    KIND: ClassVar[str] = "pull"

    x: float = _place("Where it is, of the long side.")
    y: float = _place("Where it is, of the long side.")
    dx: float = described(Number("", -1.0, 1.0, 0.0, 0.001, 4, "How far right it is moved, of the long side."))
    dy: float = described(Number("", -1.0, 1.0, 0.0, 0.001, 4, "How far down it is moved, of the long side."))
    reach: float = described(Number("", 0.02, 1.0, 0.2, 0.01, 3, "How far about it the picture goes along."))


@dataclass(frozen=True)
class HeldLine(Section):
    """A line that stays where it is, straight, however the picture is bent about it."""

    KIND: ClassVar[str] = "line"

    x: float = _place("One end, of the long side.")
    y: float = _place("One end, of the long side.")
    x2: float = _place("The other end, of the long side.")
    y2: float = _place("The other end, of the long side.")
