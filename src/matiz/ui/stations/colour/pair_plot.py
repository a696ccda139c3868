"""Two areas as clouds of colour: a* and b* on a plane, lightness on a scale beside it."""

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ....colour.spaces import XYZ_TO_SRGB, Lab_to_XYZ, encode_sRGB
from ....colour.types import Array
from ...kit import theme
from ...kit.instrument import Instrument

SCALE_PX = 64.0
LEAST_SPAN = 12.0
"""Of a* and b*: closer areas are not drawn further apart."""
ROOM = 1.5


@dataclass(frozen=True)
class PairPlane:
    """a* rightward and b* upward about a middle, equal scales."""

    width: float
    height: float
    middle: tuple[float, float]
    span: float
    """a* or b* from the middle to the nearer border."""

    @classmethod
    def of(cls, width: float, height: float, clouds: list[Array]) -> "PairPlane":
        ends = np.array([np.quantile(cloud[:, 1:], share, axis=0) for cloud in clouds for share in (0.05, 0.95)])
        low, high = ends.min(axis=0), ends.max(axis=0)
        middle = (low + high) / 2.0
        span = max(float((high - low).max()) / 2.0 * ROOM, LEAST_SPAN)
        return cls(width, height, (float(middle[0]), float(middle[1])), span)

    def to_px(self, a: float, b: float) -> tuple[float, float]:
        unit = min(self.width, self.height) / (2.0 * self.span)
        return self.width / 2 + (a - self.middle[0]) * unit, self.height / 2 - (b - self.middle[1]) * unit


def shown_colour(Lab: Array) -> QColor:
    """A colour L*, a*, b* as far as the screen can show it."""
    codes = np.round(255.0 * encode_sRGB(np.clip(Lab_to_XYZ(Lab) @ XYZ_TO_SRGB.T, 0.0, 1.0)))
    return QColor(*(int(code) for code in codes))


class PairPlot(Instrument):
    """Where A and B lie, and the way from one to the other."""

    def __init__(self) -> None:
        super().__init__("Areas A and B by colour and lightness")
        self._clouds: list[Array] = []
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setMinimumWidth(260)
        self.setToolTip("Each dot is a spot of an area; the line leads from the middle of A to that of B")

    def sizeHint(self) -> QSize:
        return QSize(360, 208)

    def show_clouds(self, clouds: list[Array]) -> None:
        """L*, a*, b* (n, 3) of A, and of B when it is there."""
        self._clouds = clouds
        self.update()

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(6, 14), "b* ↑   a* →")
        wide = self.width() - SCALE_PX
        painter.drawText(QPointF(wide + 8, 14), "L*")
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(wide, 0), QPointF(wide, self.height()))
        for L in range(0, 101, 25):
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(wide + 26, self._height_of(L)), QPointF(wide + 34, self._height_of(L)))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(wide + 38, self._height_of(L) + 4), str(L))
        if not self._clouds:
            return
        plane = PairPlane.of(wide, float(self.height()), self._clouds)
        painter.setClipRect(QRectF(0, 0, wide, self.height()))
        self._paint_axes(painter, plane, wide)
        for cloud in self._clouds:
            painter.setPen(QPen(theme.colour("text", 60), 2.0))
            thin = cloud[:: max(1, len(cloud) // 250)]
            painter.drawPoints(QPolygonF([QPointF(*plane.to_px(float(a), float(b))) for _, a, b in thin]))
        middles = [np.median(cloud, axis=0) for cloud in self._clouds]
        places = [QPointF(*plane.to_px(float(middle[1]), float(middle[2]))) for middle in middles]
        painter.setPen(QPen(theme.colour("strong"), 1.4))
        painter.drawPolyline(QPolygonF(places))
        for name, middle, place in zip("AB", middles, places, strict=False):
            self._paint_mark(painter, place, name, middle)
        painter.setClipping(False)
        for name, middle in zip("AB", middles, strict=False):
            self._paint_mark(painter, QPointF(wide + 14, self._height_of(float(middle[0]))), name, middle)

    def _height_of(self, L: float) -> float:
        return 22.0 + (1.0 - L / 100.0) * (self.height() - 32.0)

    def _paint_axes(self, painter: QPainter, plane: PairPlane, wide: float) -> None:
        x, y = plane.to_px(0.0, 0.0)
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(QPointF(0, y), QPointF(wide, y))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        for ring in (10.0, 20.0, 40.0, 60.0):
            radius = plane.to_px(ring, 0.0)[0] - x
            painter.drawEllipse(QPointF(x, y), radius, radius)

    def _paint_mark(self, painter: QPainter, place: QPointF, name: str, Lab: Array) -> None:
        painter.setPen(QPen(theme.colour("strong"), 1.4))
        painter.setBrush(shown_colour(Lab))
        painter.drawEllipse(place, 8.0, 8.0)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(theme.grey(97.0 if Lab[0] < 60.0 else 5.0))
        box = QRectF(place.x() - 8, place.y() - 8, 16, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
