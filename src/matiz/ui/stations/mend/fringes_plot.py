"""The fringe plot: how far from green red and blue lie, from the middle of the picture to its corner."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from ....measure.mend.fringes import FringeReading
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

LEFT_PX, RIGHT_PX, EDGE_PX = 44, 62, 14
LEAST_SPAN_PX = 2.0
GRAB_PX = 10.0
LINES = {"r": ("red", Qt.PenStyle.SolidLine), "b": ("blue", Qt.PenStyle.DashLine)}


def span(*values: float) -> float:
    """Px of the picture from the middle of the plot to its upper end: whole, and no less than two."""
    return max(LEAST_SPAN_PX, float(-(-max(abs(v) for v in values) * 1.1 // 1)))


def height_of(value: float, height: float, reach: float) -> float:
    """Where on a plot `height` px high a shift lies; outward is up."""
    return height * (0.5 - 0.5 * value / reach)


def value_at(y: float, height: float, reach: float) -> float:
    return (0.5 - y / height) * 2.0 * reach


class FringePlot(Instrument):
    """`changing` and `changed` carry (colour, px): "r" or "b", and the shift at the corner."""

    def __init__(self) -> None:
        super().__init__("Fringes")
        self._set = {"r": 0.0, "b": 0.0}
        self._measured: FringeReading | None = None
        self.setMinimumWidth(220)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip(
            "How much further out than green the lens drew red and blue, from the centre to the corner. "
            "Thin: measured in the picture. Thick: the correction; drag its end."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 208)

    def show_set(self, red_px: float, blue_px: float) -> None:
        self._set = {"r": red_px, "b": blue_px}
        self.update()

    def show_reading(self, reading: FringeReading | None) -> None:
        self._measured = reading
        self.update()

    def hit(self, x: float, y: float) -> object | None:
        near = [(abs(self._end(c).y() - y), c) for c in LINES if abs(self._end(c).x() - x) <= GRAB_PX]
        return min(near)[1] if near and min(near)[0] <= GRAB_PX else None

    def dragged(self, x: float, y: float) -> object | None:
        plot = self._plot()
        value = value_at(y - plot.top(), plot.height(), self._reach())
        return self.grabbed, round(min(max(value, -10.0), 10.0), 2)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        plot, reach = self._plot(), self._reach()
        for value in (-reach, -reach / 2, 0.0, reach / 2, reach):
            y = plot.top() + height_of(value, plot.height(), reach)
            painter.setPen(QPen(theme.colour("quiet" if value == 0 else "line"), 1))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.setPen(theme.colour("quiet"))
            place = QRectF(area.left(), y - 8, LEFT_PX - 6, 16)
            painter.drawText(
                place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, number(value, 1, signed=True)
            )
        measured = self._measured
        ends = {"r": measured.red_px, "b": measured.blue_px} if measured else {}
        for colour, (name, style) in LINES.items():
            if colour in ends:
                y = plot.top() + height_of(ends[colour], plot.height(), reach)
                painter.setPen(QPen(theme.CHANNELS[colour], 1, style))
                painter.drawLine(self._start(), QPointF(plot.right(), y))
            end = self._end(colour)
            painter.setPen(QPen(theme.CHANNELS[colour], 2.4, style))
            painter.drawLine(self._start(), end)
            painter.setBrush(theme.colour("window"))
            painter.setPen(QPen(theme.CHANNELS[colour], 1.8))
            painter.drawEllipse(end, 4.5, 4.5)
            painter.setPen(theme.colour("text"))
            painter.drawText(self._label(colour), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(theme.colour("quiet"))
        below = QRectF(plot.left(), area.bottom() - 16, plot.width(), 14)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, "middle")
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, "corner, px outward")

    def _plot(self) -> QRectF:
        return self.area().adjusted(LEFT_PX, EDGE_PX, -RIGHT_PX, -EDGE_PX - 12)

    def _reach(self) -> float:
        measured = (self._measured.red_px, self._measured.blue_px) if self._measured else ()
        return span(*self._set.values(), *measured)

    def _start(self) -> QPointF:
        return QPointF(self._plot().left(), self._plot().center().y())

    def _end(self, colour: str) -> QPointF:
        plot = self._plot()
        return QPointF(plot.right(), plot.top() + height_of(self._set[colour], plot.height(), self._reach()))

    def _label(self, colour: str) -> QRectF:
        """Beside the end of the line; the two names never cover each other."""
        red, blue = self._end("r").y(), self._end("b").y()
        push = max(0.0, 15.0 - abs(red - blue)) / 2
        upper = colour == ("r" if red <= blue else "b")
        y = self._end(colour).y() + (-push if upper else push)
        return QRectF(self._plot().right() + 10, y - 8, RIGHT_PX - 10, 16)
