"""The drift of one thing through a set: a bar of ΔE00 for each picture, in the order of the shoot."""

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from ....measure.sort.same import LEAST_dE
from ....wording import number
from ...kit import theme
from ...kit.instrument import Instrument

LEFT_PX, RIGHT_PX, TOP_PX, FOOT_PX = 30.0, 10.0, 10.0, 22.0
LEAST_FULL_dE = 5.0
"""What the plot holds at least."""
MOST_BAR_PX = 22.0


@dataclass(frozen=True)
class DriftBar:
    """One picture."""

    name: str
    dE00: float | None
    """None where the thing is lost."""
    after_dE00: float | None = None
    """Once it is levelled; None where that is not offered."""
    is_anchor: bool = False


class DriftPlot(Instrument):
    """`changed` carries the number of the picture that is chosen, from 0."""

    own_keys = (Qt.Key.Key_Left, Qt.Key.Key_Right)

    def __init__(self) -> None:
        super().__init__("Drift, picture by picture")
        self._bars: tuple[DriftBar, ...] = ()
        self._chosen = -1
        self.setMinimumWidth(220)
        self.setToolTip(
            "ΔE00 from the reference, one bar for each picture; a tick where levelling would bring it, "
            "a cross where it was not found. Click one to open it, or use left and right."
        )

    def sizeHint(self) -> QSize:
        return QSize(320, 150)

    def show_bars(self, bars: Sequence[DriftBar], chosen: int) -> None:
        self.put(_bars=tuple(bars), _chosen=chosen)

    def hit(self, x: float, y: float) -> object | None:
        plot = self._plot()
        n = int((x - plot.left()) // self._pitch()) if self._bars else -1
        return n if 0 <= n < len(self._bars) and y >= plot.top() else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if isinstance(self.grabbed, int):
            self.changed.emit(self.grabbed)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None or not self._bars:
            super().keyPressEvent(event)
            return
        self.changed.emit(min(max(self._chosen + step, 0), len(self._bars) - 1))

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.fillRect(area, theme.colour("window"))
        plot, full = self._plot(), self._full()
        upright = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        for value in (0.0, LEAST_dE, full):
            y = plot.bottom() - value / full * plot.height()
            painter.setPen(
                QPen(theme.colour("line"), 1, Qt.PenStyle.DashLine if value == LEAST_dE else Qt.PenStyle.SolidLine)
            )
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QRectF(area.left(), y - 8, LEFT_PX - 6, 16), upright, number(value, 0))
        pitch = self._pitch()
        wide = min(0.6 * pitch, MOST_BAR_PX)
        for n, bar in enumerate(self._bars):
            x = plot.left() + (n + 0.5) * pitch
            is_chosen = n == self._chosen
            if is_chosen:
                painter.fillRect(QRectF(x - pitch / 2, plot.top(), pitch, plot.height()), theme.colour("raised"))
            painter.setPen(QPen(theme.colour("strong" if is_chosen or bar.is_anchor else "text"), 1.5))
            if bar.is_anchor:
                painter.drawText(QRectF(x - 30, plot.bottom() + 3, 60, 16), Qt.AlignmentFlag.AlignHCenter, "anchor")
                painter.drawLine(QPointF(x, plot.bottom()), QPointF(x, plot.bottom() - 6))
            elif bar.dE00 is None:
                for sign in (1, -1):
                    painter.drawLine(
                        QPointF(x - 3, plot.bottom() - 9 + 3 * sign), QPointF(x + 3, plot.bottom() - 9 - 3 * sign)
                    )
            else:
                height = min(bar.dE00 / full, 1.0) * plot.height()
                painter.fillRect(QRectF(x - wide / 2, plot.bottom() - height, wide, height),
                                 theme.colour("strong" if is_chosen else "quiet"))  # fmt: skip
                if bar.after_dE00 is not None:
                    y = plot.bottom() - bar.after_dE00 / full * plot.height()
                    painter.drawLine(QPointF(x - wide / 2 - 3, y), QPointF(x + wide / 2 + 3, y))

    def _plot(self) -> QRectF:
        return self.area().adjusted(LEFT_PX, TOP_PX, -RIGHT_PX, -FOOT_PX)

    def _pitch(self) -> float:
        return self._plot().width() / max(len(self._bars), 1)

    def _full(self) -> float:
        return max(LEAST_FULL_dE, *(bar.dE00 or 0.0 for bar in self._bars), 0.0)
