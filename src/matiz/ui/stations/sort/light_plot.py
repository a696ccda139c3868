"""The light through the pictures of one light, by time: what was measured, and what each is balanced for."""

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from ....shoot.one_light import OneLight
from ....wording import kelvin, number
from ...kit import theme
from ...kit.instrument import Instrument

LEFT_PX, RIGHT_PX, TOP_PX, FOOT_PX = 48.0, 12.0, 8.0, 18.0
LEAST_MIRED = 60.0
"""What the plot is high at least."""
GRAB_PX = 7.0
TICK_PX, DOT_PX = 6.0, 3.0
STEP_MIRED, FAR_MIRED = 1.0, 10.0
"""Of a key, alone and with Shift."""


@dataclass(frozen=True)
class LightAxes:
    """Where minutes and mired lie in a widget, px; warmer, more mired, is up."""

    plot: QRectF
    minutes: float
    low_mired: float
    high_mired: float

    @staticmethod
    def of(light: OneLight, plot: QRectF) -> "LightAxes":
        known = np.concatenate([light.measured_mired, light.balance_mired])
        known = known[np.isfinite(known)]
        low, high = (float(known.min()), float(known.max())) if len(known) else (150.0, 250.0)
        room = max(0.12 * (high - low), (LEAST_MIRED - (high - low)) / 2.0)
        return LightAxes(plot, max(float(light.minutes[-1]), 1e-6), low - room, high + room)

    def x(self, minutes: float) -> float:
        return self.plot.left() + self.plot.width() * minutes / self.minutes

    def y(self, mired: float) -> float:
        return self.plot.bottom() - self.plot.height() * (mired - self.low_mired) / (self.high_mired - self.low_mired)

    def mired(self, y: float) -> float:
        share = (self.plot.bottom() - y) / self.plot.height()
        return self.low_mired + share * (self.high_mired - self.low_mired)


class LightPlot(Instrument):
    """`changing` and `changed` carry (number of the picture, mired it is balanced for, or None where it is only
    chosen)."""

    own_keys = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)

    def __init__(self) -> None:
        super().__init__("The light by time")
        self._light: OneLight | None = None
        self._axes: LightAxes | None = None
        self._chosen = -1
        self._held: tuple[int, float] | None = None
        self.setMinimumWidth(220)
        self.setToolTip(
            "The pictures taken in one light, by time: dots are the measured light, ticks the balance of each, "
            "the line "
            "the trend of the light. Click a dot to select its picture, drag a tick to change its balance. "
            "Keys: left and right choose, up and down balance, Shift for more."
        )

    def sizeHint(self) -> QSize:
        return QSize(320, 100)

    def show_light(self, light: OneLight | None, chosen: int) -> None:
        """chosen: number of the picture that is chosen in it."""
        self._light, self._chosen = light, chosen
        self.update()

    def mired_of(self, n: int) -> float:
        """What a picture is balanced for, as it is shown."""
        assert self._light is not None
        return self._held[1] if self._held is not None and self._held[0] == n else float(self._light.balance_mired[n])

    def axes(self) -> LightAxes | None:
        if self._light is None:
            return None
        if self.grabbed is not None and self._axes is not None:
            return self._axes  # it holds still under the hand
        self._axes = LightAxes.of(self._light, self.area().adjusted(LEFT_PX, TOP_PX, -RIGHT_PX, -FOOT_PX))
        return self._axes

    def hit(self, x: float, y: float) -> object | None:
        axes, light = self.axes(), self._light
        if axes is None or light is None:
            return None
        away = [abs(axes.x(minutes) - x) for minutes in light.minutes]
        n = int(np.argmin(away))
        if away[n] > 2.0 * GRAB_PX:
            return None
        mired = light.balance_mired[n]
        is_tick = np.isfinite(mired) and abs(axes.y(float(mired)) - y) <= GRAB_PX
        return ("balance" if is_tick else "picture", n)

    def dragged(self, x: float, y: float) -> object | None:
        axes = self.axes()
        assert axes is not None and isinstance(self.grabbed, tuple)
        what, n = self.grabbed
        if what != "balance":
            return None
        self._held = (n, axes.mired(y))
        self.update()
        return self._held

    def let_go(self) -> None:
        self._held = None
        super().let_go()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if isinstance(self.grabbed, tuple):
            self.changed.emit((self.grabbed[1], None))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        self._held = None
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, light = event.key(), self._light
        if light is None or key not in self.own_keys:
            super().keyPressEvent(event)
            return
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self.changed.emit((min(max(self._chosen + step, 0), len(light.pictures) - 1), None))
        elif self._chosen >= 0 and np.isfinite(light.balance_mired[self._chosen]):
            far = FAR_MIRED if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else STEP_MIRED
            now = float(light.balance_mired[self._chosen])
            self.changed.emit((self._chosen, now + (far if key == Qt.Key.Key_Up else -far)))

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        axes, light = self.axes(), self._light
        if axes is None or light is None:
            painter.setPen(theme.colour("quiet"))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "light not known yet")
            return
        plot = axes.plot
        painter.setPen(theme.colour("quiet"))
        for mired, y in ((axes.high_mired, plot.top()), (axes.low_mired, plot.bottom())):
            painter.drawText(QRectF(area.left(), y - 8, LEFT_PX - 6, 16), _RIGHT, kelvin(1e6 / mired))
        words = f"{number(len(light.pictures), 0)} in one light, {number(axes.minutes, 0, 'min')}"
        painter.drawText(QRectF(plot.left(), plot.bottom() + 2, plot.width(), FOOT_PX - 2), _LEFT, words)
        trend = light.trend_mired()
        if trend is not None:
            painter.setPen(QPen(theme.colour("line"), 1.5))
            line = [QPointF(axes.x(m), axes.y(v)) for m, v in zip(light.minutes, trend, strict=True)]
            painter.drawPolyline(QPolygonF(line))
        for n, minutes in enumerate(light.minutes):
            x, measured, balance = axes.x(minutes), light.measured_mired[n], self.mired_of(n)
            is_chosen = n == self._chosen
            if is_chosen:
                painter.setPen(QPen(theme.colour("line"), 1))
                painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()))
            if np.isfinite(measured):
                painter.setPen(QPen(theme.colour("quiet"), 1.2))
                painter.setBrush(theme.colour("window"))
                painter.drawEllipse(QPointF(x, axes.y(float(measured))), DOT_PX, DOT_PX)
            if np.isfinite(balance):
                painter.setPen(QPen(theme.colour("strong" if is_chosen else "text"), 2.4 if is_chosen else 1.6))
                painter.drawLine(QPointF(x - TICK_PX, axes.y(balance)), QPointF(x + TICK_PX, axes.y(balance)))


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
