"""The plan of the frame: where shadows of dust may lie, which are healed, and which one is looked at."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from ...kit import theme
from ...kit.instrument import Instrument

OPEN, HEALED, NONE = "open", "healed", "no dust"
REACH_PX = 14.0


@dataclass(frozen=True)
class Mark:
    """A shadow by its place in the frame, 0..1 across and down."""

    x: float
    y: float
    state: str
    is_current: bool


class DustPlan(Instrument):
    """`changed` carries the number of the mark that was clicked."""

    def __init__(self) -> None:
        super().__init__("Dust spots in the frame")
        self._marks: tuple[Mark, ...] = ()
        self._ratio = 1.5
        self.setMinimumWidth(220)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip(
            "Where dust was found: a ring is open, a disc is healed, a cross is not dust. Click one to look at it "
            "at 1:1."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, 180)

    def show_marks(self, marks: tuple[Mark, ...], ratio: float) -> None:
        """ratio: width over height of the frame."""
        self.put(_marks=marks, _ratio=ratio)

    def hit(self, x: float, y: float) -> object | None:
        near = [(self._at(mark) - QPointF(x, y), n) for n, mark in enumerate(self._marks)]
        best = min(((off.x() ** 2 + off.y() ** 2, n) for off, n in near), default=None)
        return best[1] if best is not None and best[0] <= REACH_PX**2 else None

    def dragged(self, x: float, y: float) -> object | None:
        return None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.grabbed is not None:
            self.changed.emit(self.grabbed)
        self.let_go()

    def paint(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, theme.colour("window"))
        painter.fillRect(self._frame(), theme.colour("panel"))
        for mark in self._marks:
            at = self._at(mark)
            painter.setPen(QPen(theme.colour("text"), 1.4))
            painter.setBrush(theme.colour("text") if mark.state == HEALED else Qt.BrushStyle.NoBrush)
            if mark.state == NONE:
                painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
                painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
            else:
                painter.drawEllipse(at, 4.5, 4.5)
            if mark.is_current:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.colour("strong"), 1.4))
                painter.drawRect(QRectF(at.x() - 9, at.y() - 9, 18, 18))
        painter.setPen(theme.colour("quiet"))
        if not self._marks:
            painter.drawText(self._frame(), Qt.AlignmentFlag.AlignCenter, "no dust found")

    def _frame(self) -> QRectF:
        inner = self.area().adjusted(12, 10, -12, -10)
        width = min(inner.width(), inner.height() * self._ratio)
        height = width / self._ratio
        return QRectF(inner.center().x() - width / 2, inner.center().y() - height / 2, width, height)

    def _at(self, mark: Mark) -> QPointF:
        frame = self._frame()
        return QPointF(frame.left() + mark.x * frame.width(), frame.top() + mark.y * frame.height())
