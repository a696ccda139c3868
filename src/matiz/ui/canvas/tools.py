"""What a hand can do on the picture: tools, one upon the other; the topmost that takes a press has the drag."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter

from ...recipe.model import Recipe

PAN_AFTER_PX = 4


@dataclass(frozen=True)
class Pointer:
    """Where the pointer is, and how."""

    widget: QPointF
    """In the view, logical px."""
    picture: tuple[float, float]
    """Px of the upright full-size picture."""
    frame_of: Callable[[], tuple[float, float]]
    inside: bool
    """Whether that lies within the picture."""
    button: Qt.MouseButton = Qt.MouseButton.LeftButton
    modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    pressure: float = 1.0
    """Of a pen, 0..1; 1 for a mouse."""

    @cached_property
    def frame(self) -> tuple[float, float]:
        """The same place in px of the upright frame, where decisions are kept; as the picture lay then."""
        return self.frame_of()


class ToolView(Protocol):
    """What a tool may ask of the picture view that it lies on."""

    viewport: Any
    comparison: Any
    session: Any

    @property
    def recipe(self) -> Recipe: ...

    def image_place(self) -> QRectF | None: ...
    def to_widget(self, x: float, y: float) -> QPointF: ...
    def to_points(self, points: Any) -> list[QPointF]: ...
    def rect(self) -> QRect: ...
    def setCursor(self, cursor: Qt.CursorShape) -> None: ...
    def look(self, viewport: Any) -> None: ...
    def update(self) -> None: ...
    def width(self) -> int: ...
    def devicePixelRatioF(self) -> float: ...


class Tool:
    """A drag as begin, move, end. `view` is set while the tool lies on the stack."""

    cursor = Qt.CursorShape.ArrowCursor
    view: ToolView

    def begin(self, pointer: Pointer) -> bool:
        """Whether the press is the tool's: then it gets all moves and the end."""
        return False

    def move(self, pointer: Pointer) -> None:
        """The drag goes on."""

    def end(self, pointer: Pointer) -> None:
        """The drag ends."""

    def cancel(self) -> None:
        """The drag is taken back."""

    def hover(self, pointer: Pointer) -> None:
        """The pointer moves without a press."""

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        """Paint over the picture; coordinates are the view's."""


class Pan(Tool):
    """At the bottom of the stack: moves the picture. A press that does not move is not its business."""

    def __init__(self) -> None:
        self._start: tuple[QPointF, object] | None = None
        self._moves = False

    def begin(self, pointer: Pointer) -> bool:
        self._start, self._moves = (pointer.widget, self.view.viewport), False
        return pointer.button in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton)

    def move(self, pointer: Pointer) -> None:
        if self._start is None:
            return
        start, viewport = self._start
        moved = pointer.widget - start
        if self._moves or moved.manhattanLength() > PAN_AFTER_PX:
            self._moves = True
            ratio = self.view.devicePixelRatioF()
            self.view.look(viewport.panned(moved.x() * ratio, moved.y() * ratio))  # type: ignore[attr-defined]

    def end(self, pointer: Pointer) -> None:
        self._start = None


class Click(Pan):
    """A click on a place of the picture; a drag still moves the picture."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, clicked: Callable[[float, float], None], cursor: Qt.CursorShape | None = None) -> None:
        super().__init__()
        self._clicked = clicked
        self.cursor = cursor or self.cursor

    def end(self, pointer: Pointer) -> None:
        moved = self._moves
        super().end(pointer)
        if not moved and pointer.inside and pointer.button == Qt.MouseButton.LeftButton:
            self._clicked(*pointer.picture)


class SplitLine(Tool):
    """The line of the split, which can be dragged."""

    def begin(self, pointer: Pointer) -> bool:
        return self.view.comparison.holds(pointer.widget.x(), self.view.width())

    def move(self, pointer: Pointer) -> None:
        self.view.comparison.drag_to(pointer.widget.x(), self.view.width())
