"""Writes what is unsaved on the desk: soon after a change, every 0.7 s of a drag, and again until it succeeds."""

import time

from PySide6.QtCore import QObject, QThreadPool, QTimer

from ..shoot.desk import Desk
from .jobs import Job

AFTER_MS = 250
EVERY_S = 0.7
"""Of a drag between two writings: with the writing itself at most a second is lost by a kill."""
AGAIN_MS = 3000


class Saver(QObject):
    """One writer: two saves of the same sidecar must not overtake each other."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._saved_at = 0.0
        self._pool = QThreadPool()
        self._pool.setMaxThreadCount(1)
        self._soon = QTimer(self, singleShot=True, interval=AFTER_MS)
        self._soon.timeout.connect(self._save)
        self._writing: Job | None = None

    def soon(self) -> None:
        """Something was decided."""
        self._soon.start(AFTER_MS)

    def drag(self) -> None:
        """A hand moves: what it shows is written every EVERY_S."""
        if time.monotonic() - self._saved_at > EVERY_S:
            self._save()

    def settle(self) -> bool:
        """Write all that is unsaved, and wait for it; False when something could not be written."""
        self._soon.stop()
        self._pool.waitForDone()
        return not self._desk.save()

    def is_idle(self) -> bool:
        return self._desk.is_saved and self._writing is None

    def _save(self) -> None:
        if self._writing is not None:
            self._soon.start(AFTER_MS)
            return
        self._saved_at = time.monotonic()
        todo = self._desk.unsaved()
        if not todo:
            return
        desk = self._desk
        self._writing = Job(lambda _: [desk.write(one) for one in todo], "save")
        self._writing.returned.connect(lambda done: None if all(done) else self._soon.start(AGAIN_MS))
        self._writing.finished.connect(self._on_finished)
        self._writing.start(self._pool)

    def _on_finished(self) -> None:
        self._writing = None
