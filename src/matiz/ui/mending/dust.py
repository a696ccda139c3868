"""Shadows of dust, walked through one by one."""

from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from ...findings.mend import is_declined, is_healed
from ...measure.dust import DustReading, Speck
from ...recipe.tree import added
from ...wording import counted, percent
from ..controls import caption, push
from ..deck_page import Page
from ..instruments.dust_plan import HEALED, NONE, OPEN, DustPlan, Mark
from ..picture_view import PictureView
from ..session import Session
from ..tools import Tool
from .dust_view import DustView

LOOKED_AT = 1.0
"""Zoom of the walk."""


class DustPage(Page):
    """The plan of dust and the walk through it; what is missed is repaired on the picture by hand."""

    title, tip = "Dust", "Walk through the shadows of dust, and heal them"
    shows = ("dust",)

    def __init__(self, session: Session, view: PictureView, tool: Tool) -> None:
        """tool: repairs by hand."""
        super().__init__(session, view)
        self.plan = DustPlan()
        self.plan.changed.connect(self.look_at)
        self.tool = tool
        self.dust_view = DustView()
        self.dust_view.changed.connect(view.update)
        self._current = -1
        self.row.addWidget(self.plan, 5)
        self.row.addLayout(self._controls(), 6)

    def _controls(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        walk = QHBoxLayout()
        walk.setSpacing(4)
        self.next, self.heal, self.decline = push("Next shadow"), push("Heal it"), push("No dust")
        for button, tip, act in (
            (self.next, "Go to the next shadow of dust, 1:1", self.go_on),
            (self.heal, "Heal the shadow that is looked at, and go on", self.heal_current),
            (self.decline, "It is a thing of the picture: go on", self.decline_current),
        ):
            button.setToolTip(tip)
            button.clicked.connect(act)
            walk.addWidget(button)
        walk.addStretch(1)
        self.show_dust = push("Show dust", checkable=True)
        self.show_dust.setToolTip("Only what is as fine as dust, stretched so that it is seen")
        self.show_dust.toggled.connect(self.dust_view.switch)
        walk.addWidget(self.show_dust)
        column.addLayout(walk)
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
        self._current = -1
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
            Mark(speck.x / width, speck.y / height, self._state(speck, found), n == self._current)
            for n, speck in enumerate(self.specks())
        )
        self.plan.show_marks(marks, width / height)
        left = sum(mark.state == OPEN for mark in marks)
        for button in (self.next, self.heal, self.decline):
            button.setEnabled(bool(left) if button is self.next else self._current >= 0)
        self.note.setText(self._told(left))

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        self.dust_view.paint_over(painter, view)

    def is_idle(self) -> bool:
        return self.dust_view.is_idle()

    def end(self) -> None:
        self.dust_view.end()

    # ---- the walk

    def found(self) -> DustReading | None:
        return self.session.reading.get("dust")

    def specks(self) -> tuple[Speck, ...]:
        """Those that are worth a look."""
        found = self.found()
        return found.specks[: len(found.heals)] if found else ()

    def go_on(self) -> None:
        """The next shadow that is neither healed nor declined."""
        found, specks = self.found(), self.specks()
        if found is None:
            return
        order = [(self._current + 1 + n) % len(specks) for n in range(len(specks))] if specks else []
        left = [n for n in order if self._state(specks[n], found) == OPEN]
        if left:
            self.look_at(left[0])
        else:
            self._current = -1
            self.view.set_zoom(0.0)
            self.session.said.emit(f"All of {counted(len(specks), 'shadow')} looked at.")
            self.refresh_readings()

    def look_at(self, number: int) -> None:
        """Go to a shadow by its number, at 1:1."""
        engine, specks = self.session.engine, self.specks()
        if engine is None or not 0 <= number < len(specks):
            return
        self._current = number
        x, y = engine.mapping(self.view.recipe).to_picture([(specks[number].x, specks[number].y)])[0]
        self.view.look_at(float(x), float(y), LOOKED_AT)
        self.refresh_readings()

    def heal_current(self) -> None:
        found = self.found()
        if found is None or not 0 <= self._current < len(found.heals):
            return
        settings = added(self.session.recipe, [("mend.repairs", found.heals[self._current])])
        self.session.commit(settings, "Dust healed")
        self.go_on()

    def decline_current(self) -> None:
        specks, found = self.specks(), self.found()
        if found is not None and 0 <= self._current < len(specks):
            speck = specks[self._current]
            place = (
                round((speck.x + 0.5) / found.long_side, 6),
                round((speck.y + 0.5) / found.long_side, 6),
            )
            self.session.commit([("mend.no_dust", (*self.session.recipe.mend.no_dust, place))], "No dust")
            self.go_on()

    def _state(self, speck: Speck, found: DustReading) -> str:
        if is_healed(speck, self.session.recipe, found):
            return HEALED
        return NONE if is_declined(speck, self.session.recipe, found) else OPEN

    def told_briefly(self) -> str:
        """How far the walk is, for the route; "" where there is nothing to walk through."""
        found, specks = self.found(), self.specks()
        if found is None or not specks:
            return ""
        left = sum(self._state(speck, found) == OPEN for speck in specks)
        return f"dust: {len(specks) - left} of {len(specks)}" if left else "dust looked at"

    def _told(self, left: int) -> str:
        specks = self.specks()
        if 0 <= self._current < len(specks):
            speck = specks[self._current]
            return (
                f"{self._current + 1} of {len(specks)}: takes {percent(speck.depth, 0)} of the light, "
                f"certainty {percent(speck.certainty, 0)}"
            )
        told = f"{counted(left, 'shadow')} of dust to look at" if left else "no shadow of dust is left"
        return f"{told}. Click a spot or drag along what was missed: it is repaired as the page Repair says."
