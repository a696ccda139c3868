"""Two areas compared and made alike: a place is made from the first that has the correction."""

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from ....colour.types import Array
from ....develop.frame.tiles import Region
from ....measure.colour.match import Match, make_alike
from ....measure.colour.pairs import PairReading, compare, shown_lab
from ....recipe.paths import added
from ....wording import number
from ....work.session import Session
from ...canvas.drag_area import DragArea
from ...canvas.picture_view import PictureView
from ...kit import theme
from ...kit.controls import caption, push
from ...kit.over_picture import framed
from ..page import Page
from .pair_plot import PairPlot

READINGS = (("dE00", "ΔE00", 1, ""), ("dh", "Δh", 1, "°"), ("dC", "ΔC*", 1, ""), ("dL", "ΔL*", 1, ""))


class MatchPage(Page):
    """Drag over A, then over B."""

    title, tip = "Match", "How far apart two areas are, and what makes them match."

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.areas: list[Region] = []
        self.pair: PairReading | None = None
        self.was: PairReading | None = None
        """As they were before the last match."""
        self.tool = DragArea(session, self.put)
        self.plot = PairPlot()
        self.row.addWidget(self.plot, 5)
        column = QVBoxLayout()
        column.setSpacing(8)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addLayout(self._readings())
        column.addLayout(self._buttons())
        column.addStretch(1)
        self.row.addLayout(column, 8)

    def _readings(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(36)
        grid.setVerticalSpacing(0)
        self.values = {}
        for n, (name, label, _, _) in enumerate(READINGS):
            grid.addWidget(caption(f"{label}, B from A"), 0, n)
            value = caption(strong=True, px=theme.VALUE_PX)
            value.setProperty("value", True)
            value.setAccessibleName(f"{label} of B from A")
            grid.addWidget(value, 1, n)
            self.values[name] = value
            before = caption(px=theme.SMALL_PX)
            grid.addWidget(before, 2, n)
            self.values[f"{name} before"] = before
        grid.setColumnStretch(len(READINGS), 1)
        return grid

    def _buttons(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(4)
        self.alike = push("Make A like B")
        self.alike.setToolTip("Add a place around A that brings its colour to that of B")
        self.alike.clicked.connect(lambda: self.make(halfway=False))
        self.middle = push("Meet in the middle")
        self.middle.setToolTip("Add two places: each moves half of the way")
        self.middle.clicked.connect(lambda: self.make(halfway=True))
        self.swap = push("Swap A and B")
        self.swap.setToolTip("Exchange what is changed and what it is matched to")
        self.swap.clicked.connect(self._swap)
        self.again = push("New pair")
        self.again.setToolTip("Forget both areas")
        self.again.clicked.connect(self.forget_areas)
        for button in (self.alike, self.middle, self.swap, self.again):
            line.addWidget(button)
        line.addStretch(1)
        return line

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)

    def forget(self) -> None:
        self.areas, self.pair, self.was = [], None, None
        self.plot.show_clouds([])

    def forget_areas(self) -> None:
        self.forget()
        self.refresh()
        self.view.update()

    def put(self, area: Region) -> None:
        """The next area."""
        if len(self.areas) == 2:
            self.forget()
        self.areas.append(area)
        self.refresh()

    def _swap(self) -> None:
        self.areas.reverse()
        self.refresh()
        self.view.update()

    def refresh(self) -> None:
        engine, recipe, areas = self.session.engine, self.session.recipe, tuple(self.areas)
        if areas and engine is not None:

            def put(clouds: list[Array]) -> None:
                if tuple(self.areas) == areas:
                    self.plot.show_clouds(clouds)
                    self.pair = compare(*clouds) if len(clouds) == 2 else None
                    self._show()

            self.session.do_aside(lambda _: [shown_lab(engine, recipe, area) for area in areas], "compare", put)
        self._show()

    def _show(self) -> None:
        steps = (
            "Drag over an area A in the picture, then over an area B that should look like it: lit rock and lit rock, "
            "sky and sky, cheek and hand.",
            "Now drag over B.",
        )
        is_there = len(self.areas) == 2
        pair = self.pair if is_there else None
        if not is_there:
            self.note.setText(steps[len(self.areas)])
        else:
            told = f"The spread within the areas leaves ΔE ±{number(2.0 * pair.error, 1)}." if pair is not None else "…"
            self.note.setText(told)
        for name, _, decimals, unit in READINGS:
            is_signed = name != "dE00"
            self.values[name].setText(
                number(getattr(pair, name), decimals, unit, signed=is_signed) if pair is not None else "–"
            )
            was = self.was
            self.values[f"{name} before"].setText(
                f"before {number(getattr(was, name), decimals, unit, signed=is_signed)}" if was is not None else ""
            )
        for button in (self.alike, self.middle, self.swap):
            button.setEnabled(is_there and pair is not None)
        self.again.setEnabled(bool(self.areas))

    def make(self, *, halfway: bool) -> None:
        engine, recipe = self.session.engine, self.session.recipe
        if engine is None or len(self.areas) != 2:
            return
        first, second = self.areas

        def put(match: Match) -> None:
            self.was = match.before
            settings = added(self.session.recipe, [("places", place) for place in match.places])
            self.session.commit(settings, "Meet in the middle" if halfway else "A like B")

        self.session.do_aside(lambda _: make_alike(engine, recipe, first, second, halfway=halfway), "match", put)

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        for name, area in zip("AB", self.areas, strict=False):
            framed(painter, view.rect_on_widget(area), name)
        if self.tool.rubber is not None:
            framed(painter, self.tool.rubber, "AB"[len(self.areas) % 2])
