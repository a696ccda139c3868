"""Every picture of the shoot is measured aside, a little at a time, once Sort was looked at; what is known is kept."""

from contextlib import suppress
from pathlib import Path

from ..errors import MatizError
from ..measure.sort.brief import Brief, brief_of, looked_closer
from ..shoot.briefs import Briefs
from ..system.own_files import Say
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
        session.sortingChanged.connect(self._on_sorted)
        self.came.connect(lambda path: self._on_sorted((path,)))
        self._kept: dict[Path, Briefs | None] = {}

    def forget(self) -> None:
        self.briefs = {}

    def todo(self) -> list[Path]:
        """Those that were not measured, then those that are kept and were not looked at closer."""
        pictures = self.session.pictures
        return [*(path for path in pictures if path not in self.briefs), *filter(self._wants_closer, pictures)]

    def one(self, path: Path, job: Job) -> bool:
        """Kept before, or measured; nothing where it cannot be read, which is told where it is opened."""
        if path.parent not in self._kept:
            self._kept[path.parent] = _opened(path.parent, self.session.said.emit)
        here, own = self._kept[path.parent], self.briefs
        before = own.get(path)
        brief = before if before is not None or here is None else here.get(path)
        if brief is None or before is not None:
            self.wait_for_rest(job)
            try:
                frame = self.decoder.read_for(job)(path)
                brief = brief_of(frame) if before is None else looked_closer(frame, before)
            except MatizError:
                return False
            if here is not None:
                with suppress(MatizError):  # a full disk: it is measured again at the next start
                    here.put(path, brief)
        own[path] = brief
        return True

    def _on_sorted(self, paths: tuple[Path, ...]) -> None:
        if self._begun and any(map(self._wants_closer, paths)):
            self.begin()

    def _wants_closer(self, path: Path) -> bool:
        brief = self.briefs.get(path)
        return brief is not None and brief.dust is None and self.session.document_of(path).sorted_as == "keep"

    def let_go(self) -> None:
        for each in filter(None, self._kept.values()):
            each.close()
        self._kept = {}


def _opened(folder: Path, say: Say) -> Briefs | None:
    """What is kept in a folder; None where nothing can be, such as on a card that is locked."""
    try:
        return Briefs(folder, say)
    except MatizError:
        return None
