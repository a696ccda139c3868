"""The open picture's light given to others of the shoot: as it is, as a change, to a whole set."""

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from ..errors import MatizError
from ..proposals.given_light import given_light
from ..recipe.change import Settings
from ..shoot.sets import following
from ..wording import counted
from .jobs import Job
from .session import Session

NOTHING_SELECTED = "Select other pictures in Sort first: Ctrl or Shift and click."
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
        take = "takes" if given == 1 else "take"
        session.said.emit(f"{counted(given, 'picture')} {take} the light of this one." if given else otherwise)

    def light_to_set(self) -> None:
        """Balance the pictures that were taken after the open one without a break for its light."""
        session, picture, decoder = self.session, self.session.picture, self.session.decoder
        if picture is None:
            return
        taken = session.desk.taken_utc
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
            session.said.emit(f"{counted(given, 'picture')} moved by the same change of light.")

        session.do_aside(moved, "give the change of light", keep)

    def _give(self, source: Path, gifts: Iterable[tuple[Path, Settings]]) -> int:
        """How many pictures took what they were given; the source takes nothing."""
        label = f"Light of {source.name}"
        return sum(self.session.record_for(path, settings, label) for path, settings in gifts if path != source)
