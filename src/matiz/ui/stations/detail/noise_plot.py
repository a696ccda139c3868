"""Signal over noise in each zone, as it comes and with noise taken out, and the line the noisiest is brought to."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen

from ....measure.tone.tone import ZONES
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

MOST_dB, STEP_dB = 45.0, 10.0
FOOT_PX, LEFT_PX, TOP_PX = 18.0, 24.0, 18.0
GRAB_PX = 8.0


@dataclass(frozen=True)
class NoisePlane:
    """Where decibels and zones lie in a widget, px."""

    left: float
    top: float
    width: float
    height: float

    def y(self, dB: float) -> float:
        return self.top + self.height * (1.0 - min(max(dB, 0.0), MOST_dB) / MOST_dB)

    def dB(self, y: float) -> float:
        return min(max((1.0 - (y - self.top) / self.height) * MOST_dB, 0.0), MOST_dB)

    def bar(self, n: int, count: int) -> tuple[float, float]:
        """Left side and width of one of several bars."""
        step = self.width / count
        return self.left + (n + 0.15) * step, 0.7 * step


class NoisePlot(Instrument):
    """`changing` and `changed` carry the decibels that the line is dragged to."""

    own_keys = (Qt.Key.Key_Up, Qt.Key.Key_Down)

    def __init__(self) -> None:
        super().__init__("Signal-to-noise by zone")
        self._zones: tuple[tuple[int, float, float], ...] = ()
        self._wanted_dB = 0.0
        self.setMinimumWidth(150)
        self.setToolTip(
            "Signal-to-noise of a pixel in each zone: filled as recorded, lifts included, outlined with noise "
            "reduction. Drag the line: noise is reduced until the noisiest zone reaches it. "
            "Keys: Up and Down, Shift for more."
        )

    def show_zones(self, zones: tuple[tuple[int, float, float], ...]) -> None:
        """zones: each with its decibels as it comes, and with what is taken out now."""
        held = min((now for _, _, now in zones), default=0.0)
        self.put(_zones=zones, **({} if self.grabbed is not None else {"_wanted_dB": held}))

    def plane(self) -> NoisePlane:
        area = self.area()
        return NoisePlane(
            area.left() + LEFT_PX, area.top() + TOP_PX, max(area.width() - LEFT_PX - 4.0, 1.0),
            max(area.height() - TOP_PX - FOOT_PX, 1.0),
        )  # fmt: skip

    def line_y(self) -> float:
        """Where the line lies."""
        return self.plane().y(self._wanted_dB)

    def hit(self, x: float, y: float) -> object | None:
        return "line" if self._zones and abs(y - self.line_y()) <= GRAB_PX else None

    def dragged(self, x: float, y: float) -> object | None:
        self.put(_wanted_dB=self.plane().dB(y))
        return self._wanted_dB

    def keyPressEvent(self, event: QKeyEvent) -> None:
        far = 3.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if self._zones and event.key() in self.own_keys:
            self.changed.emit(self._wanted_dB + (far if event.key() == Qt.Key.Key_Up else -far))
        else:
            super().keyPressEvent(event)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        plane = self.plane()
        painter.setPen(theme.colour("quiet"))
        for line_dB in range(0, int(MOST_dB) + 1, int(STEP_dB)):
            y = plane.y(line_dB)
            painter.drawText(QRectF(area.left(), y - 8, LEFT_PX - 5, 16), _RIGHT, f"{line_dB}")
        head = QRectF(area.left() + 5, area.top(), area.width() - 9, TOP_PX)
        painter.drawText(head, _LEFT, "signal to noise")
        for n, (zone, dB, now_dB) in enumerate(self._zones):
            x, wide = plane.bar(n, len(self._zones))
            foot, y = plane.top + plane.height, plane.y(dB)
            painter.fillRect(QRectF(x, y, wide, foot - y), theme.colour("quiet"))
            if now_dB - dB >= 0.1:
                painter.setPen(QPen(theme.colour("text"), 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                after = plane.y(now_dB)
                painter.drawRect(QRectF(x, after, wide, foot - after))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QRectF(x - 6, area.bottom() - FOOT_PX, wide + 12, FOOT_PX), _MIDDLE, ZONES[zone])
        if self._zones:
            painter.setPen(theme.colour("strong"))
            painter.drawText(head, _RIGHT, number(self._wanted_dB, 0, "dB"))
            self._paint_line(painter, plane)

    def _paint_line(self, painter: QPainter, plane: NoisePlane) -> None:
        y = self.line_y()
        is_held = self.grabbed is not None or self.hasFocus()
        painter.setPen(QPen(theme.colour("strong"), 2.0 if is_held else 1.2))
        painter.drawLine(QPointF(plane.left, y), QPointF(plane.left + plane.width, y))


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_MIDDLE = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter
