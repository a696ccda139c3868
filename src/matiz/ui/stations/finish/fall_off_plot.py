"""The fall-off along the way from its centre to the farthest corner: lightness gained and lost, in stops, to drag."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from ....develop.places.fall_off import profile
from ....recipe.finish import FallOff
from ....wording import EV
from ...kit import theme
from ...kit.instrument import Instrument

LEFT_PX, RIGHT_PX, TOP_PX, FOOT_PX = 40.0, 14.0, 12.0, 30.0
LOW_EV, HIGH_EV = -3.0, 1.5
GRAB_PX = 12.0


class FallOffPlot(Instrument):
    """`changing` and `changed` carry (name of a field, value)."""

    def __init__(self) -> None:
        super().__init__("Fall-off from the centre to the farthest corner")
        self._own = FallOff()
        self._most_EV: float | None = None
        self.setMinimumWidth(260)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip(
            "Change in stops from the centre, on the left, to the farthest corner. Drag the left "
            "mark for the centre's lift, the middle one for where it begins, the right one for its depth. A dashed "
            "line: deeper would be noticed."
        )

    def sizeHint(self) -> QSize:
        return QSize(340, 170)

    def show_set(self, own: FallOff) -> None:
        self.put(_own=own)

    def show_most(self, most_EV: float | None) -> None:
        """The depth that is just not noticed; None where that is not known."""
        self.put(_most_EV=most_EV)

    def marks(self) -> dict[str, QPointF]:
        """What can be dragged, by the field that it sets."""
        own, plot = self._own, self._plot()
        start = own.start_percent / 100.0
        return {
            "lift_EV": QPointF(plot.left(), self._y(own.lift_EV)),
            "start_percent": QPointF(plot.left() + start * plot.width(), self._y(0.0)),
            "depth_EV": QPointF(plot.right(), self._y(-own.depth_EV)),
        }

    def hit(self, x: float, y: float) -> object | None:
        far = {name: (mark - QPointF(x, y)).manhattanLength() for name, mark in self.marks().items()}
        nearest = min(far, key=lambda name: far[name])
        return nearest if far[nearest] <= 1.6 * GRAB_PX else None

    def dragged(self, x: float, y: float) -> object | None:
        plot = self._plot()
        if self.grabbed == "start_percent":
            share = (x - plot.left()) / plot.width()
            return "start_percent", float(round(min(max(100.0 * share, 0.0), 95.0)))
        stops = HIGH_EV - (y - plot.top()) / plot.height() * (HIGH_EV - LOW_EV)
        if self.grabbed == "lift_EV":
            return "lift_EV", round(min(max(stops, 0.0), HIGH_EV), 2)
        return "depth_EV", round(min(max(-stops, 0.0), -LOW_EV), 2)

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, theme.colour("window"))
        plot = self._plot()
        for stops in range(int(LOW_EV), int(HIGH_EV) + 1):
            painter.setPen(QPen(theme.colour("line"), 1.4 if stops == 0 else 1.0))
            painter.drawLine(QPointF(plot.left(), self._y(stops)), QPointF(plot.right(), self._y(stops)))
            painter.setPen(theme.colour("quiet"))
            box = QRectF(0, self._y(stops) - 8, LEFT_PX - 8, 16)
            text = "EV" if stops == HIGH_EV else EV(stops).replace("\u202fEV", "").replace(".00", "")
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(theme.colour("quiet"))
        foot = QRectF(plot.left(), plot.bottom() + 8, plot.width(), 16)
        side = "corner" if self._own.side == "all" else "edge"
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "centre")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"farthest {side}")
        if self._most_EV is not None and self._most_EV < -LOW_EV:
            painter.setPen(QPen(theme.colour("quiet"), 1.0, Qt.PenStyle.DashLine))
            y = self._y(-self._most_EV)
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
            painter.drawText(QRectF(plot.left() + 6, y + 1, 160, 15), Qt.AlignmentFlag.AlignLeft, "noticed below")
        far = np.linspace(0.0, 1.0, 80)
        along = profile(self._own, far)
        painter.setPen(QPen(theme.colour("strong"), 1.8))
        painter.drawPolyline(
            QPolygonF(
                [
                    QPointF(plot.left() + f * plot.width(), self._y(s))
                    for f, s in zip(far.tolist(), along.tolist(), strict=True)
                ]
            )
        )
        painter.setBrush(theme.colour("strong"))
        painter.setPen(Qt.PenStyle.NoPen)
        for name, mark in self.marks().items():
            size = 6.0 if name == self.grabbed else 4.5
            painter.drawRect(QRectF(mark.x() - size, mark.y() - size, 2 * size, 2 * size))

    def _y(self, stops: float) -> float:
        plot = self._plot()
        return plot.top() + (HIGH_EV - float(stops)) / (HIGH_EV - LOW_EV) * plot.height()

    def _plot(self) -> QRectF:
        return self.area().adjusted(LEFT_PX, TOP_PX, -RIGHT_PX, -FOOT_PX)
