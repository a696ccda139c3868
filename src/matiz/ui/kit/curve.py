"""The curve: display lightness in and out, the picture's distribution behind it."""

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from ...develop.stages.rendition import curve
from ...recipe.leaves import Points
from ...recipe.model import specs
from . import theme
from .instrument import Instrument

GRAB_PX = 12
EDGE = 8.0
STEP = 0.005
IDENTITY: Points = ((0.0, 0.0), (1.0, 1.0))


@dataclass(frozen=True)
class Plot:
    """Lightness 0..1 to widget px and back."""

    left: float
    top: float
    width: float
    height: float

    def to_px(self, x: float, y: float) -> tuple[float, float]:
        return self.left + x * self.width, self.top + (1.0 - y) * self.height

    def to_value(self, x: float, y: float) -> tuple[float, float]:
        return (x - self.left) / self.width, 1.0 - (y - self.top) / self.height


def moved(points: Points, index: int, x: float, y: float) -> Points:
    """One point moved, held between its neighbours so that the curve stays a rising one."""
    gap = specs()["tone.curve.lightness"].least_gap  # type: ignore[union-attr]
    low_x = points[index - 1][0] + gap if index > 0 else 0.0
    high_x = points[index + 1][0] - gap if index + 1 < len(points) else 1.0
    low_y = points[index - 1][1] if index > 0 else 0.0
    high_y = points[index + 1][1] if index + 1 < len(points) else 1.0
    held = (round(min(max(x, low_x), high_x), 4), round(min(max(y, low_y), high_y), 4))
    return (*points[:index], held, *points[index + 1 :])


def added(points: Points, x: float) -> tuple[Points, int]:
    """A point put on the curve at `x`, and its index; the nearest one where there is no room."""
    gap = specs()["tone.curve.lightness"].least_gap  # type: ignore[union-attr]
    nearest = min(range(len(points)), key=lambda i: abs(points[i][0] - x))
    if abs(points[nearest][0] - x) < 2 * gap or not 0.0 <= x <= 1.0:
        return points, nearest
    point = (round(x, 4), round(float(curve(points, x)), 4))
    fresh = tuple(sorted((*points, point)))
    return fresh, fresh.index(point)


def removed(points: Points, index: int) -> Points:
    """Without one point; two always stay."""
    return points if len(points) <= 2 else (*points[:index], *points[index + 1 :])


