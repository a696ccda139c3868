"""What the open picture gives the others of a set: once, or whenever it is decided anew."""

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from ..measure.sort.travel import is_drawn
from ..proposals.given_stations import LEVELLED, MEASURED, OWN, SAME, STATIONS, given_stations
from ..recipe.model import Recipe
from ..recipe.places import Place
from ..wording import counted
from .jobs import Job
from .laying import Laid, LaidMasks, lay_elsewhere, lost_note
from .loop import Timer
from .session import Session
from .signals import Signal

REST_MS = 300
"""After a decision until those that follow hear of it."""
DRAWN_REST_MS = 1500
"""After it until what is drawn is looked for in those that follow: each of them is read for it."""
AT_ONCE_S = 0.004
"""That the window's thread gives before it turns to a hand."""
UNKNOWN = {
    LEVELLED: "the files do not say, or were not read yet", MEASURED: "they have not been measured yet",
}  # fmt: skip
NOBODY = "Select other pictures in Sort first: Ctrl-click or Shift-click."


class Following:
    """Each picture that is given something takes it as one step; while it follows, that step is made anew.

    What is drawn is laid where the same things lie; in what follows, once the hand has rested for a while.
    """

    changed = Signal()

    def __init__(self, session: Session) -> None:
        self.session = session
        self.stations: tuple[str, ...] = STATIONS
        self.exposure = SAME
        self.level_EV: Callable[[Path], float | None] = lambda _: None
        """Gives how light a picture is, as it was measured; None where it was not yet."""
        self.anchor: Path | None = None
        """Whom others follow."""
        self.followers: tuple[Path, ...] = ()
        self._waiting: list[Path] = []
        self._recipe: Recipe | None = None
        self._rest = Timer(self._begin, REST_MS)
        self._turn = Timer(self._some)
        self._masks = LaidMasks()
        self._laying: Job | None = None
        self._looked_for: tuple[dict[str, Place], tuple[Path, ...]] = {}, ()
        """Which places were last, and for whom."""
        self._drawn_rest = Timer(self._look_for_drawn, DRAWN_REST_MS)
        session.recipeChanged.connect(lambda _: self._on_changed())
        session.shootChanged.connect(self.end)

    def give(self, paths: Iterable[Path]) -> int:
        """Give the open picture's decisions to others; how many took something."""
        session, source = self.session, self.session.path
        if source is None:
            return 0
        others = [path for path in paths if path != source]
        label = f"As {source.name}"
        took = [path for path in others if self._one(source, session.recipe, path, label)]
        given = len(took)
        told = f"Edits copied to {counted(given, 'picture')}."
        is_levelled = self.exposure in (LEVELLED, MEASURED)
        unknown = sum(self._differs_EV(source, path) is None for path in others) if is_levelled else 0
        if unknown:
            told += f" {counted(unknown, 'exposure')} left: {UNKNOWN[self.exposure]}."
        session.said.emit(told if others else NOBODY)
        drawn = self._drawn(session.recipe)
        if took and drawn:
            lay_elsewhere(session, drawn, took, lambda laid: self._lay(drawn, laid, label))
        return given

    def _drawn(self, recipe: Recipe) -> dict[str, Place]:
        """Places that are given, with what a hand has drawn."""
        places = recipe.places.items() if "places" in self.stations else ()
        return {name: each for name, each in places if isinstance(each, Place) and is_drawn(each)}

    def _lay(self, drawn: dict[str, Place], laid: Laid, label: str) -> None:
        """Into the step that gave it; what was changed there since stays."""
        session = self.session
        for path, places in laid.items():
            held = session.desk.recipe(path).places
            moved = [
                (f"places.{name}", place) for name, place in places.items() if place and held.get(name) == drawn[name]
            ]
            session.record_for(path, moved, label, anew=True)
        if laid:
            n = sum(any(places.values()) for places in laid.values())
            told = f"Drawn masks were fitted to the same things in {counted(n, 'picture')}." if n else ""
            session.said.emit((told + lost_note(laid)).strip())

    def follow(self, paths: Iterable[Path]) -> None:
        """Keep others in step with the open picture from now on."""
        source = self.session.path
        others = tuple(path for path in paths if path != source)
        if source is None or not others:
            self.session.said.emit(NOBODY)
            self.changed.emit()
            return
        self.anchor, self.followers = source, others
        self.session.said.emit(f"{counted(len(others), 'picture')} in step with {source.name}.")
        self._begin()
        self.changed.emit()

    def end(self) -> None:
        """Nobody follows any more; what was given stays."""
        self._rest.stop()
        self._turn.stop()
        self._stop_looking()
        self._masks = LaidMasks()
        self.anchor, self.followers, self._waiting = None, (), []
        self.changed.emit()

    def is_idle(self) -> bool:
        return not (self._rest.is_active() or self._turn.is_active() or self._drawn_rest.is_active())

    def _on_changed(self) -> None:
        if self.anchor is not None and self.session.path == self.anchor:
            self._rest.start()

    def _begin(self) -> None:
        if self.anchor is None or self.session.path != self.anchor:
            return
        self._recipe, self._waiting = self.session.recipe, list(self.followers)
        self._turn.start()

    def _some(self) -> None:
        """A few at a time: the hand goes on meanwhile."""
        anchor, recipe = self.anchor, self._recipe
        if anchor is None or recipe is None:
            return
        until = time.monotonic() + AT_ONCE_S
        while self._waiting and time.monotonic() < until:
            path = self._waiting.pop(0)
            given = self._masks.in_picture(recipe, path)
            self._one(anchor, given, path, f"In step with {anchor.name}", anew=True)
        if self._waiting:
            self._turn.start()
        elif self._to_look_for(recipe) not in (({}, ()), self._looked_for):
            self._drawn_rest.start()

    def _to_look_for(self, recipe: Recipe) -> tuple[dict[str, Place], tuple[Path, ...]]:
        """What is drawn, by its mask alone, and in which of those that follow it was not found yet."""
        drawn = {name: Place(mask=each.mask) for name, each in self._drawn(recipe).items()}
        paths = self._masks.wanting(drawn, self.followers)
        return (drawn, paths) if paths else ({}, ())

    def _look_for_drawn(self) -> None:
        session = self.session
        if self.anchor is None or session.path != self.anchor:
            return
        drawn, paths = self._to_look_for(session.recipe)

        def keep(laid: Laid) -> None:
            self._masks.keep(drawn, laid)
            if lost := lost_note(laid):
                session.said.emit(lost.strip())
            self._begin()

        self._stop_looking()
        self._looked_for = drawn, paths
        if paths:
            self._laying = lay_elsewhere(session, drawn, paths, keep)

    def _stop_looking(self) -> None:
        self._drawn_rest.stop()
        self._looked_for = {}, ()
        if self._laying is not None:
            self._laying.stop()
            self._laying = None

    def _one(self, source: Path, recipe: Recipe, path: Path, label: str, *, anew: bool = False) -> bool:
        desk = self.session.desk
        differs_EV = self._differs_EV(source, path)
        own = desk.recipe(path)
        if own.start != recipe.start:
            return False  # what a raw file decides says nothing to a rendered picture
        # what cannot be levelled keeps its own: another's would be wrong
        is_levelled = self.exposure in (LEVELLED, MEASURED)
        exposure = OWN if is_levelled and differs_EV is None else self.exposure
        settings = given_stations(recipe, own, self.stations, exposure, differs_EV=differs_EV or 0.0)
        return self.session.record_for(path, settings, label, anew=anew)

    def _differs_EV(self, source: Path, path: Path) -> float | None:
        """How much more light the other frame got, as the files have it or as it is seen; None where neither says."""
        if self.exposure == MEASURED:
            seen, theirs = self.level_EV(source), self.level_EV(path)
            return None if seen is None or theirs is None else theirs - seen
        heard = self.session.desk.catalogue.exposures
        own, other = (heard[each].light_EV if each in heard else None for each in (source, path))
        return None if own is None or other is None else other - own
