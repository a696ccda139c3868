"""Which mask parts two places of the picture best: what is meant is clicked, then what is not."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....proposals.ranked_masks import RankedMask, ranked_masks
from ....recipe.places import Bright, Colour, MaskPart, Saturated
from ....wording import number
from ...canvas.tools import Click, ToolView
from ...kit.controls import caption, push
from ...kit.over_picture import label
from ...kit.rows_list import ListRow, RowsList
from .place_page import Chosen, PlacePage
from .words import NAMES

Point = tuple[float, float]


def ranked_label(ranked: RankedMask) -> str:
    """A candidate in a line."""
    return f"{_named(ranked.part)}   d′ {number(ranked.d_prime, 1)}"


def _named(part: MaskPart) -> str:
    name = NAMES[type(part)]
    match part:
        case Bright():
            return f"{name} {part.channel}, power {number(part.exponent, 0)}"
        case Colour():
            return f"{name}, hue ±{number(part.hue_deg, 0)}°"
        case Saturated():
            return f"{name}, half at chroma {number(part.chroma, 0)}"
    return name


class RankPage(PlacePage):
    """Two clicks, a list with the best first, and one click that takes it."""

    title, tip = (
        "Rank",
        "Click what should be in the mask, then what should not: masks are ranked by how well they separate the two.",
    )

    def __init__(self, chosen: Chosen, to_frame: Callable[[float, float], Point]) -> None:
        super().__init__(chosen)
        self._to_frame = to_frame
        self.clicked: list[Point] = []
        self.at: list[Point] = []
        self.found: list[RankedMask] = []
        self.tool = _TwoClicks(self)
        self.list = RowsList("Masks, best separation first", "Double-click or Return adds a mask.")
        self.list.setDragDropMode(RowsList.DragDropMode.NoDragDrop)
        self.list.itemActivated.connect(lambda _: self.take())
        self.list.chosen.connect(lambda _: self.refresh())
        self.button = push("Add it")
        self.button.setToolTip("Add the chosen mask to the place")
        self.button.clicked.connect(self.take)
        self.again = push("Again")
        self.again.setToolTip("Click two other points")
        self.again.clicked.connect(self.forget)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addWidget(self.list, 3)
        column = QVBoxLayout()
        column.setSpacing(6)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        line = QHBoxLayout()
        line.addWidget(self.button)
        line.addWidget(self.again)
        line.addStretch(1)
        column.addLayout(line)
        column.addStretch(1)
        row.addLayout(column, 4)

    def forget(self) -> None:
        self.clicked, self.at, self.found = [], [], []
        self.refresh()

    def click(self, x: float, y: float) -> None:
        """A place of the picture, px: the first is what is meant, the second what is not."""
        if len(self.clicked) == 2:
            self.forget()
        self.clicked.append(self._to_frame(x, y))
        self.at.append((x, y))
        session, engine = self.chosen.session, self.chosen.session.engine
        if len(self.clicked) == 2 and engine is not None:
            meant, other = self.clicked
            recipe = session.recipe
            session.do_aside(lambda _: ranked_masks(engine, recipe, meant, other), "rank masks", self._show)
        self.refresh()

    def _show(self, found: list[RankedMask]) -> None:
        self.found = found
        self.refresh()
        if not found:
            self.note.setText("No tone, channel or colour separates these two. Click two others, or draw the mask.")

    def take(self) -> None:
        """Put the chosen mask to the place; to a new one where none is chosen."""
        row = max(self.list.currentRow(), 0)
        if row < len(self.found):
            self.chosen.take_part(self.found[row].part)

    def refresh(self) -> None:
        rows = [ListRow(str(n), ranked_label(each)) for n, each in enumerate(self.found)]
        current = self.list.currentRow()
        self.list.show_rows(rows, str(min(max(current, 0), len(rows) - 1)) if rows else "")
        self.button.setEnabled(bool(rows))
        steps = ("Click what should be in the mask.", "Now click what should not be in it.", "Ranking…")
        if not self.found:
            self.note.setText(steps[len(self.clicked)])
        else:
            best = self.found[max(self.list.currentRow(), 0)]
            self.note.setText(
                f"{number(100 * best.meant, 0, '%')} of the mask on the first point, "
                f"{number(100 * best.not_meant, 0, '%')} on the second."
            )


class _TwoClicks(Click):
    """Clicks that are named where they were made."""

    def __init__(self, page: RankPage) -> None:
        super().__init__(page.click)
        self._page = page

    def paint_over(self, painter: QPainter, view: ToolView) -> None:
        for text, at in zip(("meant", "not"), view.to_points(self._page.at), strict=False):
            label(painter, text, at, Qt.AlignmentFlag.AlignHCenter)
