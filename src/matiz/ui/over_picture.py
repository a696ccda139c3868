"""Lines, frames and labels over the picture: dark below light, so that they are seen on any ground."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from . import theme

LABEL_PX = 18


def stroked(painter: QPainter, draw: Callable[[], None], *, px: float = 1.2, dashed: bool = False) -> None:
    """Draw something twice: a wide dark line, and the light one on it."""
    style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
    for pen in (QPen(theme.grey(5), px + 1.8), QPen(theme.grey(97), px, style)):
        painter.setPen(pen)
        draw()


def label(
    painter: QPainter,
    text: str,
    at: QPointF,
    side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
    *,
    px: int = theme.SMALL_PX,
    within: float | None = None,
) -> QRectF:
    """A word on a dark ground. side: where `at`, on its upper edge, lies; within: the width that it must stay in."""
    painter.setFont(theme.font(px))
    wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 10
    left = {Qt.AlignmentFlag.AlignRight: at.x() - wide, Qt.AlignmentFlag.AlignHCenter: at.x() - wide / 2}.get(
        side, at.x()
    )
    if within is not None:
        left = min(max(left, 4.0), within - wide - 4.0)
    box = QRectF(left, at.y(), wide, LABEL_PX)
    painter.fillRect(box, theme.grey(10, 220))
    painter.setPen(theme.grey(97))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box


def framed(painter: QPainter, area: QRectF, text: str) -> None:
    """A dashed frame with a label on its upper edge."""
    stroked(painter, lambda: painter.drawRect(area), dashed=True)
    label(painter, text, QPointF(area.left(), area.top() - LABEL_PX))
