"""What is drawn in the open picture, laid where the same things lie in others: aside, since each of them is read."""

from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from pathlib import Path

from ..develop.engine import LITTLE_CACHE, Engine
from ..errors import MatizError
from ..measure.travel import DrawnPlace
from ..recipe.places import Place
from ..wording import number
from .jobs import Job
from .session import Session

Laid = dict[Path, dict[str, Place | None]]
"""Of each picture that can be read: each place as it lies there; None where what it is drawn on is not found again."""


def lay_elsewhere(
    session: Session, places: Mapping[str, Place], paths: Iterable[Path], then: Callable[[Laid], None]
) -> None:
    """places: of the open picture, drawn, by any names. then: is called in the window's thread."""
    engine, decoder, recipe = session.engine, session.decoder, session.recipe
    theirs = {path: session.desk.recipe(path) for path in paths}

    def laid(job: Job) -> Laid:
        drawn = {name: DrawnPlace(place, engine, recipe) for name, place in places.items()}
        out: Laid = {}
        for n, (path, under) in enumerate(theirs.items()):
            with suppress(MatizError):  # what cannot be read takes nothing
                there = Engine(decoder.frame(path, lambda: not job.is_stopped), cache_bytes=LITTLE_CACHE)
                out[path] = {name: each.laid(there, under) for name, each in drawn.items()}
            if not job.progress((n + 1) / len(theirs)):
                break
        return out

    session.do_aside(laid, "lay what is drawn on others", then, of_shoot=True)


def told_of_lost(laid: Laid) -> str:
    """In how many what was drawn was not found again, so that it lies as it did; with a space before it."""
    lost = sum(None in each.values() for each in laid.values())
    return f" In {number(lost, 0)} what it was drawn on is not found again: look at its mask there." if lost else ""
