"""Looks: parts of a recipe laid on the picture at any strength, kept as files and opened from them."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout

from ....colour.difference import delta_E_2000
from ....colour.spaces import sRGB_to_Lab
from ....develop.graph.engine import Engine
from ....errors import MatizError
from ....recipe.change import Settings
from ....recipe.leaves import Number
from ....recipe.looks import Look, look_of, own_looks, read_look
from ....recipe.model import Recipe
from ....wording import number
from ....work.grip import Grip
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit import theme
from ...kit.controls import caption, push
from ...kit.line import Line
from ...kit.rows_list import ListRow, RowsList
from ...kit.tape import Tape
from ..page import Page

STRENGTH = Number("%", 0.0, 200.0, 100.0, 5.0, 0, "How strongly the look is applied.")
LONG_SIDE = 320
"""Of the picture that looks are tried on for how far they change it."""
FILES = "Looks (*.json)"


def differences(engine: Engine, recipe: Recipe, looks: list[Look]) -> list[float]:
    """The mean ΔE00 that each look makes of a picture."""
    level = engine.level_for(recipe, LONG_SIDE)

    def seen(under: Recipe) -> np.ndarray:
        return sRGB_to_Lab(engine.render(under, level, result="small display"))

    now = seen(recipe)
    return [
        float(delta_E_2000(now, seen(recipe.change_all(look.settings(recipe), label="look")[0])).mean())
        for look in looks
    ]


class LooksPage(Page):
    """The list at the left; strength, and files, at the right."""

    title, tip = "Looks", "Saved sets of edits that can be applied to other pictures."

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.looks: list[Look] = []
        """Those that ship are read when the page is first shown: the window's start does not wait for them."""
        self.changes: list[float] = []
        self._tried: object = None
        self._is_shown = False
        session.recipeChanged.connect(lambda _: self._on_settled())
        self._grip = Grip(session)
        self.list = RowsList("Looks, with how far each changes the picture", "Double-click or Return applies it.")
        self.list.setDragDropMode(RowsList.DragDropMode.NoDragDrop)
        self.list.chosen.connect(lambda _: self._show())
        self.list.itemActivated.connect(lambda _: self.lay())
        self.row.addWidget(self.list, 5)
        column = QVBoxLayout()
        column.setSpacing(6)
        self.why = caption()
        self.why.setWordWrap(True)
        self.why.setMinimumHeight(34)
        column.addWidget(self.why)
        line = QHBoxLayout()
        line.setSpacing(14)
        self.strength = Tape("Strength", STRENGTH)
        self.strength.set_value(STRENGTH.default)
        self.strength.valueChanging.connect(lambda _: self._grip.preview(self._settings()))
        self.strength.valueChanged.connect(lambda _: self._grip.commit(self._settings(), self._label()))
        line.addWidget(self.strength, 1)
        column.addLayout(line)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.take = push("Apply")
        self.take.setToolTip("Apply the look's edits; the strength can still be dragged")
        self.take.clicked.connect(self.lay)
        self.open = push("Open a file…")
        self.open.setToolTip("Add a look from a file to the list")
        self.open.clicked.connect(self._open)
        buttons.addWidget(self.take)
        buttons.addWidget(self.open)
        buttons.addStretch(1)
        column.addLayout(buttons)
        kept = QHBoxLayout()
        kept.setSpacing(4)
        self.name = Line(placeholderText="Name")
        self.name.setAccessibleName("Name of the look to save")
        self.name.setMaximumWidth(220)
        self.keep = push("Save as a look…")
        self.keep.setToolTip("Save this picture's edits in Tone and Colour, without exposure, as a file")
        self.keep.clicked.connect(self._keep)
        kept.addWidget(self.name)
        kept.addWidget(self.keep)
        kept.addStretch(1)
        column.addLayout(kept)
        note = caption("For several pictures: select them in Sort, then copy the look to them (Ctrl+Alt+K).",
                       px=theme.SMALL_PX)  # fmt: skip
        note.setWordWrap(True)
        column.addWidget(note)
        column.addStretch(1)
        self.row.addLayout(column, 7)

    def look(self) -> Look | None:
        row = self.list.currentRow()
        return self.looks[row] if 0 <= row < len(self.looks) else None

    def enter(self) -> None:
        self._is_shown = True
        if not self.looks:
            self.looks = own_looks()
        self._try_all()

    def leave(self) -> None:
        self._is_shown = False

    def _on_settled(self) -> None:
        """What looks change is told of the picture as it is now; not while a hand moves."""
        if self._is_shown:
            self._try_all()

    def forget(self) -> None:
        self.changes, self._tried = [], None

    def refresh(self) -> None:
        self._show()
        if self.session.is_open and self._is_shown and not self.changes:
            self._try_all()

    def _show(self) -> None:
        texts = [
            f"{look.name}   ΔE {number(self.changes[n], 1)}" if n < len(self.changes) else look.name
            for n, look in enumerate(self.looks)
        ]
        rows = [
            ListRow(str(n), text, tip=look.why) for n, (text, look) in enumerate(zip(texts, self.looks, strict=True))
        ]
        self.list.show_rows(rows, str(max(self.list.currentRow(), 0)))
        look = self.look()
        self.why.setText(look.why if look is not None else "")
        is_open = self.session.is_open
        for widget in (self.take, self.strength, self.keep):
            widget.setEnabled(is_open)

    def _try_all(self) -> None:
        """How far each look changes the picture as it is now."""
        engine, recipe, looks = self.session.engine, self.session.recipe, list(self.looks)
        if engine is None or self._tried == (recipe, len(looks)):
            return
        self._tried = recipe, len(looks)

        def put(changes: list[float]) -> None:
            self.changes = changes
            self._show()

        self.session.do_aside(lambda _: differences(engine, recipe, looks), "looks", put)

    def _settings(self) -> Settings:
        look = self.look()
        return look.settings(self.session.recipe, self.strength.value() / 100.0) if look is not None else ()

    def _label(self) -> str:
        look = self.look()
        return f"{look.name}, {number(self.strength.value(), 0, '%')}" if look is not None else "Look"

    def lay(self) -> None:
        if self.session.is_open and self.look() is not None:
            self.session.commit(self._settings(), self._label())

    # ---- files

    def _open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.body, "Open a look", "", FILES)
        if path:
            self.open_file(Path(path))

    def open_file(self, path: Path) -> None:
        """Put a look's file to the list, and choose it; what is wrong with it is said."""

        def put(look: Look) -> None:
            self.looks = [*(each for each in self.looks if each.name != look.name), look]
            self.changes, self._tried = [], None
            self._show()
            with QSignalBlocker(self.list):
                self.list.setCurrentRow(len(self.looks) - 1)
            self._show()
            self._try_all()

        self._attempt(lambda: put(read_look(path)))

    def _keep(self) -> None:
        name = self.name.text().strip() or "Look"
        path, _ = QFileDialog.getSaveFileName(self.body, "Save the look", f"{name}.json", FILES)
        if path:
            self.keep_as(Path(path), name)

    def keep_as(self, path: Path, name: str) -> None:
        """Write what is decided here as a look's file, and put it to the list."""

        def write() -> None:
            look_of(self.session.recipe, name).write(path)
            self.session.said.emit(f"{name} is saved in {path.name}.")
            self.open_file(path)

        self._attempt(write)

    def _attempt(self, work: Callable[[], None]) -> None:
        try:
            work()
        except (MatizError, OSError) as error:
            self.session.said.emit(str(error))
