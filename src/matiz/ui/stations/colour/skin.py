"""Skin: picked, read, and evened out toward what was picked."""

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ....measure.colour.colour import SkinReading
from ....measure.mend.blemishes import BlemishReading
from ....proposals.skin import reference_of
from ....recipe.colour import NO_SKIN
from ....wording import counted, number, percent
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...canvas.tools import Click
from ...kit.controls import caption, hold_drags, push, tape_grid
from ..mend.walk import SpotWalk
from ..page import Page
from .skin_plot import SkinPlot

TAPES = (("colour.skin.evenness_percent", "Evenness"), ("colour.skin.reach", "Tolerance"))
HALF = 50.0
"""About half is enough; more looks like plastic. Common practice, no source."""


class SkinPage(Page):
    """The plot at the left, readings and tapes at the right."""

    title, tip = "Skin", "How even the skin tones are, and how even they should be."
    shows = ("skin", "blemishes")

    def __init__(self, session: Session, view: PictureView) -> None:
        super().__init__(session, view)
        self.plot = SkinPlot()
        hold_drags(self.plot, session, lambda evenness: [("colour.skin.evenness_percent", evenness)], "Evenness")
        self.tool = Click(self._picked)
        self.row.addWidget(self.plot, 4)
        column = QVBoxLayout()
        column.setSpacing(6)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.pick = push("Pick skin", checkable=True)
        self.pick.setToolTip("Click skin that looks right: its shadows, midtones and highlights become the reference")
        self.pick.toggled.connect(lambda on: (self.view.take if on else self.view.put_away)(self.tool))
        self.half = push("Half")
        self.half.setToolTip("Remove half of the unevenness; more soon looks like plastic")
        self.half.clicked.connect(lambda: session.commit([("colour.skin.evenness_percent", HALF)], "Evenness 50 %"))
        self.drop = push("Forget skin")
        self.drop.setToolTip("Forget the pick")
        self.drop.clicked.connect(
            lambda: session.commit(
                [("colour.skin.reference", NO_SKIN), ("colour.skin.evenness_percent", 0.0)], "Forget skin"
            )
        )
        for button in (self.pick, self.half, self.drop):
            line.addWidget(button)
        line.addStretch(1)
        column.addLayout(line)
        self.walk = SpotWalk(
            session,
            view,
            self._spots,
            "spot",
            "Leave it",
            "It belongs to the face, or is no blemish: leave it and go on",
        )
        self.walk.moved.connect(self.refresh_readings)
        column.addLayout(self.walk.line)
        grid, self.tapes = tape_grid(session, TAPES, 2)
        column.addLayout(grid)
        self.note = caption()
        self.note.setWordWrap(True)
        self.note.setAccessibleName("Skin readings")
        column.addWidget(self.note)
        column.addStretch(1)
        self.row.addLayout(column, 8)

    def leave(self) -> None:
        self.pick.setChecked(False)

    def forget(self) -> None:
        self.walk.forget()

    def refresh(self) -> None:
        skin = self.session.recipe.colour.skin
        is_picked = skin.reference != NO_SKIN
        self.plot.show_skin(skin)
        for widget in (self.half, self.drop, *self.tapes.values()):
            widget.setEnabled(is_picked)
        self.refresh_readings()

    def refresh_readings(self) -> None:
        reading: SkinReading | None = self.session.reading.get("skin")
        self.plot.show_reading(reading)
        left, spots = self.walk.refresh(), self.walk.spots()
        if 0 <= self.walk.current < len(spots):
            self.note.setText(
                f"Spot {self.walk.current + 1} of {len(spots)}, {_blemish_label(self._spots(), self.walk.current)}"
            )
        elif self.session.recipe.colour.skin.reference == NO_SKIN:
            found = f" {counted(left, 'small spot')} on faces to look at." if left else ""
            self.note.setText(f"Pick skin that looks as it should: a cheek in even light.{found}")
        else:
            self.note.setText(skin_note(reading))

    def _spots(self) -> BlemishReading | None:
        return self.session.reading.get("blemishes")

    def _picked(self, x: float, y: float) -> None:
        self.pick.setChecked(False)
        engine, recipe = self.session.engine, self.session.recipe
        if engine is not None:
            self.session.do_aside(
                lambda _: reference_of(engine, recipe, x, y),
                "skin",
                lambda reference: self.session.commit([("colour.skin.reference", reference)], "Skin picked"),
            )


def _blemish_label(found: BlemishReading | None, n: int) -> str:
    if found is None:
        return ""
    spot = found.specks[n]
    how = "redder" if spot.is_red else "darker"
    return (
        f"face {spot.face}: {how} than the skin about it, ΔE {number(spot.dE, 0)}, "
        f"{number(2.0 * spot.r, 0, 'px')} across"
    )


def skin_note(reading: SkinReading | None) -> str:
    """Skin readings, in two lines."""
    if reading is None:
        return "Hardly any such skin in the picture."
    return (
        f"{percent(reading.share)} of the picture   L* {number(reading.L, 0)}   chroma {number(reading.chroma, 0)}   "
        f"hue {number(reading.hue_deg, 0, '°')}\n"
        f"spread: hue ±{number(reading.hue_spread_deg, 1, '°')}, chroma ±{number(reading.chroma_spread, 1)}   "
        f"its reddest tenth is {number(reading.redness_deg, 1, '°')} redder than its middle"
    )
