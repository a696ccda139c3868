"""The tool by which an area of the picture is shown: a drag over it, or a click."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt

from ...develop.frame.tiles import Region
from ...work.session import Session
from .tools import Pointer, Tool

CLICK_SHARE = 0.02
"""Of the long side: the area of a click that is no drag."""
LEAST_PX = 6.0


class DragArea(Tool):
    """A drag is an area; a click is a small one."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, session: Session, put: Callable[[Region], None]) -> None:
        """put: hears each area, px of the upright full-size picture."""
        self._session, self._put = session, put
        self._from: Pointer | None = None
        self.rubber: QRectF | None = None
        """What is being dragged, in the window."""

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton or not pointer.inside:
            return False
        self._from = pointer
        return True

    def move(self, pointer: Pointer) -> None:
        if self._from is not None:
            self.rubber = QRectF(QPointF(self._from.widget), QPointF(pointer.widget)).normalized()
            self.view.update()

    def cancel(self) -> None:
        self._from, self.rubber = None, None

    def end(self, pointer: Pointer) -> None:
        start, self._from, self.rubber = self._from, None, None
        engine = self._session.engine
        if start is None or engine is None:
            return
        width, height = engine.size(self.view.recipe)
        (x0, y0), (x1, y1) = start.picture, pointer.picture
        half = CLICK_SHARE * max(width, height) / 2.0
        if abs(x1 - x0) < LEAST_PX or abs(y1 - y0) < LEAST_PX:
            x0, y0, x1, y1 = x1 - half, y1 - half, x1 + half, y1 + half
        left, right = (round(min(max(v, 0.0), width)) for v in sorted((x0, x1)))
        top, bottom = (round(min(max(v, 0.0), height)) for v in sorted((y0, y1)))
        if right - left > 1 and bottom - top > 1:
            self._put((left, top, right - left, bottom - top))
        self.view.update()
