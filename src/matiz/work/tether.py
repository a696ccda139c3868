"""Tethered: the shoot's folder is watched, and each new frame is shown as the one before it was decided."""

import math
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..recipe.given import given_by
from ..shoot.folder import pictures_in
from .jobs import Job
from .loop import Timer
from .session import Session
from .signals import Signal

LOOK_MS, LIST_S = 250, 2.0
"""Between two looks at the folder, and how long one whose time stands still is not listed: some file systems tell no
times of folders, or coarse ones."""

Stamp = tuple[int, int]
"""Size and time of a file, which stand still once it is written."""


class Tether:
    """Follows one folder at a time."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        self.session = session
        self.folder: Path | None = None
        self._next_look = Timer(self._look, LOOK_MS)
        self._listed = _Listed()
        self._waiting: dict[Path, Stamp] = {}
        self._refused: dict[Path, Stamp] = {}
        """What could not be read as it was then."""
        self._reading: Path | None = None
        self._shoot, self._looks = 0, False

    def start(self) -> None:
        """Follow the folder of the shoot."""
        folders = [path if path.is_dir() else path.parent for path in self.session.opened]
        if not folders:
            self.session.said.emit("First open the folder that the camera writes to.")
            return
        self.folder, self._shoot, self._listed = folders[0], self.session.desk.shoot, _Listed()
        self.session.said.emit(f"Watching {self.folder.name}: new frames are added as they arrive.")
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
        known, listed = set(self.session.pictures), _Listed() if self._waiting else self._listed
        job = Job(lambda _: _looked_into(folder, known, listed), "what came")
        job.returned.connect(self._on_looked)
        job.failed.connect(self._on_lost)
        job.start()

    def _on_lost(self, text: str) -> None:
        self._looks = False
        self.session.said.emit(text)
        self.stop()

    def _on_looked(self, looked: "tuple[_Listed, dict[Path, Stamp]]") -> None:
        self._looks = False
        if self.folder is None:
            return
        if self.session.desk.shoot != self._shoot:
            self.stop()
            return
        self._listed, now = looked
        now = {path: told for path, told in now.items() if path not in self.session.pictures}
        whole = [path for path, told in now.items() if self._waiting.get(path) == told]
        self._waiting = {path: told for path, told in now.items() if self._refused.get(path) != told}
        if self._reading is None and (ready := [path for path in whole if path in self._waiting]):
            self._read(ready[0], now[ready[0]])
        self._next_look.start()

    def _read(self, path: Path, told: Stamp) -> None:
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

    def _refuse(self, path: Path, told: Stamp, text: str) -> None:
        self._reading = None
        self._waiting.pop(path, None)
        self._refused[path] = told
        self.session.said.emit(text)
        self._look()


@dataclass(frozen=True)
class _Listed:
    """When a folder was listed last, by the clock, and the time that it had then."""

    at_s: float = -math.inf
    folder_ns: int = 0


def _looked_into(folder: Path, known: set[Path], before: _Listed) -> tuple[_Listed, dict[Path, Stamp]]:
    """Pictures that are not known yet, with what tells whether they stand still; none while the folder does."""
    now_s = time.monotonic()
    try:
        folder_ns = folder.stat().st_mtime_ns
    except OSError:
        folder_ns = 0  # listing it says what is wrong
    if folder_ns == before.folder_ns and now_s - before.at_s < LIST_S:
        return before, {}
    return _Listed(now_s, folder_ns), _fresh_in(folder, known)


def _fresh_in(folder: Path, known: set[Path]) -> dict[Path, Stamp]:
    fresh = (path for path in pictures_in(folder) if path not in known)
    return {path: told for path in fresh if (told := _stamp_of(path)) is not None}


def _stamp_of(path: Path) -> Stamp | None:
    with suppress(OSError):
        found = path.stat()
        return (found.st_size, found.st_mtime_ns) if found.st_size else None
    return None
