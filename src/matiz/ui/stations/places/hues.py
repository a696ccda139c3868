"""The hue pegs of a place, as Colour has them for the whole picture."""

from PySide6.QtWidgets import QVBoxLayout

from ..colour.hues import HuesPage
from .place_page import Chosen, PlacePage


class PlaceHues(PlacePage):
    """Colour's own page, pointed at the chosen place."""

    title, tip = "Hues", "Pegs that shift colours there."
    shows = HuesPage.shows

    def __init__(self, chosen: Chosen, pegs: HuesPage) -> None:
        super().__init__(chosen)
        self.pegs = pegs
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(pegs.body)

    def refresh(self) -> None:
        self.pegs.refresh()

    def refresh_readings(self) -> None:
        self.pegs.refresh_readings()

    def leave(self) -> None:
        """Its tool is put away."""
        self.pegs.leave()
