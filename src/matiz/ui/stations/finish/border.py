"""The border of deliveries, painted round the picture."""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from ....develop.stages.border import border_px
from ...canvas.picture_view import PictureView
from ...kit import theme


def paint_border(painter: QPainter, view: PictureView) -> None:
    """The border that deliveries have, round the picture as far as it is seen."""
    engine = view.session.engine
    if engine is None:
        return
    own, size = view.session.recipe.finish.border, engine.size(view.session.recipe)
    wide = border_px(own, size)
    if not wide:
        return
    inner = QRectF(view.to_widget(-0.5, -0.5), view.to_widget(size[0] - 0.5, size[1] - 0.5))
    outer = QRectF(view.to_widget(-wide - 0.5, -wide - 0.5), view.to_widget(size[0] + wide - 0.5, size[1] + wide - 0.5))
    grey = theme.grey(own.tone_L)
    for side in (
        QRectF(outer.left(), outer.top(), outer.width(), inner.top() - outer.top()),
        QRectF(outer.left(), inner.bottom(), outer.width(), outer.bottom() - inner.bottom()),
        QRectF(outer.left(), inner.top(), inner.left() - outer.left(), inner.height()),
        QRectF(inner.right(), inner.top(), outer.right() - inner.right(), inner.height()),
    ):
        painter.fillRect(side, grey)
