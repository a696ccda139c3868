"""A choice among the places of the recipe."""

from PySide6.QtWidgets import QComboBox

from ....recipe.model import Recipe
from ....recipe.places import Place


class PlaceBox(QComboBox):
    """Its data are the places' ids; an empty one is none of them."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setToolTip(tip)

    def show_places(self, recipe: Recipe, chosen: str) -> None:
        names = [("", "nothing"), *((ident, place.name or ident) for ident, place in recipe.places.items()
                                    if isinstance(place, Place))]  # fmt: skip
        if [(self.itemData(n), self.itemText(n)) for n in range(self.count())] != names:
            self.clear()
            for ident, name in names:
                self.addItem(name, ident)
        self.setCurrentIndex(max(self.findData(chosen), 0))
