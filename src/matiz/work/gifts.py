"""What others of the shoot are given: the open picture's light, as it is, as a change, to a whole set; a place; a
look."""

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from ..errors import MatizError
from ..measure.sort.travel import is_drawn
from ..proposals.given_light import given_light
from ..recipe.change import Settings
from ..recipe.looks import Look
from ..recipe.model import Recipe
from ..recipe.paths import added
from ..recipe.places import Place, SameAs
from ..shoot.sets import following
from ..wording import counted, number
from .jobs import Job
from .laying import Laid, lay_elsewhere, lost_note
from .session import Session

NOTHING_SELECTED = "Select other pictures in Sort first: Ctrl-click or Shift-click."
NONE_READ = "None of them could be read."
NOTHING_FOLLOWS = "No picture was taken within 20 minutes after this one."


class Gifts:
    """Each gift is one step in the history of the picture that takes it, and is said in the header."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def light_to(self, paths: Iterable[Path], otherwise: str = NOTHING_SELECTED) -> None:
        """Balance other pictures for the open picture's light; `otherwise` is said when there are none."""
        session = self.session
        if session.picture is None:
            return
        settings = given_light(session.picture.frame.colour, session.recipe)
        given = self._give(session.picture.path, ((path, settings) for path in paths))
        session.said.emit(f"This picture's light was copied to {counted(given, 'picture')}." if given else otherwise)

    def light_to_set(self) -> None:
        """Balance the pictures that were taken after the open one without a break for its light."""
        session, picture, decoder = self.session, self.session.picture, self.session.decoder
        if picture is None:
            return
        taken = session.desk.catalogue.taken_utc
        unknown = [path for path in session.pictures if path not in taken]

        def times(job: Job) -> dict[Path, str]:
            found = {}
            for n, path in enumerate(unknown):
                with suppress(MatizError):  # what cannot be read belongs to no set
                    found[path] = decoder.listing(path)[1].exposure.time_utc or ""
                if not job.progress((n + 1) / len(unknown)):
                    break
            return found

        def give(found: dict[Path, str]) -> None:
            taken.update(found)
            self.light_to(following(taken, picture.path), NOTHING_FOLLOWS)

        session.do_aside(times, "find the set", give)

    def change_to(self, paths: Iterable[Path]) -> None:
        """Move the light of other pictures, as their cameras chose it, as far as that of the open one was moved."""
        session, decoder = self.session, self.session.decoder
        if session.picture is None:
            return
        source, colour, recipe = session.picture.path, session.picture.frame.colour, session.recipe
        others = [path for path in paths if path != source]
        if not others:
            session.said.emit(NOTHING_SELECTED)
            return

        def moved(job: Job) -> list[tuple[Path, Settings]]:
            out = []
            for n, path in enumerate(others):
                with suppress(MatizError):  # what cannot be read keeps its light
                    out.append((path, given_light(colour, recipe, decoder.frame(path).colour)))
                if not job.progress((n + 1) / len(others)):
                    break
            return out

        def keep(gifts: list[tuple[Path, Settings]]) -> None:
            given = self._give(source, gifts)
            session.said.emit(f"The change of light was copied to {counted(given, 'picture')}.")

        session.do_aside(moved, "give the change of light", keep)

    def place_to(self, paths: Iterable[Path], ident: str) -> None:
        """Put one of the open picture's places to others, with its mask and those that it follows: as they lie in the
        frame, what is drawn where the same things lie."""
        session = self.session
        place = session.recipe.places.get(ident)
        if session.picture is None or not isinstance(place, Place):
            session.said.emit("Choose a place in Places first.")
            return
        others = [path for path in paths if path != session.picture.path]
        source, named = session.picture.path, _named(session.recipe, place)
        all_of_them = {**named, ident: place}
        drawn = {name: each for name, each in all_of_them.items() if is_drawn(each)}
        if not others or not drawn:
            self._put(source, ident, dict.fromkeys(others, all_of_them), "")
            return

        def put(laid: Laid) -> None:
            if laid:
                found = {path: {name: each for name, each in own.items() if each} for path, own in laid.items()}
                self._put(source, ident, {path: {**all_of_them, **own} for path, own in found.items()},
                          lost_note(laid))  # fmt: skip
            else:
                session.said.emit(NONE_READ)

        lay_elsewhere(session, drawn, others, put)

    def _put(self, source: Path, ident: str, places: dict[Path, dict[str, Place]], lost: str) -> None:
        """places: that of `ident`, and those whose masks it has, for each picture."""
        session, given = self.session, 0
        for path, own in places.items():
            recipe = session.desk.recipe(path)
            others = [(f"places.{name}", each) for name, each in own.items()
                      if name != ident and name not in recipe.places]  # fmt: skip
            settings = [*others, *added(recipe, [("places", own[ident])])]
            given += session.record_for(path, settings, f"Place of {source.name}")
        told = f"The place was copied to {counted(given, 'picture')}." if given else NOTHING_SELECTED
        session.said.emit(told + lost)

    def look_to(self, paths: Iterable[Path], look: Look, strength: float) -> None:
        """Lay a look on other pictures, as it is laid on each by what that starts from."""
        session = self.session
        given = 0
        for path in paths:
            settings = look.settings(session.desk.recipe(path), strength)
            given += session.record_for(path, settings, f"{look.name}, {number(100.0 * strength, 0, '%')}")
        session.said.emit(f"{look.name} was applied to {counted(given, 'picture')}." if given else NOTHING_SELECTED)

    def _give(self, source: Path, gifts: Iterable[tuple[Path, Settings]]) -> int:
        """How many pictures took what they were given; the source takes nothing."""
        label = f"Light of {source.name}"
        return sum(self.session.record_for(path, settings, label) for path, settings in gifts if path != source)


def _named(recipe: Recipe, place: Place) -> dict[str, Place]:
    """The places whose masks a place has, and those that they have, by id: as masks alone, which change nothing."""
    found: dict[str, Place] = {}
    waiting = [place]
    while waiting:
        for part in waiting.pop().mask.values():
            other = recipe.places.get(part.of) if isinstance(part, SameAs) else None
            if isinstance(part, SameAs) and isinstance(other, Place) and part.of not in found:
                ends = other.spare_dark, other.spare_light
                held = Place(name=other.name, mask=other.mask, spare_dark=ends[0], spare_light=ends[1])
                found[part.of] = held
                waiting.append(held)
    return found
