"""What a hand does on the picture for the chosen part of a mask: strokes, lines, ellipses, outlines, picks."""

import math
from functools import partial
from typing import Protocol

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from ....recipe.change import Settings
from ....recipe.places import (
    MOST_PICKS,
    MOST_POINTS,
    Brush,
    Colour,
    Ellipse,
    Lasso,
    MaskPart,
    Ramp,
    Reach,
    Stroke,
    Subject,
)
from ....recipe.shapes import Shape
from ....recipe.tree import replaced
from ....work.session import Session
from ...canvas.tools import Pointer, Tool, ToolView
from ...kit.over_picture import stroked
from . import handles

GRAB_PX = 9.0
"""Of the window: how near a handle is held."""
STROKE_STEP_PX, OUTLINE_STEP_PX = 1.5, 4.0
"""Of the window: how far apart the points of a stroke and of an outline lie at least."""
SPACING = 0.08
"""Of a brush's radius: closer points of a stroke say nothing more."""
FULL_PX = 200.0
"""Of the window: a drag that makes a brush as much wider as it is."""
MARK_PX = 5.0
Point = tuple[float, float]


class Easel(Protocol):
    """What the tool works for."""

    session: Session

    def part(self) -> MaskPart | None: ...
    def part_path(self) -> str: ...
    def long_side(self) -> int: ...
    def stroke(self, *, erase: bool) -> Stroke: ...
    def set_radius(self, radius_px: float) -> None: ...
    def stroke_to_come(self) -> str: ...
    def paints(self, on: bool) -> None: ...


