"""Long work: one Job class with started, progressed, returned, failed, stopped, finished, and a cooperative stop."""

import logging
import threading
from collections.abc import Callable
from typing import Any

from ..errors import Cancelled, MatizError
from ..system.logs import log_file
from .pool import Pool
from .signals import Signal

log = logging.getLogger(__name__)
Work = Callable[["Job"], Any]
QUICK = Pool(2, "quick work")
"""For what a hand waits for."""
LONG = Pool(2, "long work")
"""For what takes a while: merging, deliveries. It must not keep what is quick waiting."""


class Job:
    """Runs `work(job)` on a thread of a pool; its signals arrive on the loop's thread. Once it has run it holds nothing
    of what it worked on."""

    started = Signal()
    progressed = Signal()
    """(share 0..1, text)."""
    returned = Signal()
    """(what the work gave)."""
    failed = Signal()
    """(message)."""
    stopped = Signal()
    finished = Signal()

    def __init__(self, work: Work, name: str) -> None:
        self.name = name
        self._work: Work | None = work
        self._stop = threading.Event()

    def start(self, pool: Pool | None = None, *, urgent: bool = False) -> "Job":
        """urgent: before all that wait in the pool and are not."""
        (pool or QUICK).start(self.run, urgent=urgent)
        return self

    def stop(self) -> None:
        """Ask the work to end at its next progress report, or not to begin."""
        self._stop.set()

    @property
    def is_stopped(self) -> bool:
        return self._stop.is_set()

    def progress(self, share: float, text: str = "") -> bool:
        """Called by the work; False asks it to end."""
        if not self._stop.is_set():
            self.progressed.emit(share, text)
        return not self._stop.is_set()

    def run(self) -> None:
        work, self._work = self._work, None
        self.started.emit()
        try:
            result = work(self) if work is not None and not self._stop.is_set() else None
            if not self._stop.is_set():
                self.returned.emit(result)
            else:
                self.stopped.emit()
        except Cancelled:
            self.stopped.emit()
        except (MatizError, OSError, MemoryError) as error:
            self.failed.emit(str(error) or type(error).__name__)
        except Exception as error:  # a fault of ours must reach somebody
            log.exception("%s failed", self.name)
            self.failed.emit(f"{self.name}: unexpected {type(error).__name__}: {error}; see {log_file()}")
        finally:
            self.finished.emit()
