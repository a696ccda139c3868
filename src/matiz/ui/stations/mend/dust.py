"""Shadows of dust, walked through one by one."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QVBoxLayout

from ....develop.frame.tiles import Region
from ....develop.graph.engine import Engine
from ....measure.mend.dust import DustReading, Speck, enhanced
from ....recipe.model import Recipe
from ....wording import counted, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.seen_aside import SeenAside
from ...canvas.tools import Tool
from ...kit.controls import caption, push
from ..page import Page
from .dust_plan import OPEN, DustPlan, Mark
from .walk import SpotWalk


class DustPage(Page):
    """The plan of dust and the walk through it; what is missed is repaired on the picture by hand."""

    title, tip = "Dust", "Step through dust spots and heal them"
    shows = ("dust",)

    def __init__(self, session: Session, view: PictureView, tool: Tool) -> None:
        """tool: repairs by hand."""
        super().__init__(session, view)
        self.walk = SpotWalk(
            session, view, self.found, "dust spot", "Not dust", "It belongs to the picture: leave it and go on"
        )
        self.walk.moved.connect(self.refresh_readings)
        self.plan = DustPlan()
        self.plan.changed.connect(self.walk.look_at)
        self.tool = tool
        self.dust_view = SeenAside("dust view")
        self.dust_view.changed.connect(view.update)
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        self.show_dust = push("Show dust", checkable=True)
        self.show_dust.setToolTip("Only detail of the size of dust, amplified")
        self.show_dust.toggled.connect(lambda on: self.dust_view.choose(_as_dust if on else None))
        self.walk.line.addWidget(self.show_dust)
        column.addLayout(self.walk.line)
        self.note = caption()
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        column.addStretch(1)
        return column

    # ---- what a page does

    def enter(self) -> None:
        self.view.take(self.tool)

    def leave(self) -> None:
        self.view.put_away(self.tool)
        self.show_dust.setChecked(False)

    def forget(self) -> None:
        self.walk.forget()
        self.dust_view.forget()
        self.refresh_readings()

    def refresh(self) -> None:
        self.refresh_readings()
        self.view.update()

    def refresh_readings(self) -> None:
        found = self.found()
        picture = self.session.picture
        if found is None or picture is None:
            self.plan.show_marks((), 1.5)
            self.note.setText("")
            return
        width, height = picture.frame.size
        marks = tuple(
            Mark(speck.x / width, speck.y / height, state, n == self.walk.current)
            for n, (speck, state) in enumerate(zip(self.specks(), self.walk.states(), strict=True))
        )
        self.plan.show_marks(marks, width / height)
        self.note.setText(self._progress_text(self.walk.refresh()))

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.dust_view.paint_over(painter, view)

    def is_idle(self) -> bool:
        return self.dust_view.is_idle()

    def end(self) -> None:
        self.dust_view.end()

    # ---- what it tells

    def found(self) -> DustReading | None:
        return self.session.reading.get("dust")

    def specks(self) -> tuple[Speck, ...]:
        """Those that are worth a look."""
        found = self.found()
        return found.specks[: len(found.heals)] if found else ()

    def short_text(self) -> str:
        """How far the walk is, for the route; "" where there is nothing to walk through."""
        states = self.walk.states()
        if not states:
            return ""
        left = states.count(OPEN)
        return f"dust: {len(states) - left} of {len(states)}" if left else "dust looked at"

    def _progress_text(self, left: int) -> str:
        specks = self.specks()
        if 0 <= self.walk.current < len(specks):
            speck = specks[self.walk.current]
            return (
                f"{self.walk.current + 1} of {len(specks)}: takes {percent(speck.depth, 0)} of the light, "
                f"certainty {percent(speck.certainty, 0)}"
            )
        told = f"{counted(left, 'dust spot')} to look at" if left else "no dust spot left"
        return f"{told}. Click a spot or drag along what was missed: it is repaired with the settings of Repair."


def _as_dust(engine: Engine, recipe: Recipe, level: int, region: Region) -> NDArray[np.uint8]:
    """Only what is finer than a sky and coarser than grain, stretched."""
    return enhanced(engine.render(recipe, level, region, result="camera"))
