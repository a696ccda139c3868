"""Long work: one Job class with started, progressed, returned, failed, finished, and a cooperative stop."""

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from ..errors import Cancelled, MatizError

Work = Callable[["Job"], Any]


class Job(QObject):
    """Runs `work(job)` on a pool thread; its signals arrive on the thread that made it."""

    started = Signal()
    progressed = Signal(float, str)
    returned = Signal(object)
    failed = Signal(str)
    stopped = Signal()
    finished = Signal()

    def __init__(self, work: Work, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._work = work
        self._stop = threading.Event()

    def start(self, pool: QThreadPool | None = None) -> "Job":
        _alive.add(self)
        self.finished.connect(lambda: _alive.discard(self))
        (pool or QThreadPool.globalInstance()).start(_Runnable(self))
        return self

    def stop(self) -> None:
        """Ask the work to end at its next progress report."""
        self._stop.set()

    def progress(self, share: float, text: str = "") -> bool:
        """Called by the work; False asks it to end."""
        if not self._stop.is_set():
            self.progressed.emit(share, text)
        return not self._stop.is_set()

    def run(self) -> None:
        self.started.emit()
        try:
            result = self._work(self)
            if not self._stop.is_set():
                self.returned.emit(result)
            else:
                self.stopped.emit()
        except Cancelled:
            self.stopped.emit()
        except (MatizError, OSError, MemoryError) as error:
            self.failed.emit(str(error) or type(error).__name__)
        except Exception as error:  # a fault of ours must reach somebody
            self.failed.emit(f"{self.name}: unexpected {type(error).__name__}: {error}")
        finally:
            self.finished.emit()


_alive: set[Job] = set()


class _Runnable(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job

    def run(self) -> None:
        self._job.run()