class PlaceTool(Tool):
    """Does whatever the chosen part is for."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self, easel: Easel) -> None:
        self._easel = easel
        self._doing: _Doing | None = None
        self._at: QPointF | None = None
        self.is_hidden = False
        """While a tape moves: what it does is to be seen."""
        self._last: Point | None = None
        """Where the last stroke ended, in the frame: the next may go straight on from there."""

    def begin(self, pointer: Pointer) -> bool:
        part = self._easel.part()
        if part is None or not (pointer.inside or self._held(part, pointer)):
            return False
        self._doing = self._begun(part, pointer)
        return self._doing is not None

    def move(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        if self._doing is not None:
            self._doing.move(pointer)
        self.view.update()

    def hover(self, pointer: Pointer) -> None:
        self._at = pointer.widget
        if isinstance(self._easel.part(), Brush):
            self.view.update()

    def end(self, pointer: Pointer) -> None:
        doing, self._doing = self._doing, None
        if doing is not None:
            doing.end(pointer)
            if isinstance(doing, _Painting):
                self._last = doing.points[-1][:2]
        self.view.update()

    def cancel(self) -> None:
        self._doing = None
        self._easel.paints(False)

    def forget(self) -> None:
        """Another place is chosen: no stroke goes on from the last one."""
        self._last = None

    def _begun(self, part: MaskPart, pointer: Pointer) -> "_Doing | None":
        if isinstance(part, Brush) and pointer.button == Qt.MouseButton.RightButton:
            return _Sizing(self._easel, pointer)
        if pointer.button != Qt.MouseButton.LeftButton:
            return None
        if isinstance(part, Brush):
            straight = pointer.modifiers & Qt.KeyboardModifier.ShiftModifier
            return _Painting(self._easel, pointer, self._last if straight else None, self.scale())
        if isinstance(part, Ramp | Ellipse):
            return _Shaping(self._easel, part, pointer, self._held(part, pointer))
        if isinstance(part, Lasso):
            return _Outlining(self._easel, pointer)
        return (
            _Picking(self._easel, part, pointer, self.scale()) if isinstance(part, Colour | Reach | Subject) else None
        )

    def scale(self) -> float:
        """Px of the window to a px of the picture."""
        return float(self.view.viewport.scale / self.view.devicePixelRatioF())

    def _held(self, part: MaskPart, pointer: Pointer) -> str:
        places = handles.handles(part)
        if not places:
            return ""
        shown = self._shown(np.array(list(places.values())))
        far = [math.hypot(point.x() - pointer.widget.x(), point.y() - pointer.widget.y()) for point in shown]
        nearest = min(range(len(far)), key=far.__getitem__)
        return list(places)[nearest] if far[nearest] <= GRAB_PX else ""

    def _shown(self, points: np.ndarray) -> list[QPointF]:
        """Places of the frame in the window."""
        engine = self._easel.session.engine
        if engine is None or not len(points):
            return []
        there = engine.mapping(self.view.recipe).to_picture(points * self._easel.long_side() - 0.5)
        return self.view.to_points(there.tolist())

    # ---- painting

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        part, place = self._easel.part(), view.image_place()
        if place is None or (self.is_hidden and self._doing is None):
            return
        painter.setClipRect(place)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        match part:
            case Brush():
                self._paint_brush(painter)
            case Ramp() | Ellipse():
                self._paint_shape(painter, part)
            case Lasso():
                outline = self._doing.points if isinstance(self._doing, _Outlining) else part.path
                shape = self._shown(np.array(outline).reshape(-1, 2))
                stroked(painter, lambda: painter.drawPolygon(shape), px=1.0)
            case Colour():
                self._paint_marks(painter, part.picks, ((0.0, 1.0), (1.0, 0.0)))
            case Reach() | Subject():
                self._paint_marks(painter, part.picks, ((0.0, 1.0), (1.0, 0.0)))
                self._paint_marks(painter, part.keep_out, ((0.7, 0.7), (0.7, -0.7)))

    def _paint_brush(self, painter: QPainter) -> None:
        if self._at is None:
            return
        stroke = self._easel.stroke(erase=False)
        radius = stroke.radius_px * self.scale()
        at = self._doing.start.widget if isinstance(self._doing, _Sizing) else self._at
        stroked(painter, lambda: painter.drawEllipse(at, radius, radius), px=1.0)
        whole = radius * stroke.hardness_percent / 100.0
        if whole > 2.0:
            stroked(painter, lambda: painter.drawEllipse(at, whole, whole), px=0.7, dashed=True)

    def _paint_shape(self, painter: QPainter, part: MaskPart) -> None:
        full, gone = handles.outlines(part)
        for line, is_dashed in ((full, False), (gone, True)):
            shape = self._shown(line)
            stroked(painter, partial(painter.drawPolyline, shape), px=0.9, dashed=is_dashed)
        places = handles.handles(part)
        shown = dict(zip(places, self._shown(np.array(list(places.values()))), strict=True))
        if isinstance(part, Ramp):
            stroked(painter, lambda: painter.drawLine(shown["full"], shown["gone"]), px=0.7)
        for name, at in shown.items():
            size = 5.0 if name in ("middle", "turn") else 7.0
            square = QRectF(at.x() - size / 2, at.y() - size / 2, size, size)
            stroked(painter, partial(painter.drawRect, square), px=1.0)

    def _paint_marks(self, painter: QPainter, picks: tuple[Point, ...], ways: tuple[Point, ...]) -> None:
        for at in self._shown(np.array(picks).reshape(-1, 2)):
            for x, y in ways:
                by = QPointF(MARK_PX * x, MARK_PX * y)
                stroked(painter, partial(painter.drawLine, at - by, at + by), px=1.1)


class _Doing:
    """One drag."""

    def __init__(self, easel: Easel, start: Pointer) -> None:
        self.easel, self.start = easel, start
        self.path = easel.part_path()

    def at(self, pointer: Pointer) -> Point:
        long_side = self.easel.long_side()
        x, y = pointer.frame
        return (x + 0.5) / long_side, (y + 0.5) / long_side

    def move(self, pointer: Pointer) -> None:
        """The drag goes on."""

    def end(self, pointer: Pointer) -> None:
        """The drag ends."""


class _Painting(_Doing):
    """A stroke; with Shift straight on from where the last one ended. With Alt it wipes off."""

    def __init__(self, easel: Easel, start: Pointer, last: Point | None, scale: float) -> None:
        super().__init__(easel, start)
        erase = bool(start.modifiers & Qt.KeyboardModifier.AltModifier)
        self._stroke = easel.stroke(erase=erase)
        self._step = max(STROKE_STEP_PX / scale, SPACING * self._stroke.radius_px) / easel.long_side()
        self.points: list[tuple[float, float, float]] = [(*last, start.pressure)] if last is not None else []
        self.points.append((*self.at(start), start.pressure))
        easel.paints(True)
        self._grip, self._where = easel.session.begin(), easel.stroke_to_come()
        self._show()

    def move(self, pointer: Pointer) -> None:
        here = self.at(pointer)
        if math.dist(here, self.points[-1][:2]) >= self._step:
            self.points.append((*here, pointer.pressure))
            self._show()

    def end(self, pointer: Pointer) -> None:
        self.easel.paints(False)
        self._grip.commit(self._settings(), "Erased" if self._stroke.erase == "on" else "Painted")

    def _show(self) -> None:
        self._grip.preview(self._settings())

    def _settings(self) -> Settings:
        points = np.array(self.points, np.float32)
        # a mouse presses fully all the way
        shape = Shape.of(points if (points[:, 2] < 1.0).any() else points[:, :2])
        return ((self._where, replaced(self._stroke, path=shape)),)


class _Sizing(_Doing):
    """The right button dragged sideways: how far the brush reaches."""

    def __init__(self, easel: Easel, start: Pointer) -> None:
        super().__init__(easel, start)
        self._radius = easel.stroke(erase=False).radius_px

    def move(self, pointer: Pointer) -> None:
        by = pointer.widget.x() - self.start.widget.x()
        self.easel.set_radius(self._radius * 2.0 ** (by / FULL_PX))


class _Shaping(_Doing):
    """A handle moved, or the part drawn afresh."""

    def __init__(self, easel: Easel, part: MaskPart, start: Pointer, handle: str) -> None:
        super().__init__(easel, start)
        self._part, self._handle = part, handle
        self._grip = easel.session.begin()

    def _settings(self, pointer: Pointer) -> Settings:
        held = bool(pointer.modifiers & Qt.KeyboardModifier.ShiftModifier)
        here = self.at(pointer)
        if self._handle:
            values = handles.moved(self._part, self._handle, here, held=held)
        else:
            values = handles.drawn(self._part, self.at(self.start), here, held=held)
        return tuple((f"{self.path}.{name}", value) for name, value in values.items())

    def move(self, pointer: Pointer) -> None:
        self._grip.preview(self._settings(pointer))

    def end(self, pointer: Pointer) -> None:
        if (pointer.widget - self.start.widget).manhattanLength() > 2.0:
            self._grip.commit(self._settings(pointer), f"{self._part.KIND} moved")
        else:
            self._grip.commit([], "")


class _Outlining(_Doing):
    """An outline drawn round what is meant."""

    def __init__(self, easel: Easel, start: Pointer) -> None:
        super().__init__(easel, start)
        self.points = [self._inside(start)]
        self._from = start.widget

    def _inside(self, pointer: Pointer) -> Point:
        x, y = self.at(pointer)
        return round(min(max(x, 0.0), 1.0), 6), round(min(max(y, 0.0), 1.0), 6)

    def move(self, pointer: Pointer) -> None:
        if (pointer.widget - self._from).manhattanLength() >= OUTLINE_STEP_PX:
            self._from = pointer.widget
            self.points.append(self._inside(pointer))

    def end(self, pointer: Pointer) -> None:
        if len(self.points) > 2:
            # the whole way round, however long it took
            thinned = tuple(self.points[:: -(-len(self.points) // MOST_POINTS)])
            self.easel.session.commit([(f"{self.path}.path", thinned)], "Outline drawn")


class _Picking(_Doing):
    """A click puts a pick, or takes the one that is there; with Alt one to keep out."""

    def __init__(self, easel: Easel, part: Colour | Reach | Subject, start: Pointer, scale: float) -> None:
        super().__init__(easel, start)
        self._part = part
        self._near = 1.6 * MARK_PX / scale / easel.long_side()

    def end(self, pointer: Pointer) -> None:
        x, y = self.at(pointer)
        here = round(min(max(x, 0.0), 1.0), 5), round(min(max(y, 0.0), 1.0), 5)
        for name in ("picks", "keep_out"):
            picks: tuple[Point, ...] = getattr(self._part, name, ())
            left = tuple(pick for pick in picks if math.dist(pick, here) > self._near)
            if len(left) < len(picks):
                self.easel.session.commit([(f"{self.path}.{name}", left)], "Pick removed")
                return
        keeps_out = isinstance(self._part, Reach | Subject) and self.start.modifiers & Qt.KeyboardModifier.AltModifier
        name = "keep_out" if keeps_out else "picks"
        picks = getattr(self._part, name)
        if len(picks) < MOST_PICKS:
            self.easel.session.commit([(f"{self.path}.{name}", (*picks, here))], "Picked")
        else:
            self.easel.session.said.emit(f"A part can have up to {MOST_PICKS} picks: click one to remove it.")
