"""Skin as hue and lightness: where it lies, and where it is held."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF

from ....colour.spaces import Lab_to_LCh
from ....measure.colour.colour import SkinReading
from ....recipe.colour import NO_SKIN, REFERENCE_TONES, Skin
from ...kit import theme
from ...kit.instrument import Instrument

HUES = (0.0, 100.0)
"""Degrees, CIELAB: from pink to yellow."""
GRAB_PX = 14
STEP_PERCENT = 5.0


class SkinPlot(Instrument):
    """Drag the bracket about the reference toward it: `changing` and `changed` carry the evenness in percent."""

    def __init__(self) -> None:
        super().__init__("Skin: hue over lightness")
        self._skin, self._reading = Skin(), None
        self.setMinimumWidth(220)
        self.setToolTip(
            "Each dot is some skin of the picture, redder to the left, lighter upward; the line is the reference. "
            "Drag the brackets to the line to even it out; left and right keys do the same."
        )

    _reading: SkinReading | None

    def sizeHint(self) -> QSize:
        return QSize(300, 208)

    def show_skin(self, skin: Skin) -> None:
        self.put(_skin=skin)

    def show_reading(self, reading: SkinReading | None) -> None:
        self.put(_reading=reading)

    def to_px(self, hue_deg: float, L: float) -> tuple[float, float]:
        low, high = HUES
        hue = (hue_deg + 180.0) % 360.0 - 180.0
        return (hue - low) / (high - low) * self.width(), (1.0 - L / 100.0) * (self.height() - 20.0)

    def line(self) -> list[tuple[float, float]]:
        """Lightness and hue of the reference from dark to light."""
        reference = np.array(self._skin.reference).reshape(REFERENCE_TONES, 3)
        return sorted((float(L), float(h)) for L, _, h in Lab_to_LCh(reference))

    def _wide_px(self) -> float:
        """How far the brackets stand from the line: all of the reach, less what is evened out."""
        return (1.0 - self._skin.evenness_percent / 100.0) * 0.2 * self.width() + 8.0

    def hit(self, x: float, y: float) -> object | None:
        if self._skin.reference == NO_SKIN:
            return None
        middle, height = self.to_px(self.line()[1][1], self.line()[1][0])
        sides = [middle - self._wide_px(), middle + self._wide_px()]
        near = min(range(2), key=lambda n: abs(sides[n] - x))
        return near + 1 if abs(sides[near] - x) <= GRAB_PX and abs(y - height) < 40.0 else None

    def dragged(self, x: float, y: float) -> object | None:
        middle, _ = self.to_px(self.line()[1][1], 50.0)
        off = max(abs(x - middle) - 8.0, 0.0) / (0.2 * self.width())
        return float(round(100.0 * (1.0 - min(off, 1.0))))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}
        if event.key() in steps and self._skin.reference != NO_SKIN:
            wanted = self._skin.evenness_percent + steps[Qt.Key(event.key())] * STEP_PERCENT
            self.changed.emit(min(max(wanted, 0.0), 100.0))
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(6, 14), "L* ↑   redder ←   → yellower")
        for hue in (20, 40, 60, 80):
            x, _ = self.to_px(hue, 0.0)
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(x, 20), QPointF(x, self.height() - 20))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(x - 8, self.height() - 5), f"{hue}°")
        if self._reading is not None:
            painter.setPen(QPen(theme.colour("text", 90), 2.0))
            painter.drawPoints(QPolygonF([QPointF(*self.to_px(hue, L)) for hue, L in self._reading.cloud]))
        if self._skin.reference == NO_SKIN:
            return
        points = [QPointF(*self.to_px(hue, L)) for L, hue in self.line()]
        painter.setPen(QPen(theme.colour("strong"), 1.8))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(theme.colour("window"))
        for point in points:
            painter.drawEllipse(point, 4.0, 4.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for side in (-1.0, 1.0):
            x, y = points[1].x() + side * self._wide_px(), points[1].y()
            bracket = [(-side * 5, -24), (0, -24), (0, 24), (-side * 5, 24)]
            painter.drawPolyline(QPolygonF([QPointF(x + dx, y + dy) for dx, dy in bracket]))
