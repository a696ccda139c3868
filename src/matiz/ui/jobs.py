"""Long work: one Job class with started, progressed, returned, failed, finished, and a cooperative stop."""

import logging
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from ..errors import Cancelled, MatizError
from ..system.logs import log_file

log = logging.getLogger(__name__)
Work = Callable[["Job"], Any]


class Job(QObject):
    """Runs `work(job)` on a pool thread; its signals arrive on the thread that made it. Once it has run it holds
    nothing of what it worked on, and goes."""

    started = Signal()
    progressed = Signal(float, str)
    returned = Signal(object)
    failed = Signal(str)
    stopped = Signal()
    finished = Signal()

    def __init__(self, work: Work, name: str) -> None:
        # without a parent: one that lives as long as the window would keep it, and what it worked on, as long
        super().__init__()
        self.name = name
        self._work: Work | None = work
        self._stop = threading.Event()
        self.left_by_thread = threading.Event()

    def start(self, pool: QThreadPool | None = None, *, urgent: bool = False) -> "Job":
        """urgent: before all that wait in the pool and are not."""
        _alive.add(self)
        self.finished.connect(self._on_finished)
        (pool or QThreadPool.globalInstance()).start(_Runnable(self), int(urgent))
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

    def _on_finished(self) -> None:
        # the last to hold it must be the thread that made it
        self.left_by_thread.wait(1.0)
        _alive.discard(self)


_alive: set[Job] = set()


class _Runnable(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job: Job | None = job

    def run(self) -> None:
        job, self._job = self._job, None
        assert job is not None
        job.run()
        left = job.left_by_thread
        del job
        left.set()
