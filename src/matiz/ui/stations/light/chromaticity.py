"""The instrument of Light: the CIE 1976 u'v' plane around the loci, with the picture's lights."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from ....colour.illuminants import daylight_xy
from ....colour.spaces import REC2020_TO_SRGB, XYZ_TO_REC2020, encode_sRGB, uv_to_xy, xy_to_uv, xy_to_XYZ
from ....colour.temperature import cct_to_xy, duv_limit, xy_to_cct
from ....colour.types import Array
from ....measure.light.light import LightReading
from ....measure.table.values import LightValue
from ....wording import kelvin
from ...kit import theme
from ...kit.instrument import Instrument

CENTRE_UV = (0.252, 0.484)
SPAN_UV = (0.19, 0.128)
"""The part of the plane that must be seen."""
ISOTHERMS_K = (2000, 2500, 3000, 3500, 4000, 5000, 6500, 10_000, 20_000)
ISOTHERM_DUV = (-0.016, 0.012)
GRAB_PX = 14
LEGEND = "u\u2032v\u2032\n\u2014 black body\n\u2013 \u2013 daylight\n\u00b7 \u00b7 near-neutrals"


@dataclass(frozen=True)
class ChromaticityPlane:
    """u'v' to widget px and back, equal scales in both directions."""

    width: float
    height: float

    @property
    def px_per_unit(self) -> float:
        return min(self.width / SPAN_UV[0], self.height / SPAN_UV[1])

    def to_px(self, uv: Array) -> Array:
        """(..., 2) u', v' to x, y."""
        uv = np.asarray(uv, np.float64)
        x = self.width / 2 + (uv[..., 0] - CENTRE_UV[0]) * self.px_per_unit
        y = self.height / 2 - (uv[..., 1] - CENTRE_UV[1]) * self.px_per_unit
        return np.stack([x, y], axis=-1)

    def to_uv(self, x: float, y: float) -> Array:
        u = CENTRE_UV[0] + (x - self.width / 2) / self.px_per_unit
        v = CENTRE_UV[1] - (y - self.height / 2) / self.px_per_unit
        return np.array([u, v])


def light_at(plane: ChromaticityPlane, x: float, y: float) -> tuple[float, float]:
    """CCT in K and Duv of a point of the widget, held to what a recipe takes."""
    uv = plane.to_uv(x, y)
    cct_K, duv = xy_to_cct(uv_to_xy(uv))
    cct_K = float(np.clip(cct_K, 1500.0, 25_000.0))
    return round(cct_K, 1), round(float(np.clip(duv, -0.03, duv_limit(cct_K))), 5)


@lru_cache
def planckian_uv() -> Array:
    """(n, 2) u', v' along the Planckian locus, 1,500..25,000 K."""
    return xy_to_uv(np.array([cct_to_xy(k) for k in 1e6 / np.linspace(1e6 / 1500.0, 40.0, 120)]))


@lru_cache
def daylight_uv() -> Array:
    """(n, 2) u', v' along the daylight locus, 4,000..25,000 K."""
    return xy_to_uv(np.array([daylight_xy(k) for k in 1e6 / np.linspace(250.0, 40.0, 60)]))


def light_tint(uv: Array) -> QColor:
    """A light's own colour, pale, for a point in the plot."""
    rgb = REC2020_TO_SRGB @ XYZ_TO_REC2020 @ xy_to_XYZ(uv_to_xy(uv))
    rgb = np.clip(rgb / rgb.max(), 0.0, 1.0)
    code = [round(255 * float(v)) for v in encode_sRGB(0.55 * rgb + 0.25 * rgb.mean())]
    return QColor(*code)


