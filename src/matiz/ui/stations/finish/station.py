"""Finish: the last touches, which must not be noticed."""

from PySide6.QtGui import QPainter

from ....wording import EV, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ..paged import PagedStation
from .behind import BehindPage
from .border import paint_border
from .edges import EdgesPage
from .light import GlowPage
from .marks import MarksPage


class FinishStation(PagedStation):
    """One page of the deck at a time."""

    number, title, key = 8, "Finish", "finish"
    # the list of places that a fall-off can spare
    reads = frozenset({"finish", "places"})
    wants_subject = True

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.edges, self.light, self.marks = (each(session, view) for each in (EdgesPage, GlowPage, MarksPage))
        self.behind = BehindPage(session, view)
        self.paged((self.edges, self.behind, self.light, self.marks), "Controls of Finish.")

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
