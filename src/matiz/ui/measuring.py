"""Measures the open picture behind the hand: what is seen first, each reading as soon as it is there, then findings."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..findings.find import judged, ranked, with_gains
from ..findings.model import Finding
from ..measure.picture import NAMES, PictureReading
from ..recipe.model import Recipe
from ..shoot.open_picture import OpenPicture
from .worker import LatestWorker


@dataclass(frozen=True, eq=False)
class Wanted:
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
        super().__init__(self._measure, "measure", yields=True)

    def _measure(self, wanted: Wanted, emit: Callable[[Measured], None]) -> None:
        meter, recipe = wanted.picture.meter, wanted.recipe
        values: dict[str, Any] = {}
        first = [name for name in NAMES if name in wanted.visible]
        for name in first:
            values[name] = meter.take(recipe, name)
            emit(Measured({name: values[name]}, is_last=wanted.moving and name == first[-1]))
        if wanted.moving:
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
