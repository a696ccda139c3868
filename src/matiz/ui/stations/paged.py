"""A station whose deck shows one page at a time, chosen by a row of words."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout

from ...work.session import Session
from ..canvas.picture_view import PictureView
from ..kit.controls import Words, caption
from .base import Station
from .page import Page


class PagedStation(Station):
    """`paged` is called once, when the pages are made."""

    pages: tuple[Page, ...]
    page: Page

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.note = caption()
        self.note.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def paged(self, pages: tuple[Page, ...], tip: str) -> None:
        """Lay pages into the deck, the first one shown. tip: what is chosen by their words."""
        self.pages, self.page = pages, pages[0]
        self.shows = self.page.shows
        column = QVBoxLayout()
        column.setSpacing(6)
        self.words = Words("Page", [(page.title, page.title) for page in pages], tip)
        self.words.show_value(self.page.title)
        self.words.chosen.connect(self.turn_to)
        line = QHBoxLayout()
        line.addWidget(self.words)
        line.addWidget(self.note)
        column.addLayout(line)
        self._stack = QStackedWidget()
        for page in pages:
            self._stack.addWidget(page.body)
        column.addWidget(self._stack, 1)
        self.row.addLayout(column)

    def turn_to(self, title: str) -> None:
        """Show a page by its title."""
        page = next(page for page in self.pages if page.title == title)
        if page is self.page:
            return
        if self.is_shown:
            self.page.leave()
        self.page, self.shows = page, page.shows
        self.words.show_value(title)
        self.toldAnew.emit()
        self._stack.setCurrentWidget(page.body)
        if self.is_shown:
            # what another page shows need not follow the hand here
            self.session.judging.watch(self.shows, self.key)
            page.enter()
            self.refresh()
            self.refresh_readings()

    def is_idle(self) -> bool:
        return all(page.is_idle() for page in self.pages)

    def end(self) -> None:
        for page in self.pages:
            page.end()

    def enter(self) -> None:
        super().enter()
        self.page.enter()
        self.page.refresh()

    def leave(self) -> None:
        self.page.leave()
        super().leave()

    def refresh(self) -> None:
        self.page.refresh()

    def refresh_readings(self) -> None:
        self.page.refresh_readings()

    def forget(self) -> None:
        for page in self.pages:
            page.forget()

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.page.paint_over(painter, view)