class CurveInstrument(Instrument):
    """`changing` and `changed` carry the points."""

    own_keys = (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete, Qt.Key.Key_Insert)

    def __init__(self) -> None:
        super().__init__("Tone curve")
        self._points = IDENTITY
        self._shown = IDENTITY
        self._selected = 0
        self._distribution: tuple[float, ...] = ()
        self._mark: float | None = None
        self.setMinimumWidth(200)
        self.setToolTip(
            "Click to add a point, drag it, pull it out of the square to remove it. "
            "Keys: Page Up and Page Down choose a point, arrows move it, Insert adds, Delete removes."
        )

    def sizeHint(self) -> QSize:
        return QSize(250, 208)

    def show_points(self, points: Points) -> None:
        if self.grabbed is None:
            self._points = points
            self._selected = min(self._selected, len(points) - 1)
        self.put(_shown=points)

    def show_distribution(self, shares: tuple[float, ...]) -> None:
        self.put(_distribution=shares)

    def show_mark(self, x: float | None) -> None:
        """Mark the tone under the pointer in the picture, lightness 0..1; None for no mark."""
        self.put(_mark=x)

    def plot(self) -> Plot:
        return Plot(EDGE, EDGE, self.width() - 2 * EDGE, self.height() - 2 * EDGE)

    def selected(self) -> int:
        return self._selected

    def hit(self, x: float, y: float) -> object | None:
        plot = self.plot()
        for index, point in enumerate(self._points):
            px, py = plot.to_px(*point)
            if np.hypot(px - x, py - y) <= GRAB_PX:
                return index
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        if self.grabbed is None:
            self._points, self.grabbed = added(self._points, self.plot().to_value(x, y)[0])
            self._last = self._points
            self.changing.emit(self._points)
        self._selected = int(self.grabbed)  # type: ignore[call-overload]
        self.update()

    def dragged(self, x: float, y: float) -> object | None:
        index = int(self.grabbed)  # type: ignore[call-overload]
        if not self.area().adjusted(-30, -30, 30, 30).contains(x, y):
            return removed(self._points, index)
        return moved(self._points, index, *self.plot().to_value(x, y))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._last is not None:
            self._points = self._last  # type: ignore[assignment]
            self._selected = min(self._selected, len(self._points) - 1)
        super().mouseReleaseEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, far = Qt.Key(event.key()), 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        moves = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        if key in moves:
            x, y = self._points[self._selected]
            dx, dy = moves[key]
            self._settle(moved(self._points, self._selected, x + dx * STEP * far, y + dy * STEP * far))
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._selected = (self._selected + (1 if key == Qt.Key.Key_PageUp else -1)) % len(self._points)
            self.update()
        elif key == Qt.Key.Key_Insert:
            here = self._points[self._selected][0]
            after = self._points[(self._selected + 1) % len(self._points)][0]
            points, self._selected = added(self._points, (here + after) / 2)
            self._settle(points)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._settle(removed(self._points, self._selected))
        else:
            super().keyPressEvent(event)

    def _settle(self, points: Points) -> None:
        self._selected = min(self._selected, len(points) - 1)
        if points != self._points:
            self._points = points
            self.changed.emit(points)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        plot = self.plot()
        painter.fillRect(area, theme.colour("window"))
        self._paint_distribution(painter, plot)
        painter.setPen(QPen(theme.colour("line"), 1))
        for quarter in (0.25, 0.5, 0.75):
            painter.drawLine(QPointF(*plot.to_px(quarter, 0)), QPointF(*plot.to_px(quarter, 1)))
            painter.drawLine(QPointF(*plot.to_px(0, quarter)), QPointF(*plot.to_px(1, quarter)))
        painter.setPen(QPen(theme.colour("quiet"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(*plot.to_px(0, 0)), QPointF(*plot.to_px(1, 1)))
        xs = np.linspace(0.0, 1.0, 129)
        path = QPainterPath()
        for n, (x, y) in enumerate(zip(xs, curve(self._shown, xs), strict=True)):
            point = QPointF(*plot.to_px(float(x), float(y)))
            path.moveTo(point) if n == 0 else path.lineTo(point)
        painter.setPen(QPen(theme.colour("strong"), 1.8))
        painter.drawPath(path)
        if self._mark is not None:
            painter.setPen(QPen(theme.colour("strong"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(*plot.to_px(self._mark, 0)), QPointF(*plot.to_px(self._mark, 1)))
            painter.setPen(QPen(theme.colour("strong"), 1.8))
        for index, (x, y) in enumerate(self._shown):
            chosen = index == self._selected and (self.hasFocus() or self.grabbed is not None)
            painter.setBrush(theme.colour("strong" if chosen else "window"))
            painter.drawEllipse(QPointF(*plot.to_px(x, y)), 4.5, 4.5)
        painter.setPen(theme.colour("quiet"))
        corner = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        painter.drawText(area.adjusted(12, 10, -12, -10), corner, "L* in \u2192   out \u2191")

    def _paint_distribution(self, painter: QPainter, plot: Plot) -> None:
        if not self._distribution:
            return
        # the square root lets small shares be seen beside large ones
        heights = np.sqrt(np.array(self._distribution))
        heights = heights / max(float(heights.max()), 1e-9) * 0.92
        wide, base = plot.width / len(heights), plot.top + plot.height
        outline = [QPointF(plot.left, base)]
        for n, height in enumerate(heights):
            top = base - float(height) * plot.height
            outline += [QPointF(plot.left + n * wide, top), QPointF(plot.left + (n + 1) * wide, top)]
        outline.append(QPointF(plot.left + plot.width, base))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("line"))
        painter.drawPolygon(outline)
        painter.setBrush(Qt.BrushStyle.NoBrush)
