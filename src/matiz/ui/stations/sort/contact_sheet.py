"""The contact sheet: every picture of the shoot from its embedded preview."""

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    Qt,
    Signal,
)
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QListView

from ....work.session import Session
from .sheet_model import SheetModel
from .sheet_order import place_of
from .tiles import CELL, SheetDelegate

SIZES = {"small": 0.66, "middle": 1.0, "large": 1.6}
"""Of tiles, by name, in sizes of CELL."""
OWN_KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown)


class ContactSheet(QListView):
    """Arrows move, Return opens."""

    opened = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sheet = SheetModel(session)
        self.setModel(self.sheet)
        self.tiles = SheetDelegate(self.sheet, self)
        self.setItemDelegate(self.tiles)
        self.words = ""
        """That say which pictures are shown."""
        self._read_of: object = None
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setSpacing(0)
        self.setAccessibleName("Contact sheet")
        self.activated.connect(lambda index: self.opened.emit(index.data(Qt.ItemDataRole.UserRole)))
        session.pictureOpened.connect(self._on_opened)
        session.shootChanged.connect(lambda: self.show_only(""))
        session.shootChanged.connect(self._hear_if_seen)
        session.recipeChanged.connect(lambda _: self._render_if_seen())
        self.sheet.regrouped.connect(lambda: self.show_only(self.words) if self.words.strip() else None)

    def event(self, event: QEvent) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in OWN_KEYS
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def _hear_if_seen(self) -> None:
        if self.isVisible():
            self.sheet.hear_all()

    def _render_if_seen(self) -> None:
        if self.isVisible():
            self.sheet.renderings.begin()

    def current_path(self) -> Path | None:
        """None where it is out of sight: nothing is done to what is not seen."""
        path = self._current()
        return None if path in self.session.desk.catalogue.out_of_sight else path

    def _current(self) -> Path | None:
        index = self.currentIndex()
        return index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None

    def selected_paths(self) -> list[Path]:
        """The selected pictures that are shown, in the order of the shoot."""
        paths = (index.data(Qt.ItemDataRole.UserRole) for index in sorted(self.selectedIndexes()))
        return [path for path in paths if path not in self.session.desk.catalogue.out_of_sight]

    def choose_set(self) -> int:
        """Select all of the set that the current picture is in; how many that are."""
        path = self.current_path()
        found = self.session.desk.catalogue.set_of(path) if path is not None else None
        if found is None:
            return 0
        self.choose_all(found.pictures)
        return len(found.pictures)

    def choose_light(self) -> int:
        """Select all that were taken in the light of the current picture; how many those are."""
        path = self.current_path()
        light = self.tiles.light_of(path) if path is not None else None
        if light is None:
            return 0
        self.choose_all(light.pictures)
        return len(light.pictures)

    def choose_all(self, paths: Iterable[Path]) -> None:
        """Select these, as far as they are in the shoot, and bring the first into view."""
        chosen, pictures = QItemSelection(), self.session.pictures
        indexes = [self.sheet.index(pictures.index(path)) for path in paths if path in pictures]
        for index in indexes:
            chosen.select(index, index)
        self.selectionModel().select(chosen, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        if indexes:
            self.selectionModel().setCurrentIndex(indexes[0], QItemSelectionModel.SelectionFlag.NoUpdate)
            self.scrollTo(indexes[0])

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        # sets and lights are those of the whole shoot, not of what is in view
        self.sheet.hear_all()
        self.sheet.looking.begin()
        self.sheet.renderings.begin()

    def arrange(self, order: str) -> None:
        """Put the pictures of the shoot into an order, a key of ORDERS; those of which nothing is known come last."""
        current, briefs, desk = self.current_path(), self.sheet.looking.briefs, self.session.desk
        self.sheet.beginResetModel()
        own = None if order == "name" else lambda path: place_of(desk.catalogue.seen(path), briefs.get(path), order)
        self.session.desk.catalogue.arrange(own)
        self.sheet.endResetModel()
        self.show_only(self.words)
        if current is not None:
            self.choose(current)

    def show_only(self, words: str) -> int:
        """Show the pictures that meet words, see `shoot.choosing`; how many those are."""
        self.words = words
        if words.strip():
            # what is out of sight is not read by being looked at
            self.sheet.hear_all()
            self._read_documents()
        hidden = self.session.desk.catalogue.show_only(words)
        for row, path in enumerate(self.session.pictures):
            self.setRowHidden(row, path in hidden)
        current = self._current()
        if current in hidden and (near := self._nearest_shown(current)) is not None:
            self.choose(near)
        return len(self.session.pictures) - len(hidden)

    def _read_documents(self) -> None:
        """Of all pictures, once a shoot, aside: a thousand take a second."""
        desk, shoot = self.session.desk, self.session.desk.shoot
        if self._read_of != shoot:
            self._read_of = shoot

            def show(_: object) -> None:
                self.show_only(self.words)

            self.session.do_aside(lambda _: desk.read_all(), "documents", show, of_shoot=True)

    def _nearest_shown(self, path: Path) -> Path | None:
        """The next one that is shown, else the one before."""
        pictures, hidden = self.session.pictures, self.session.desk.catalogue.out_of_sight
        row = pictures.index(path)
        return next((each for each in (*pictures[row:], *pictures[row::-1]) if each not in hidden), None)

    def size_tiles(self, name: str) -> None:
        """Tiles of a size, a key of SIZES."""
        self.tiles.cell = CELL * SIZES[name]
        self.setGridSize(self.tiles.cell)
        index = self.currentIndex()
        if index.isValid():
            self.scrollTo(index)

    def choose(self, path: Path) -> None:
        if path in self.session.pictures:
            self.setCurrentIndex(self.sheet.index(self.session.pictures.index(path)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.current_path():
            self.opened.emit(self.current_path())
        else:
            super().keyPressEvent(event)

    def _on_opened(self) -> None:
        if self.session.path is not None:
            self.choose(self.session.path)
