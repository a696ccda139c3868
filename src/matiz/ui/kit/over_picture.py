"""Lines, frames and labels over the picture: dark below light, so that they are seen on any ground."""

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF

from ...wording import number
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


def paint_contours(painter: QPainter, place: QRectF, lines: Mapping[float, Sequence[np.ndarray]]) -> None:
    """Closed lines (n, 2), in 0..1 of `place`, by their ΔE, the stronger the thicker; the largest of each is named."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for n, (level, each) in enumerate(lines.items()):
        for line in each:
            points = QPolygonF(
                [QPointF(place.left() + u * place.width(), place.top() + v * place.height()) for u, v in line]
            )
            painter.setPen(QPen(theme.grey(5), 2.4 + 0.5 * n))
            painter.drawPolygon(points)
            painter.setPen(QPen(theme.grey(97), 0.9 + 0.5 * n))
            painter.drawPolygon(points)
        if each:
            top = max(each, key=len)
            u, v = top[int(np.argmin(top[:, 1]))]
            at = QPointF(place.left() + u * place.width(), place.top() + v * place.height() + 4)
            label(painter, f"ΔE {number(level, 0)}", at, Qt.AlignmentFlag.AlignLeft)