class Chromaticity(Instrument):
    """Drag the point: `changing` and `changed` carry (cct_K, duv)."""

    def __init__(self) -> None:
        super().__init__("Light in the u\u2032v\u2032 plane")
        self._reading: LightReading | None = None
        self._balance = LightValue(5500.0, 0.0)
        self._drawn: tuple[LightReading | None, tuple[QSize, float, theme.Theme], QPixmap] | None = None
        self.setToolTip(
            "Drag the ring to the light that should look neutral. Arrow keys move it; Shift moves it further."
        )
        self.setMinimumWidth(360)

    def sizeHint(self) -> QSize:
        return QSize(480, 208)

    def show_reading(self, reading: LightReading | None) -> None:
        self.put(_reading=reading)

    def show_balance(self, balance: LightValue) -> None:
        self.put(_balance=balance)

    def plane(self) -> ChromaticityPlane:
        return ChromaticityPlane(float(self.width()), float(self.height()))

    def balance_point(self) -> QPointF:
        return QPointF(*self.plane().to_px(xy_to_uv(self._balance.xy)))

    def hit(self, x: float, y: float) -> object | None:
        point = self.balance_point()
        return "balance" if np.hypot(point.x() - x, point.y() - y) <= GRAB_PX else None

    def dragged(self, x: float, y: float) -> object | None:
        return light_at(self.plane(), x, y)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if Qt.Key(event.key()) not in moves:
            super().keyPressEvent(event)
            return
        far = 8.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        point = self.balance_point()
        dx, dy = moves[Qt.Key(event.key())]
        self.changed.emit(light_at(self.plane(), point.x() + dx * far, point.y() + dy * far))

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.drawPixmap(0, 0, self._ground(area))
        self._paint_balance(painter)

    def _ground(self, area: QRectF) -> QPixmap:
        """All but the ring, which alone follows the hand: thousands of points are drawn once."""
        ratio = self.devicePixelRatioF()
        state = self.size(), ratio, theme.theme()
        if self._drawn is None or self._drawn[0] is not self._reading or self._drawn[1] != state:
            pixmap = QPixmap(self.size() * ratio)
            pixmap.setDevicePixelRatio(ratio)
            painter = QPainter(pixmap)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setFont(self.font())
            self._paint_ground(painter, area)
            painter.end()
            self._drawn = self._reading, state, pixmap
        return self._drawn[2]

    def _paint_ground(self, painter: QPainter, area: QRectF) -> None:
        plane = self.plane()
        painter.fillRect(area, theme.colour("window"))
        painter.setClipRect(area)
        self._paint_isotherms(painter, plane)
        self._paint_cloud(painter, plane)
        painter.setPen(QPen(theme.colour("text"), 1.4))
        painter.drawPath(_path(plane.to_px(planckian_uv())))
        painter.setPen(QPen(theme.colour("quiet"), 1.2, Qt.PenStyle.DashLine))
        painter.drawPath(_path(plane.to_px(daylight_uv())))
        taken: list[QRectF] = []
        if self._reading:
            self._paint_light(painter, plane, self._reading.as_shot, "camera", "square", taken)
            lights = self._reading.lights.found
            for name, one in zip(("greater", "lesser"), lights if len(lights) > 1 else (), strict=False):
                self._paint_light(painter, plane, one.value, f"{name} light", "diamond", taken)
            if self._reading.measured and len(lights) < 2:
                self._paint_light(painter, plane, self._reading.measured, "measured", "diamond", taken)
        painter.setPen(theme.colour("quiet"))
        corner = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
        painter.drawText(area.adjusted(8, 6, -8, -6), corner, LEGEND)

    def _paint_isotherms(self, painter: QPainter, plane: ChromaticityPlane) -> None:
        painter.setFont(theme.font(theme.SMALL_PX))
        metrics = QFontMetricsF(painter.font())
        for cct_K in ISOTHERMS_K:
            ends = plane.to_px(xy_to_uv(np.array([cct_to_xy(cct_K, d) for d in ISOTHERM_DUV])))
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.drawLine(QPointF(*ends[0]), QPointF(*ends[1]))
            text = kelvin(cct_K)
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(ends[1][0] - metrics.horizontalAdvance(text) - 2, ends[1][1] - 3), text)

    def _paint_cloud(self, painter: QPainter, plane: ChromaticityPlane) -> None:
        if self._reading is None:
            return
        painter.setPen(QPen(theme.colour("text", 46), 1.8))
        points = plane.to_px(self._reading.neutrals_uv)
        painter.drawPoints(QPolygonF([QPointF(x, y) for x, y in points]))

    def _paint_light(
        self, painter: QPainter, plane: ChromaticityPlane, light: LightValue, name: str, shape: str, taken: list[QRectF]
    ) -> None:
        uv = xy_to_uv(light.xy)
        point = QPointF(*plane.to_px(uv))
        painter.setPen(QPen(theme.colour("strong"), 1.4))
        painter.setBrush(light_tint(uv))
        if shape == "square":
            painter.drawRect(QRectF(point.x() - 4, point.y() - 4, 8, 8))
        else:
            x, y = point.x(), point.y()
            painter.drawPolygon(QPolygonF([QPointF(x, y - 6), QPointF(x + 6, y), QPointF(x, y + 6), QPointF(x - 6, y)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._label(painter, point, f"{name} {kelvin(light.cct_K)}", taken)

    def _paint_balance(self, painter: QPainter) -> None:
        point = self.balance_point()
        painter.setPen(QPen(theme.colour("strong"), 2.2))
        painter.drawEllipse(point, 9, 9)
        painter.setPen(QPen(theme.colour("strong"), 1))
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            painter.drawLine(
                QPointF(point.x() + 9 * dx, point.y() + 9 * dy), QPointF(point.x() + 14 * dx, point.y() + 14 * dy)
            )

    def _label(self, painter: QPainter, point: QPointF, text: str, taken: list[QRectF]) -> None:
        """Below the point, or further down when that is taken."""
        metrics = QFontMetricsF(painter.font())
        wide, high = metrics.horizontalAdvance(text), metrics.height()
        box = QRectF(point.x() + 12, point.y() + 10, wide, high)
        box.moveLeft(min(box.left(), self.width() - wide - 6))
        while any(box.intersects(other) for other in taken):
            box.translate(0, high)
        taken.append(box)
        painter.fillRect(box.adjusted(-2, 0, 2, 0), theme.colour("window", 190))
        painter.setPen(theme.colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


def _path(points: Array) -> QPainterPath:
    path = QPainterPath(QPointF(*points[0]))
    for x, y in points[1:]:
        path.lineTo(x, y)
    return path
