"""The primaries: what all reds, greens and blues are made from, turned and moved together."""

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....recipe.colour import Primaries
from ....recipe.tree import parts_of
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit import theme
from ...kit.controls import caption, hold_drags, push, tape_grid
from ..page import Page
from .primaries_plan import CornerMove, PrimariesPlan

TAPES = tuple(
    (f"colour.primaries.{name}_{what}", f"{name.capitalize()} {label}")
    for what, label in (("deg", "turned"), ("chroma", "chroma"))
    for name in ("red", "green", "blue")
)


class PrimariesPage(Page):
    """The triangle at the left, six tapes at the right."""

    title, tip = "Primaries", "The primaries that all colours are mixed from."

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.chosen = "red"
        self.plan = PrimariesPlan()
        hold_drags(self.plan, session, self._moved, "Primaries")
        self.plan.chosen.connect(self.choose)
        self.row.addWidget(self.plan, 4)
        column = QVBoxLayout()
        column.setSpacing(6)
        self.back = push("Reset")
        self.back.setToolTip("Reset all primaries")
        self.back.clicked.connect(self._take_back)
        line = QHBoxLayout()
        line.addWidget(self.back)
        line.addStretch(1)
        column.addLayout(line)
        grid, self.tapes = tape_grid(session, TAPES, 3)
        column.addLayout(grid)
        note = caption("Greys do not change. Small moves are enough: a primary moves every colour mixed from it.",
                       px=theme.SMALL_PX)  # fmt: skip
        note.setWordWrap(True)
        column.addWidget(note)
        column.addStretch(1)
        self.row.addLayout(column, 8)

    def choose(self, name: str) -> None:
        self.chosen = name
        self.refresh()

    def refresh(self) -> None:
        primaries = self.session.recipe.colour.primaries
        self.plan.show_primaries(primaries, self.chosen)
        self.back.setEnabled(primaries != Primaries())

    def _moved(self, move: CornerMove) -> list[tuple[str, Any]]:
        name, turn, factor = move
        return [(f"colour.primaries.{name}_deg", turn), (f"colour.primaries.{name}_chroma", factor)]

    def _take_back(self) -> None:
        plain = Primaries()
        settings = [(f"colour.primaries.{name}", getattr(plain, name)) for name in parts_of(Primaries)]
        self.session.commit(settings, "Primaries reset")
