"""Measures the open picture behind the hand: what is seen first, each reading as soon as it is there, then findings."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..findings.find import judged, ranked, with_gains
from ..findings.model import Finding
from ..measure.picture import NAMES, PictureReading
from ..recipe.model import Recipe
from ..shoot.open_picture import OpenPicture
from .latest import LatestWorker

PAUSE_S = 0.06
"""Between readings while the hand moves: the picture comes first."""


@dataclass(frozen=True, eq=False)
class WantedReadings:
    """What is to be measured."""

    picture: OpenPicture
    recipe: Recipe
    visible: tuple[str, ...]
    """Readings that are seen now; they come first, and alone while the hand moves."""
    station: str
    """Whose findings come first."""
    moving: bool = False


@dataclass(frozen=True, eq=False)
class Measured:
    """Some readings, and the findings once all are there."""

    readings: dict[str, Any]
    findings: list[Finding] | None = None
    is_last: bool = False


class Measurer(LatestWorker):
    """`answered(Wanted, Measured)`, several times for each request."""

    def __init__(self) -> None:
        self._moved_at = 0.0
        super().__init__(self._measure, "measure", yields=True)

    def _paced(self) -> bool:
        """Wait until the hand's next reading is due; False when a newer one is wanted by then."""
        wait = self._moved_at + PAUSE_S - time.monotonic()
        if wait > 0:
            time.sleep(wait)
        return not self.outdated()

    def _measure(self, wanted: WantedReadings, emit: Callable[[Measured], None]) -> None:
        meter, recipe = wanted.picture.meter, wanted.recipe
        if wanted.moving and not self._paced():
            return
        values: dict[str, Any] = {}
        first = [name for name in NAMES if name in wanted.visible]
        for name in first:
            values[name] = meter.take(recipe, name)
            emit(Measured({name: values[name]}, is_last=wanted.moving and name == first[-1]))
        if wanted.moving:
            self._moved_at = time.monotonic()
            return
        for name in NAMES:
            if self.outdated() or wanted.picture.is_closed:
                return
            if name not in values:
                values[name] = meter.take(recipe, name)
                emit(Measured({name: values[name]}))
        found = judged(PictureReading(values), recipe)
        here = [finding for finding in found if finding.station == wanted.station]
        elsewhere = [finding for finding in found if finding.station != wanted.station]
        engine = wanted.picture.engine
        here = ranked(with_gains(engine, recipe, here))
        emit(Measured({}, [*here, *elsewhere]))
        if not self.outdated():
            emit(Measured({}, ranked([*here, *with_gains(engine, recipe, elsewhere)]), is_last=True))
