"""Repairs made and moved by the hand on the picture."""

import math
from typing import Protocol

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPolygonF

from ....recipe.change import Settings
from ....recipe.mending import Heal
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit.over_picture import stroked

STEP = 0.5
"""Of the radius: how far apart the points of a stroke lie."""
OUTLINE_STEP_PX = 4.0
"""Of the window: how far apart those of an outline lie."""


class Bench(Protocol):
    """What the tool works for."""

    session: Session

    def radius_px(self) -> float: ...
    def draws_outline(self) -> bool: ...
    def long_side(self) -> int: ...
    def chosen_source(self, pointer: Pointer) -> tuple[str, Heal] | None: ...
    def repair_at(self, pointer: Pointer) -> str: ...
    def choose(self, ident: str) -> None: ...
    def repair(self, path: list[tuple[float, float]]) -> None: ...
    def paint_repairs(self, painter: QPainter, view: ToolView) -> None: ...


class RepairTool(Tool):
    """A click repairs a spot, a drag a stroke or what it goes round; a repair that is there is taken by its ring, its
    source is moved."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._path: list[Pointer] = []
        self._moving: tuple[Grip, str, Heal, Pointer] | None = None
        self._at: QPointF | None = None

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton or not pointer.inside:
            return False
        source = self._bench.chosen_source(pointer)
        if source is not None:
            self._moving = self._bench.session.begin(), *source, pointer
            return True
        found = self._bench.repair_at(pointer)
        if found:
            self._bench.choose(found)
        else:
            self._path = [pointer]
        return True

    def move(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        if self._moving is not None:
            self._moving[0].preview(self._moved(pointer))
        elif self._path and self._is_next(pointer):
            self._path.append(pointer)
        self.view.update()

    def hover(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        self.view.update()

    def end(self, pointer: Pointer) -> None:
        if self._moving is not None:
            grip, moving = self._moving[0], self._moved(pointer)
            self._moving = None
            grip.commit(moving, "Source moved")
            return
        path, self._path = self._path, []
        if path:
            self._bench.repair([each.frame for each in path])

    def cancel(self) -> None:
        self._path, self._moving = [], None

    def _is_next(self, pointer: Pointer) -> bool:
        last = self._path[-1]
        if self._bench.draws_outline():
            off = pointer.widget - last.widget
            return math.hypot(off.x(), off.y()) > OUTLINE_STEP_PX
        return math.dist(pointer.frame, last.frame) > STEP * self._bench.radius_px()

    def _moved(self, pointer: Pointer) -> Settings:
        assert self._moving is not None
        _, ident, item, start = self._moving
        long_side = self._bench.long_side()
        by = [(b - a) / long_side for a, b in zip(start.frame, pointer.frame, strict=True)]
        dx, dy = (min(max(value + step, -2.0), 2.0) for value, step in zip((item.dx, item.dy), by, strict=True))
        return ((f"mend.repairs.{ident}.dx", dx), (f"mend.repairs.{ident}.dy", dy))

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        self._bench.paint_repairs(painter, view)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._path:
            points = QPolygonF([view.to_widget(*each.picture) for each in self._path])
            stroked(painter, lambda: painter.drawPolyline(points), px=1.4)
        at = self._at
        if at is not None and self._moving is None and not self._bench.draws_outline():
            radius = self._bench.radius_px() * view.viewport.scale / view.devicePixelRatioF()
            stroked(painter, lambda: painter.drawEllipse(at, radius, radius))
