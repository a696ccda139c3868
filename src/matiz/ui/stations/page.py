"""What a page of a station with several is."""

from PySide6.QtCore import QObject
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QWidget

from ...work.session import Session
from ..canvas.picture_view import PictureView


class Page(QObject):
    """An instrument and its controls, shown in the deck while its word is chosen."""

    title = ""
    tip = ""
    shows: tuple[str, ...] = ()
    """Readings that it shows."""

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.body = QWidget()
        self.row = QHBoxLayout(self.body)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(20)

    def enter(self) -> None:
        """The page is shown now."""

    def leave(self) -> None:
        """It is shown no more: tools are put away."""

    def refresh(self) -> None:
        """Show what the recipe says now."""

    def refresh_readings(self) -> None:
        """Show the readings as far as they are there."""

    def forget(self) -> None:
        """Another picture is open, or none."""

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        """Paint over the picture."""

    def is_idle(self) -> bool:
        """Whether nothing is worked out for it."""
        return True

    def end(self) -> None:
        """The window closes: threads end."""
