"""The list of places at the right: chosen, named, ordered, doubled, made."""

from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....measure.places.mask_edge import EdgeReading
from ....measure.places.places import PlaceReading
from ....recipe.places import Place
from ....wording import EV, counted, number, percent
from ...kit.controls import caption, push
from ...kit.rows_list import ListRow, RowsList
from ...kit.theme import SIDE_PX
from .words import place_label


class PlaceList(QWidget):
    """Emits what the hand asks for."""

    asked = Signal(str)
    """"new", "double", "same" or "remove"."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(SIDE_PX)
        self.rows = RowsList(
            "Places, in their order",
            "Places, in their order. Drag one, or Shift with up or down, to move it; the box leaves it out; "
            "double-click or F2 to rename it; Delete removes it.",
            has_names=True,
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 8)
        column.setSpacing(6)
        column.addWidget(caption("Places", strong=True))
        column.addWidget(self.rows, 1)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.buttons: dict[str, QPushButton] = {}
        for name, text, tip in (
            ("new", "New place", "Add a place that changes nothing yet; then choose where it is"),
            ("double", "Duplicate", "Duplicate its mask and edits; then lower the strength"),
            ("same", "Same mask", "Add a place that uses the chosen one's mask and follows it"),
            ("remove", "Remove", "Remove the chosen place"),
        ):
            button = self.buttons[name] = push(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, n=name: self.asked.emit(n))
            grid.addWidget(button, (len(self.buttons) - 1) // 2, (len(self.buttons) - 1) % 2)
        column.addLayout(grid)
        self.told: QLabel = caption()
        self.told.setWordWrap(True)
        self.told.setAccessibleName("What the place covers and changes")
        column.addWidget(self.told)

    def show_places(self, places: Mapping[str, Place], chosen: str) -> None:
        rows = [
            ListRow(ident, place_label(place, n), place.active == "on")
            for n, (ident, place) in enumerate(places.items(), 1)
        ]
        self.rows.show_rows(rows, chosen)
        for name in ("double", "same", "remove"):
            self.buttons[name].setEnabled(chosen in places)

    def show_reading(self, reading: PlaceReading | None, edge: EdgeReading | None) -> None:
        self.told.setText(place_note(reading, edge) if reading is not None else "")


def place_note(reading: PlaceReading, edge: EdgeReading | None = None) -> str:
    """What a place holds and changes, and how its mask ends, in four lines."""
    lines = [f"{percent(reading.coverage)} of the picture"]
    if reading.most_dE >= 0.05:
        lines.append(f"inside {EV(reading.inside_EV)}, ΔE {number(reading.inside_dE, 1)}")
        lines.append(f"outside {EV(reading.outside_EV)}, ΔE {number(reading.outside_dE, 1)}")
    else:
        lines.append("It makes no visible change.")
    if edge is not None:
        off = [counted(len(spots), word) for spots, word in ((edge.leaks, "leak"), (edge.gaps, "gap")) if spots]
        lines.append(", ".join([f"edge: {percent(edge.agreement, 0)} along edges in the picture", *off]))
    return "\n".join(lines)
