"""Writes what is unsaved on the desk: soon after a change, twice a second during a drag, and again until it succeeds.

The oldest step that is not on the disk is never older than DRAG_MS and one writing, whatever comes after it: 0.7 s,
also on a busy machine on which a writing takes 0.2 s.
"""

import math
import time

from ..shoot.desk import Desk
from .jobs import Job
from .loop import Timer
from .pool import Pool

AFTER_MS = 250
"""After a step. Steps that follow are written with it: they do not put it off."""
DRAG_MS = 500
"""Between two writings during a drag."""
AGAIN_MS = 3000
"""After a writing that failed."""


class Saver:
    """One writer: two saves of the same sidecar must not overtake each other."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._saved_at = -math.inf
        self._pool = Pool(1, "save")
        self._soon = Timer(self._save, AFTER_MS)
        self._writing: Job | None = None

    def soon(self) -> None:
        """Something was decided."""
        self._save_within(AFTER_MS)

    def drag(self) -> None:
        """A hand moves."""
        since_ms = 1000.0 * (time.monotonic() - self._saved_at)
        self._save_within(round(max(DRAG_MS - since_ms, 0.0)))

    def _save_within(self, wait_ms: int) -> None:
        """What was asked for earlier stays due when it was."""
        if not self._soon.is_active() or self._soon.remaining_ms() > wait_ms:
            self._soon.start(wait_ms)

    def settle(self) -> bool:
        """Write all that is unsaved, and wait for it; False when something could not be written."""
        self._soon.stop()
        self._pool.wait()
        return not self._desk.save()

    def is_idle(self) -> bool:
        return self._desk.is_saved and self._writing is None

    def _save(self) -> None:
        if self._writing is not None:
            self._save_within(AFTER_MS)
            return
        self._saved_at = time.monotonic()
        todo = self._desk.unsaved()
        if not todo:
            return
        desk = self._desk
        self._writing = Job(lambda _: desk.write(todo), "save")
        self._writing.returned.connect(lambda failed: self._save_within(AGAIN_MS) if failed else None)
        self._writing.finished.connect(self._on_finished)
        self._writing.start(self._pool)

    def _on_finished(self) -> None:
        self._writing = None
