"""Fills are made aside: the picture that has them is shown without waiting."""

from collections.abc import Callable
from functools import partial

from ..recipe.change import Settings
from .jobs import Job
from .session_parts import OpenWork


def fill_aside(session: OpenWork, settings: Settings, then: Callable[[], None]) -> Job:
    """Make what the repairs in `settings` fill, and call `then` when it is there."""
    engine, recipe = session.engine, session.recipe
    assert engine is not None

    def fill(job: Job) -> None:
        repairs = recipe.change_all(settings, label="fill")[0].mend.repairs
        engine.sensor.patches.all(partial(engine.sensor.read, 0), engine.frame.size, repairs, job.progress)

    return session.do_aside(fill, "fill", lambda _: then())
