"""The lean plot: how far the picture's lines lean, uprights above, lines across below, and the level to drag."""

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ....measure.mend.tilt import TiltReading
from ....wording import degrees
from ...kit import theme
from ...kit.instrument import Instrument

EDGE_PX, FOOT_PX = 14, 34
REACH_DEG = 6.0
LEAST_CERTAINTY = 0.3


def x_of(deg: float, width: float, middle: float) -> float:
    """Where on a plot `width` px wide a lean lies, with `middle` at its middle."""
    return width * (0.5 + (deg - middle) / (2.0 * REACH_DEG))


def lean_at(x: float, width: float, middle: float) -> float:
    return (x / width - 0.5) * 2.0 * REACH_DEG + middle


class LeanPlot(Instrument):
    """`changing` and `changed` carry the level in degrees: what leans as far as the hairline says stands upright."""

    def __init__(self) -> None:
        super().__init__("Leans")
        self._level = 0.0
        self._measured: TiltReading | None = None
        self._middle = 0.0
        self.setMinimumWidth(220)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip(
            "Every line of the picture by how far it leans: verticals above, horizontals below, longer lines higher. "
            "What stands at the hairline becomes vertical or horizontal; drag it there."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 208)

    def show_level(self, level_deg: float) -> None:
        # a plot whose middle moved under the hand could not be hit
        middle = self._middle if self.grabbed is not None or abs(level_deg) < REACH_DEG * 0.8 else -level_deg
        self.put(_level=level_deg, _middle=middle if abs(level_deg) >= REACH_DEG * 0.8 else 0.0)

    def show_reading(self, reading: TiltReading | None) -> None:
        self.put(_measured=reading)

    def hit(self, x: float, y: float) -> object | None:
        return "level" if self._plot().adjusted(0, 0, 0, FOOT_PX).contains(QPointF(x, y)) else None

    def dragged(self, x: float, y: float) -> object | None:
        plot = self._plot()
        value = -lean_at(x - plot.left(), plot.width(), self._middle)
        return round(min(max(value, -45.0), 45.0), 2)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, theme.colour("window"))
        plot, middle = self._plot(), plot_middle(self._plot())
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(plot.left(), middle), QPointF(plot.right(), middle))
        for whole in range(int(np.ceil(self._middle - REACH_DEG)), int(self._middle + REACH_DEG) + 1):
            x = plot.left() + x_of(whole, plot.width(), self._middle)
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(x, plot.bottom()), QPointF(x, plot.bottom() + (6 if whole % 2 == 0 else 3)))
            if whole % 2 == 0:
                painter.setPen(theme.colour("quiet"))
                place = QRectF(x - 24, plot.bottom() + 7, 48, 14)
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, degrees(whole, signed=True).replace(".0", ""))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(plot.left() + 2, plot.top() + 10), "verticals")
        painter.drawText(QPointF(plot.left() + 2, plot.bottom() - 4), "horizontals")
        self._paint_lines(painter, plot)
        self._paint_marks(painter, plot)

    def _paint_lines(self, painter: QPainter, plot: QRectF) -> None:
        found = self._measured
        if found is None or not len(found.leans):
            return
        middle, half = plot_middle(plot), plot.height() * 0.38
        line_grey = QColor(theme.colour("text"))
        line_grey.setAlpha(120)
        painter.setPen(QPen(line_grey, 1.4))
        lines = []
        for deg, length, upright in found.leans:
            x = plot.left() + x_of(deg, plot.width(), self._middle)
            if plot.left() <= x <= plot.right():
                tall = half * min(1.0, float(length) / 0.25) ** 0.5
                lines.append(QLineF(x, middle, x, middle - tall if upright else middle + tall))
        painter.drawLines(lines)

    def _paint_marks(self, painter: QPainter, plot: QRectF) -> None:
        x = plot.left() + x_of(-self._level, plot.width(), self._middle)
        painter.setPen(QPen(theme.colour("strong"), 1.6))
        painter.drawLine(QPointF(x, plot.top() - 6), QPointF(x, plot.bottom() + 4))
        found = self._measured
        if found is not None and found.tilt.certainty >= LEAST_CERTAINTY:
            at = plot.left() + x_of(found.tilt.deg, plot.width(), self._middle)
            if plot.left() <= at <= plot.right():
                painter.setBrush(theme.colour("text"))
                painter.setPen(Qt.PenStyle.NoPen)
                top = plot.top() - 8
                painter.drawPolygon(QPolygonF([QPointF(at - 5, top), QPointF(at + 5, top), QPointF(at, top + 8)]))
        painter.setPen(theme.colour("quiet"))
        note = "leaning counter-clockwise \u2190   \u2192 clockwise"
        place = QRectF(plot.left(), plot.bottom() + 20, plot.width(), 14)
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, note)

    def _plot(self) -> QRectF:
        return self.area().adjusted(EDGE_PX, EDGE_PX + 4, -EDGE_PX, -FOOT_PX - 2)


def plot_middle(plot: QRectF) -> float:
    return plot.top() + plot.height() * 0.6
