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

    path: Points = described(FramePoints("A spot, or the points of a stroke, in shares of the frame's long side.", 500))
    outline: str = described(Choice(("off", "on"), "off", "Whether the path is an outline that encloses the area."))
    radius_px: float = _number_of_px(20.0, 1.0, 2000.0, "Radius around the path, full-frame px.")
    feather_px: float = _number_of_px(4.0, 0.0, 1000.0, "Feather beyond that, px.")
    active: str = described(Choice(("on", "off"), "on", "Whether it is on."))


BOTH, TEXTURE, BASE, MIXED = LAYERS = ("both", "texture", "base", "mixed")
"""What a heal changes: all of it, what is finer than its detail alone, or what is coarser: that is spanned from around,
or mixed along the stroke."""


@dataclass(frozen=True)
class Heal(Repair):
    """An area that gets the texture of another place, and keeps the tone of its own."""

    KIND: ClassVar[str] = "heal"

    dx: float = described(
        Number("", -2.0, 2.0, 0.0, 0.001, 4, "Offset of the source to the right, share of the long side.")
    )
    dy: float = described(
        Number("", -2.0, 2.0, 0.0, 0.001, 4, "Offset of the source downward, share of the long side.")
    )
    layer: str = described(
        Choice(
            LAYERS,
            BOTH,
            "What it heals: everything, the texture, light and shade, or light and shade blended along its path.",
        )
    )
    detail_px: float = _number_of_px(3.5, 0.5, 60.0, "Blur at which texture just vanishes, full-frame px.")

    @property
    def has_source(self) -> bool:
        """Whether it takes anything from elsewhere."""
        return self.layer in (BOTH, TEXTURE)


@dataclass(frozen=True)
class Clone(Heal):
    """An area that gets the pixels of another place as they are."""

    KIND: ClassVar[str] = "clone"


@dataclass(frozen=True)
class FromFrame(Repair):
    """An area that is as one of the frames has it that the picture was merged of."""

    KIND: ClassVar[str] = "frame"

    frame: float = described(Number("", 1.0, 60.0, 1.0, 1.0, 0, "Which frame, in the order in which they are named."))


@dataclass(frozen=True)
class Fill(Repair):
    """An area that is rebuilt from the rest of the picture."""

    KIND: ClassVar[str] = "fill"

    turn: float = described(Number("", 0.0, 99.0, 0.0, 1.0, 0, "Variant of the fill."))


def _place(help_text: str) -> Any:
    return described(Number("", -1.0, 2.0, 0.0, 0.001, 4, help_text))


@dataclass(frozen=True)
class Band(Section):
    """A band of the picture that is made taller or wider, and what lies beyond it lower or narrower. Its foot, or its
    left side, stays; places are on the picture's plane, as those of a crop."""

    KIND: ClassVar[str] = "band"

    x: float = _place("Left side, share of the long side.")
    y: float = _place("Upper side, share of the long side.")
    w: float = _place("Width, share of the long side.")
    h: float = _place("Height, share of the long side.")
    percent: float = described(Number("%", -50.0, 100.0, 20.0, 1.0, 0, "Stretch; negative squeezes."))
    way: str = described(Choice(("height", "width"), "height", "Which of its dimensions is changed."))


@dataclass(frozen=True)
class Pull(Section):
    """A place that is moved, and the picture about it with it; one that is moved nowhere is pinned."""

    KIND: ClassVar[str] = "pull"

    x: float = _place("Position, share of the long side.")
    y: float = _place("Position, share of the long side.")
    dx: float = described(Number("", -1.0, 1.0, 0.0, 0.001, 4, "Shift to the right, share of the long side."))
    dy: float = described(Number("", -1.0, 1.0, 0.0, 0.001, 4, "Shift downward, share of the long side."))
    reach: float = described(Number("", 0.02, 1.0, 0.2, 0.01, 3, "Radius around it that moves along."))


@dataclass(frozen=True)
class HeldLine(Section):
    """A line that stays where it is, straight, however the picture is bent about it."""

    KIND: ClassVar[str] = "line"

    x: float = _place("One end, share of the long side.")
    y: float = _place("One end, share of the long side.")
    x2: float = _place("The other end, share of the long side.")
    y2: float = _place("The other end, share of the long side.")
