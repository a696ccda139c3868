"""The line above the picture: its name and version, a word from Matiz, zoom, the clock."""

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from ...wording import printable
from ...work.session import Session
from ..canvas.viewport import FIT
from ..kit.controls import Elided, caption, name_tip, push

HEIGHT_PX = 36
SAID_FOR_MS = 8000
BUDGET_S = 60
"""An ordinary client picture takes 30 to 60 s. Common practice, no source."""
NAME_SHARE = 0.34
"""Of the header that a name takes at most."""
HINT = "hold Space: before"


class Header(QWidget):
    """Fixed height; says a word for some seconds and then goes back to the hint."""

    zoomAsked = Signal(float)
    triesAsked = Signal()
    commandsAsked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(HEIGHT_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 4)
        row.setSpacing(8)
        self.name = push("")
        self.name.setProperty("flat", "true")
        self.name.setAccessibleName("Picture and version")
        self.name.setToolTip("Versions of this picture")
        self.name.clicked.connect(self._on_versions)
        self.word = Elided()
        self.word.set_whole(HINT)
        self.clock = caption()
        self.clock.setAccessibleName("Time spent on this picture, of its budget")
        row.addWidget(self.name)
        row.addWidget(self.word, 1)
        self.tries = push("tries")
        self.tries.setProperty("flat", "true")
        self.tries.setToolTip("Six alternatives of this picture side by side")
        self.tries.clicked.connect(self.triesAsked)
        row.addWidget(self.tries)
        self.commands = push("commands")
        self.commands.setProperty("flat", "true")
        self.commands.setToolTip("Find a command by typing, see its shortcut, run it (F1)")
        self.commands.clicked.connect(self.commandsAsked)
        row.addWidget(self.commands)
        row.addSpacing(12)
        self._zooms = {}
        for text, zoom in (("fit", FIT), ("1:1", 1.0), ("2:1", 2.0)):
            button = push(text, checkable=True)
            button.setProperty("flat", "true")
            button.setAccessibleName(f"Zoom {text}")
            button.setToolTip({"fit": "The whole picture"}.get(text, f"{text}, picture pixels to screen pixels"))
            button.clicked.connect(lambda _, z=zoom: self.zoomAsked.emit(z))
            self._zooms[zoom] = button
            row.addWidget(button)
        row.addSpacing(12)
        row.addWidget(self.clock)
        self._said = ""
        self._quiet = QTimer(self, singleShot=True, interval=SAID_FOR_MS)
        self._quiet.timeout.connect(self.rest)
        self._tick = QTimer(self, interval=1000)
        self._tick.timeout.connect(self._show_clock)
        self._tick.start()
        session.said.connect(self.say)
        session.pictureOpening.connect(self._on_opening)
        session.pictureOpened.connect(self._on_opened)
        session.pictureFailed.connect(lambda _: self._on_failed())
        session.recipeChanged.connect(lambda _: self._show_name())

    def say(self, text: str) -> None:
        self._said = text
        self._show_word(text)
        self._quiet.start()

    def rest(self) -> None:
        """What was said has been read: the hint again."""
        self._quiet.stop()
        self._show_word(HINT)

    def show_zoom(self, zoom: float) -> None:
        for value, button in self._zooms.items():
            button.setChecked(value == zoom)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_name()

    def end(self) -> None:
        self._tick.stop()
        self._quiet.stop()

    def _show_word(self, text: str) -> None:
        self.word.set_whole(text)

    def _on_opening(self, path: Path) -> None:
        # what was said of the one before says nothing of this one
        self._quiet.stop()
        self._show_word(f"opening {path.name}")

    def _on_opened(self) -> None:
        # what was said of the picture that is opened with it is still to be read
        self._show_word(self._said if self._quiet.isActive() else HINT)
        self._show_clock()

    def _on_failed(self) -> None:
        self._show_name()
        if self.session.path is not None:
            self.name.setText(_for_button(self.session.path.name))
        self.clock.setText("")

    def _show_name(self) -> None:
        picture = self.session.picture
        self.name.setEnabled(picture is not None)
        if picture is not None:
            whole = f"{printable(picture.path.name)}  \u00b7  {self.session.document.current}"
            most = int(NAME_SHARE * self.width())
            shown = self.name.fontMetrics().elidedText(whole, Qt.TextElideMode.ElideMiddle, most)
            self.name.setText(_for_button(shown))
            self.name.setToolTip(name_tip(f"Versions of {picture.path.name}"))

    def _show_clock(self) -> None:
        if self.session.picture is not None:
            spent = int(self.session.seconds())
            self.clock.setText(f"{spent // 60}:{spent % 60:02d} of {BUDGET_S // 60}:{BUDGET_S % 60:02d}")

    def _on_versions(self) -> None:
        menu = QMenu(self)
        for name in self.session.document.versions:
            action = menu.addAction(name, partial(self.session.show_version, name))
            action.setCheckable(True)
            action.setChecked(name == self.session.document.current)
        menu.addSeparator()
        menu.addAction("New version", self.session.new_version)
        menu.popup(self.name.mapToGlobal(self.name.rect().bottomLeft()))


def _for_button(text: str) -> str:
    """A text whose & is no mnemonic."""
    return printable(text).replace("&", "&&")
