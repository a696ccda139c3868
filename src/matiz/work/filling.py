"""Fills are made aside: the picture that has them is shown without waiting."""

from collections.abc import Callable
from functools import partial
from typing import Any, Protocol

from ..develop.graph.engine import Engine
from ..recipe.change import Settings
from ..recipe.model import Recipe
from .jobs import Job


class FillWork(Protocol):
    """Whose picture is filled: the session."""

    @property
    def engine(self) -> Engine | None: ...
    @property
    def recipe(self) -> Recipe: ...
    def do_aside(self, work: Callable[[Job], Any], name: str, then: Callable[[Any], None]) -> Job: ...


def fill_aside(session: FillWork, settings: Settings, then: Callable[[], None]) -> Job:
    """Make what the repairs in `settings` fill, and call `then` when it is there."""
    engine, recipe = session.engine, session.recipe
    assert engine is not None

    def fill(job: Job) -> None:
        repairs = recipe.change_all(settings, label="fill")[0].mend.repairs
        engine.sensor.patches.all(partial(engine.sensor.read, 0), engine.frame.size, repairs, job.progress)

    return session.do_aside(fill, "fill", lambda _: then())
