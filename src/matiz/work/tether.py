"""Tethered: the shoot's folder is watched, and each new frame is shown as the one before it was decided."""

from contextlib import suppress
from pathlib import Path

from ..recipe.given import given_by
from ..shoot.folder import pictures_in
from .jobs import Job
from .loop import Timer
from .session import Session
from .signals import Signal

WRITING_MS, RESTING_MS = 250, 750
"""Between two looks into the folder while something in it is being written, and otherwise."""

Told = tuple[int, int]
"""Size and time of a file, which stand still once it is written."""


class Tether:
    """Follows one folder at a time."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        self.session = session
        self.folder: Path | None = None
        self._next_look = Timer(self._look)
        self._waiting: dict[Path, Told] = {}
        self._refused: dict[Path, Told] = {}
        """What could not be read as it was then."""
        self._reading: Path | None = None
        self._shoot, self._looks = 0, False

    def start(self) -> None:
        """Follow the folder of the shoot."""
        folders = [path if path.is_dir() else path.parent for path in self.session.opened]
        if not folders:
            self.session.said.emit("Open the folder that the camera writes to first.")
            return
        self.folder, self._shoot = folders[0], self.session.desk.shoot
        self.session.said.emit(f"Following {self.folder.name}: new frames are taken in as they come.")
        self.changed.emit()
        self._look()

    def stop(self) -> None:
        self._next_look.stop()
        self.folder, self._waiting, self._refused, self._reading = None, {}, {}, None
        self.changed.emit()

    def is_idle(self) -> bool:
        return self.folder is None or not (self._waiting or self._reading)

    def _look(self) -> None:
        folder = self.folder
        if folder is None:
            return
        if self.session.desk.shoot != self._shoot:
            self.stop()  # another shoot is open
            return
        if self._looks:
            return
        self._looks = True
        known = set(self.session.pictures)
        job = Job(lambda _: _fresh_in(folder, known), "what came")
        job.returned.connect(self._on_looked)
        job.failed.connect(self._on_lost)
        job.start()

    def _on_lost(self, text: str) -> None:
        self._looks = False
        self.session.said.emit(text)
        self.stop()

    def _on_looked(self, now: dict[Path, Told]) -> None:
        self._looks = False
        if self.folder is None or self.session.desk.shoot != self._shoot:
            return
        now = {path: told for path, told in now.items() if path not in self.session.pictures}
        whole = [path for path, told in now.items() if self._waiting.get(path) == told]
        self._waiting = {path: told for path, told in now.items() if self._refused.get(path) != told}
        if self._reading is None and (ready := [path for path in whole if path in self._waiting]):
            self._read(ready[0], now[ready[0]])
        self._next_look.start(WRITING_MS if self._waiting else RESTING_MS)

    def _read(self, path: Path, told: Told) -> None:
        """It stands still; only what can be read to its end is taken in, since a camera may pause within a file."""
        self._reading = path
        decoder = self.session.decoder
        job = Job(lambda job: decoder.read_for(job)(path), f"new {path.name}")
        job.returned.connect(lambda _: self._take_in(path))
        job.failed.connect(lambda text: self._refuse(path, told, text))
        job.start()

    def _take_in(self, path: Path) -> None:
        self._reading = None
        self._waiting.pop(path, None)
        if self.folder is None:
            return
        session, before = self.session, self.session.picture
        session.take_in(path)
        if before is not None:
            own = session.document_of(path).recipe
            if not session.document_of(path).version.history.changes and own.start == before.frame.start:
                session.record_for(path, given_by(session.recipe, own), f"As {before.path.name}")
        session.open_picture(path)
        self._look()

    def _refuse(self, path: Path, told: Told, text: str) -> None:
        self._reading = None
        self._waiting.pop(path, None)
        self._refused[path] = told
        self.session.said.emit(text)
        self._look()


def _fresh_in(folder: Path, known: set[Path]) -> dict[Path, Told]:
    """Pictures that are not known yet, with what tells whether they stand still."""
    fresh = (path for path in pictures_in(folder) if path not in known)
    return {path: told for path in fresh if (told := _told(path)) is not None}


def _told(path: Path) -> Told | None:
    with suppress(OSError):
        found = path.stat()
        return (found.st_size, found.st_mtime_ns) if found.st_size else None
    return None
