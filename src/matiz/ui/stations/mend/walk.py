"""A walk through spots that may have to be healed, one by one: the next, heal it, leave it."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QHBoxLayout

from ....findings.mend import DustSpot, DustSpots, is_declined, is_healed
from ....recipe.paths import added
from ....wording import counted
from ....work.session import Session
from ...canvas.picture_view import PictureView
from ...kit.controls import push
from .dust_plan import HEALED, NONE, OPEN

LOOKED_AT = 1.0
"""Zoom of the walk."""


class SpotWalk(QObject):
    """Where in the walk one is, and its three buttons."""

    moved = Signal()

    def __init__(
        self,
        session: Session,
        view: PictureView,
        found: Callable[[], DustSpots[DustSpot] | None],
        thing: str,
        leave: str,
        tip: str,
    ) -> None:
        """found: the spots, as far as they are read. thing: what one is called; leave, tip: what the button says that
        lets one be."""
        super().__init__()
        self.session, self.view, self.found, self.thing = session, view, found, thing
        self.current = -1
        self.line = QHBoxLayout()
        self.line.setSpacing(4)
        self.next, self.heal, self.decline = push(f"Next {thing}"), push("Heal it"), push(leave)
        for button, told, act in (
            (self.next, f"Go to the next {thing}, at 1:1", self.go_on),
            (self.heal, f"Heal this {thing} and go on", self.heal_current),
            (self.decline, tip, self.decline_current),
        ):
            button.setToolTip(told)
            button.clicked.connect(act)
            self.line.addWidget(button)
        self.line.addStretch(1)

    def spots(self) -> Sequence[DustSpot]:
        """Those that are worth a look."""
        found = self.found()
        return found.specks[: len(found.heals)] if found else ()

    def states(self) -> list[str]:
        """Of each of them."""
        found = self.found()
        return [] if found is None else [self._state(spot, found) for spot in self.spots()]

    def refresh(self) -> int:
        """Which buttons can be pressed; how many are left to look at."""
        left = self.states().count(OPEN)
        self.next.setEnabled(left > 0)
        for button in (self.heal, self.decline):
            button.setEnabled(0 <= self.current < len(self.spots()))
        return left

    def forget(self) -> None:
        self.current = -1

    def go_on(self) -> None:
        """The next one that is neither healed nor left."""
        states = self.states()
        order = [(self.current + 1 + n) % len(states) for n in range(len(states))]
        left = [n for n in order if states[n] == OPEN]
        if left:
            self.look_at(left[0])
        elif states:
            self.current = -1
            self.view.set_zoom(0.0)
            self.session.said.emit(f"All of {counted(len(states), self.thing)} looked at.")
            self.moved.emit()

    def look_at(self, number: int) -> None:
        """Go to one by its number, at 1:1."""
        engine, spots = self.session.engine, self.spots()
        if engine is None or not 0 <= number < len(spots):
            return
        self.current = number
        x, y = engine.mapping(self.view.recipe).to_picture([(spots[number].x, spots[number].y)])[0]
        self.view.look_at(float(x), float(y), LOOKED_AT)
        self.moved.emit()

    def heal_current(self) -> None:
        found = self.found()
        if found is None or not 0 <= self.current < len(found.heals):
            return
        settings = added(self.session.recipe, [("mend.repairs", found.heals[self.current])])
        self.session.commit(settings, f"{self.thing.capitalize()} healed")
        self.go_on()

    def decline_current(self) -> None:
        found, spots = self.found(), self.spots()
        if found is not None and 0 <= self.current < len(spots):
            spot = spots[self.current]
            place = (round((spot.x + 0.5) / found.long_side, 6), round((spot.y + 0.5) / found.long_side, 6))
            no_dust = (*self.session.recipe.mend.no_dust, place)
            self.session.commit([("mend.no_dust", no_dust)], f"{self.thing.capitalize()} left as it is")
            self.go_on()

    def _state(self, spot: DustSpot, found: DustSpots[DustSpot]) -> str:
        if is_healed(spot, self.session.recipe, found):
            return HEALED
        return NONE if is_declined(spot, self.session.recipe, found) else OPEN
