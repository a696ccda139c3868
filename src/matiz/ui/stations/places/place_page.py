"""What a page of the Places station is: controls of whatever place, and part of its mask, is chosen."""

from typing import Protocol

from PySide6.QtWidgets import QWidget

from ....recipe.places import MaskPart, Place
from ....work.session import Session


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


class PlacePage(QWidget):
    """Controls in the deck, shown while its word is chosen."""

    title = ""
    tip = ""
    shows: tuple[str, ...] = ()
    """Readings that it shows, beside that of the places."""

    def __init__(self, chosen: Chosen) -> None:
        super().__init__()
        self.chosen = chosen

    def refresh(self) -> None:
        """Show what the recipe says now."""

    def refresh_readings(self) -> None:
        """Show what is measured, as far as it is there."""
