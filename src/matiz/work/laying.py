"""What is drawn in the open picture, laid where the same things lie in others: aside, since each of them is read."""

from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from pathlib import Path

from ..develop.graph.engine import LITTLE_CACHE, Engine
from ..errors import MatizError
from ..measure.sort.travel import DrawnPlace
from ..recipe.model import Recipe
from ..recipe.places import Place
from ..recipe.tree import Rows, Section, replaced
from ..wording import number
from .jobs import Job
from .session import Session

Laid = dict[Path, dict[str, Place | None]]
"""Of each picture that can be read: each place as it lies there; None where what it is drawn on is not found again."""


def lay_elsewhere(
    session: Session, places: Mapping[str, Place], paths: Iterable[Path], then: Callable[[Laid], None]
) -> Job:
    """places: of the open picture, drawn, by any names. then: is called on the loop's thread."""
    engine, decoder, recipe = session.engine, session.decoder, session.recipe
    assert engine is not None, "a picture is open"
    theirs = {path: session.desk.recipe(path) for path in paths}

    def laid(job: Job) -> Laid:
        drawn = {name: DrawnPlace(place, engine, recipe) for name, place in places.items()}
        out: Laid = {}
        for n, (path, under) in enumerate(theirs.items()):
            with suppress(MatizError):  # what cannot be read takes nothing
                there = Engine(decoder.read_for(job)(path), cache_bytes=LITTLE_CACHE)
                out[path] = {name: each.laid(there, under) for name, each in drawn.items()}
            if not job.progress((n + 1) / len(theirs)):
                break
        return out

    return session.do_aside(laid, "lay what is drawn on others", then, of_shoot=True, is_long=True)


class LaidMasks:
    """Of places that are given again and again: their masks as they lie in each picture that takes them."""

    def __init__(self) -> None:
        self._held: dict[tuple[Path, str], tuple[Rows[Section], Rows[Section]]] = {}

    def keep(self, drawn: Mapping[str, Place], laid: Laid) -> None:
        """What is not found again lies as it was drawn."""
        for path, places in laid.items():
            for name, place in places.items():
                self._held[path, name] = drawn[name].mask, (place or drawn[name]).mask

    def wanting(self, drawn: Mapping[str, Place], paths: Iterable[Path]) -> tuple[Path, ...]:
        """For which pictures they are not known, as they are drawn now."""
        return tuple(path for path in paths if any(self._laid(path, *each) is None for each in drawn.items()))

    def in_picture(self, recipe: Recipe, path: Path) -> Recipe:
        """The recipe with each mask that is known as it lies there."""
        places = [
            (name, replaced(each, mask=self._laid(path, name, each) or each.mask) if isinstance(each, Place) else each)
            for name, each in recipe.places.items()
        ]
        return replaced(recipe, places=Rows(places))

    def _laid(self, path: Path, name: str, place: Place) -> Rows[Section] | None:
        drawn, laid = self._held.get((path, name), (None, None))
        return laid if drawn == place.mask else None


def lost_note(laid: Laid) -> str:
    """In how many what was drawn was not found again, so that it lies as it did; with a space before it."""
    lost = sum(None in each.values() for each in laid.values())
    return f" In {number(lost, 0)} the thing it was drawn on was not found: check the mask there." if lost else ""
