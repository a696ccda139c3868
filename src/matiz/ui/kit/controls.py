"""Small parts that stations are built from: a row of words to choose from, bound tapes, captions."""

import html
from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from ...recipe.leaves import Number
from ...recipe.model import specs
from ...wording import number, printable
from ...work.grip import Grip
from ...work.session import Session
from ...work.session_parts import Settings
from . import theme
from .instrument import Instrument
from .tape import Ruling, Tape


class Words(QWidget):
    """A few words in a row, one of them chosen."""

    chosen = Signal(str)

    def __init__(self, name: str, words: Iterable[tuple[str, str]], tip: str) -> None:
        """words: (value, shown text). tip: what is chosen here, in a sentence."""
        super().__init__()
        self.setAccessibleName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QPushButton] = {}
        for value, text in words:
            button = push(text, checkable=True)
            button.setAccessibleName(f"{name}: {text}")
            button.setToolTip(f"{name}: {text}. {tip}")
            button.clicked.connect(lambda _, v=value: self.chosen.emit(v))
            self._group.addButton(button)
            self._buttons[value] = button
            row.addWidget(button)
        row.addStretch(1)

    def show_value(self, value: str) -> None:
        """Show what was chosen elsewhere; says nothing back. A value not listed leaves all unchosen."""
        self._group.setExclusive(False)
        for name, button in self._buttons.items():
            button.setChecked(name == value)
        self._group.setExclusive(True)

    def button(self, value: str) -> QPushButton:
        return self._buttons[value]


def push(text: str, *, checkable: bool = False) -> QPushButton:
    """A button that takes focus from the keyboard only, so that a click leaves Space to the picture."""
    button = QPushButton(text)
    button.setCheckable(checkable)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button


def caption(text: str = "", *, strong: bool = False, px: int = theme.TEXT_PX) -> QLabel:
    """A line of text in the chrome's own greys."""
    label = QLabel(text)
    label.setFont(theme.font(px, QFont.Weight.Medium if strong else QFont.Weight.Normal))
    label.setProperty("quiet", not strong)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def name_tip(text: str) -> str:
    """A tool tip that shows a text as it is: Qt would take the name of a file with marks in it for a formatted text,
    and load what that refers to."""
    shown = printable(text)
    return f"<qt>{html.escape(shown)}</qt>" if "<" in shown else shown


