"""Every picture of the shoot is measured aside, a little at a time, once Sort was looked at; what is known is kept."""

from contextlib import suppress
from pathlib import Path

from ..errors import MatizError
from ..measure.brief import Brief, brief_of
from ..shoot.briefs import Briefs
from .jobs import Job
from .one_by_one import OneByOne
from .session import Session


class Looking(OneByOne):
    """Short readings."""

    name = "short readings"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.briefs: dict[Path, Brief] = {}
        """What is known by now."""
        self._kept: dict[Path, Briefs | None] = {}

    def forget(self) -> None:
        self.briefs = {}

    def todo(self) -> list[Path]:
        return [path for path in self.session.pictures if path not in self.briefs]

    def one(self, path: Path, job: Job) -> bool:
        """Kept before, or measured; nothing where it cannot be read, which is told where it is opened."""
        if path.parent not in self._kept:
            self._kept[path.parent] = _opened(path.parent)
        here, own = self._kept[path.parent], self.briefs
        brief = None if here is None else here.get(path)
        if brief is None:
            self.wait_for_rest(job)
            try:
                brief = brief_of(self.decoder.frame(path, lambda: not job.is_stopped))
            except MatizError:
                return False
            if here is not None:
                with suppress(MatizError):  # a full disk: it is measured again at the next start
                    here.put(path, brief)
        own[path] = brief
        return True

    def let_go(self) -> None:
        for each in filter(None, self._kept.values()):
            each.close()
        self._kept = {}


def _opened(folder: Path) -> Briefs | None:
    """What is kept in a folder; None where nothing can be, such as on a card that is locked."""
    try:
        return Briefs(folder)
    except MatizError:
        return None
