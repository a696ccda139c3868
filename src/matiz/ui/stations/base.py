"""What a station is to the window."""

from PySide6.QtCore import QObject
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ..picture_view import PictureView
from ..session import Session

DECK_PX = 232


class Station(QObject):
    """One place where one kind of decision is made."""

    number = 0
    title = ""
    key = ""
    """Name in findings and recipe paths."""

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.deck = QWidget()
        self.deck.setFixedHeight(DECK_PX)
        self.deck.setAccessibleName(f"{self.title} deck")
        self.row = QHBoxLayout(self.deck)
        self.row.setContentsMargins(12, 10, 12, 12)
        self.row.setSpacing(20)

    def enter(self) -> None:
        """The station is shown now."""
        self.view.overlays.append(self)

    def leave(self) -> None:
        self.view.overlays.remove(self)

    def reading_text(self) -> str:
        """Its main reading, for the route."""
        return ""

    def is_decided(self) -> bool:
        """True when the recipe differs from the default here."""
        return False

    def is_left_out(self) -> bool:
        """True when the recipe keeps its decisions but does not follow them."""
        return self.session.is_open and not self.session.recipe.is_active(self.key)

    def open_findings(self) -> int:
        return sum(f.station == self.key for f in self.session.findings)

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        """Paint over the picture."""