class Elided(QLabel):
    """A line that is cut with dots where there is no room, its whole text in the tool tip."""

    def __init__(self) -> None:
        super().__init__()
        self.setFont(theme.font())
        self.setProperty("quiet", True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._whole = ""

    def set_whole(self, text: str) -> None:
        self._whole = printable(text)
        self.setToolTip(name_tip(text))
        self._fit()

    def whole(self) -> str:
        return self._whole

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room = Qt.TextElideMode.ElideRight
        self.setText(QFontMetricsF(self.font()).elidedText(self._whole, room, self.width()))


def tape_for(path: str, label: str, ruling: Ruling | None = None, *, round_to: float = 0.0) -> Tape:
    """The tape of a recipe field."""
    spec = specs()[path]
    assert isinstance(spec, Number)
    return Tape(label, spec, ruling, round_to=round_to)


class Binding(QObject):
    """Ties a tape to a recipe path, both ways. It can be pointed at another path: the same tape then serves the whole
    picture or a place."""

    def __init__(self, tape: Tape, session: Session, path: str, label: Callable[[float], str]) -> None:
        """label: names the step in the history."""
        super().__init__(tape)
        self._tape, self._session, self.path, self._label = tape, session, path, label
        self._grip = Grip(session)
        tape.valueChanging.connect(lambda value: self._grip.preview([(self.path, value)]))
        tape.valueChanged.connect(lambda value: self._grip.commit([(self.path, value)], self._label(value)))
        tape.refused.connect(session.said.emit)
        session.editCancelled.connect(tape.let_go)
        session.pictureClosed.connect(tape.let_go)
        session.recipeChanging.connect(self._on_recipe)
        session.recipeChanged.connect(self._on_recipe)

    def point_at(self, path: str) -> None:
        self.path = path
        self.show_value()

    def show_value(self) -> None:
        self._tape.set_value(self._session.recipe.get(self.path))

    def _on_recipe(self, sections: frozenset[str]) -> None:
        if self.path.partition(".")[0] in sections:
            self.show_value()


def bind(tape: Tape, session: Session, path: str, label: Callable[[float], str]) -> Binding:
    """Tie a tape to a recipe path, both ways. `label` names the step in the history."""
    return Binding(tape, session, path, label)


def chosen_tape(
    session: Session, label: str, spec: Number, path: Callable[[], str], free: Callable[[float], None] | None = None
) -> Tape:
    """A tape of whatever is chosen in a table. path: its recipe path now, "" where nothing is chosen: then `free` hears
    the value that the tape came to rest at."""
    tape, grip = Tape(label, spec), Grip(session)

    def changing(value: float) -> None:
        if path():
            grip.preview([(path(), value)])

    def changed(value: float) -> None:
        if path():
            grip.commit([(path(), value)], label)
        elif free is not None:
            free(value)

    tape.valueChanging.connect(changing)
    tape.valueChanged.connect(changed)
    tape.refused.connect(session.said.emit)
    session.editCancelled.connect(tape.let_go)
    session.pictureClosed.connect(tape.let_go)
    return tape


def hold_drags(
    instrument: Instrument, session: Session, settings: Callable[[Any], Settings], label: str | Callable[[Any], str]
) -> None:
    """Tie what an instrument's drags ask for to the recipe. settings, label: of what `changing` and `changed` carry."""
    grip = Grip(session)
    instrument.changing.connect(lambda value: grip.preview(settings(value)))
    instrument.changed.connect(
        lambda value: grip.commit(settings(value), label if isinstance(label, str) else label(value))
    )
    session.editCancelled.connect(instrument.let_go)
    session.pictureClosed.connect(instrument.let_go)


def tape_grid(session: Session, wanted: Iterable[tuple[str, str]], columns: int) -> tuple[QGridLayout, dict[str, Tape]]:
    """Bound tapes of (path, label) row by row, and each of them by its path."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(16)
    grid.setVerticalSpacing(4)
    tapes: dict[str, Tape] = {}
    for n, (path, label) in enumerate(wanted):
        spec = specs()[path]
        assert isinstance(spec, Number)
        tapes[path] = tape_for(path, label)
        shown = partial(_step_label, label, spec)
        bind(tapes[path], session, path, shown)
        grid.addWidget(tapes[path], n // columns, n % columns)
    return grid, tapes


def grid_of(tapes: dict[str, Tape], columns: int) -> QGridLayout:
    """Tapes row by row."""
    grid = QGridLayout()
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(4)
    for n, tape in enumerate(tapes.values()):
        grid.addWidget(tape, n // columns, n % columns)
    for column in range(columns):
        grid.setColumnStretch(column, 1)
    grid.setRowStretch(len(tapes) // columns + 1, 1)
    return grid


def _step_label(label: str, spec: Number, value: float) -> str:
    return f"{label} {number(value, spec.decimals, spec.unit, signed=spec.low < 0)}"


def choice(session: Session, path: str, name: str, words: Iterable[tuple[str, str]]) -> tuple[QHBoxLayout, Words]:
    """A named row of words tied to a recipe path, both ways. words: (value, shown text)."""
    line = QHBoxLayout()
    line.setSpacing(6)
    line.addWidget(caption(name))
    row = Words(name, words, specs()[path].help)
    row.chosen.connect(lambda value: session.commit([(path, value)], f"{name} {value}"))
    section = path.partition(".")[0]
    session.recipeChanged.connect(lambda names: row.show_value(session.recipe.get(path)) if section in names else None)
    line.addWidget(row)
    line.addStretch(1)
    return line, row
