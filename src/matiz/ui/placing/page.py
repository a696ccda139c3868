"""What a page of the Places station is: controls of whatever place, and part of its mask, is chosen."""

from typing import Protocol

from PySide6.QtWidgets import QGridLayout, QWidget

from ...recipe.leaves import Leaf
from ...recipe.places import MaskPart, Place
from ...recipe.tree import Section, Table, parts_of
from ..session import Session
from ..tape import Tape


class Chosen(Protocol):
    """What is chosen, and what can be done with it."""

    session: Session

    def place(self) -> Place | None: ...
    def place_path(self) -> str: ...
    def part(self) -> MaskPart | None: ...
    def part_path(self) -> str: ...
    def set_place(self, name: str, value: object, label: str) -> None: ...
    def set_part(self, name: str, value: object, label: str) -> None: ...
    def add_part(self, kind: type[MaskPart], join: str, **values: object) -> None: ...
    def take_part(self, part: MaskPart) -> None: ...
    def remove_part(self, ident: str) -> None: ...
    def choose_part(self, ident: str) -> None: ...


class Page(QWidget):
    """Controls in the deck, shown while its word is chosen."""

    title = ""
    tip = ""

    def __init__(self, chosen: Chosen) -> None:
        super().__init__()
        self.chosen = chosen

    def refresh(self) -> None:
        """Show what the recipe says now."""


def leaf_of(section: type[Section], path: str) -> Leaf:
    """The description of a value of a section, by a dotted path into it."""
    part: object = section
    for name in path.split("."):
        assert isinstance(part, type)
        part = parts_of(part)[name]
    assert not isinstance(part, type | Table)
    return part  # type: ignore[return-value]


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
