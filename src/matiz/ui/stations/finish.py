"""Finish: the last touches, which must not be noticed."""

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from ...develop.border import border_px
from ...wording import EV, percent
from .. import theme
from ..finishing.edges import EdgesPage
from ..finishing.light import LightPage
from ..finishing.marks import MarksPage
from ..picture_view import PictureView
from ..session import Session
from .paged import PagedStation


class FinishStation(PagedStation):
    """One page of the deck at a time."""

    number, title, key = 8, "Finish", "finish"
    # the list of places that a fall-off can spare
    reads = frozenset({"finish", "places"})

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.edges, self.light, self.marks = (each(session, view) for each in (EdgesPage, LightPage, MarksPage))
        self.paged((self.edges, self.light, self.marks), "What is finished.")

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        super().paint_over(painter, view)
        paint_border(painter, view)

    def reading_text(self) -> str:
        own = self.session.recipe.finish if self.session.is_open else None
        if own is None:
            return ""
        if own.fall_off.depth_EV:
            return f"edges {EV(-own.fall_off.depth_EV)}"
        return f"glow {percent(own.glow.amount_percent / 100.0, 0)}" if own.glow.amount_percent else ""


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
