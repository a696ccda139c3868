"""The place of a finding, lit up in the picture until something else is done."""

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPainterPath, QPolygonF

from ...measure.table.values import Outline
from ..canvas.picture_view import PictureView
from ..kit import theme

MARGIN_PX = 6
"""Around the outline, in logical px: a place must be seen at any zoom."""


class Highlight:
    """An overlay of the picture view: all but the outlines is darkened."""

    def __init__(self) -> None:
        self.outlines: tuple[Outline, ...] = ()
        """In px of the picture; none: nothing is painted."""

    def clear(self) -> None:
        self.outlines = ()

    def toggle(self, outlines: tuple[Outline, ...]) -> None:
        """Light these up, or none when they are lit up already."""
        self.outlines = () if self.outlines == outlines else outlines

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        if not self.outlines:
            return
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(view.rect())
        for outline in self.outlines:
            points = [view.to_widget(x, y) for x, y in outline]
            middle = QPolygonF(points).boundingRect().center()
            inside.addPolygon([point + _outward(point - middle) for point in points])
        painter.fillPath(outside.subtracted(inside), theme.grey(10, 165))


def _outward(from_middle: QPointF) -> QPointF:
    return QPointF(MARGIN_PX if from_middle.x() > 0 else -MARGIN_PX, MARGIN_PX if from_middle.y() > 0 else -MARGIN_PX)
