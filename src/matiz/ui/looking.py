"""Every picture of the shoot is measured aside, a little at a time, once Sort was looked at; what is known is kept."""

import os
import threading
import time
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from ..errors import MatizError
from ..measure.brief import Brief, brief_of
from ..raw.decode import Decoder
from ..shoot.briefs import Briefs
from .jobs import Job
from .session import Session

LATER_MS = 300
"""After which it is asked again whether nothing else is at work."""
NICE, ALOOF_S = 15, 0.1
"""How far it stands back, and how often it looks whether it should."""


class Looking(QObject):
    """One picture after another, by a thread that gives way."""

    came = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.briefs: dict[Path, Brief] = {}
        """What is known by now."""
        self._pool = QThreadPool()
        self._pool.setMaxThreadCount(1)
        self._decoder = Decoder()
        self._job: Job | None = None
        self._later = QTimer(self, singleShot=True, interval=LATER_MS)
        self._later.timeout.connect(self._start)
        self._begun = False
        session.shootChanged.connect(self._on_shoot)
        session.pictureCame.connect(lambda _: self._begun and self.begin())

    def begin(self) -> None:
        """Measure what is not known yet of the shoot that is open."""
        self._begun = True
        if self._job is None and not self._later.isActive():
            self._later.start()

    def end(self) -> None:
        self._later.stop()
        if self._job is not None:
            self._job.stop()
        self._decoder.stop()
        self._pool.waitForDone()

    @property
    def is_done(self) -> bool:
        return self._job is None and not self._later.isActive()

    def _on_shoot(self) -> None:
        self.briefs = {}
        if self._job is not None:
            self._job.stop()
        if self._begun:
            self._later.start()

    def _start(self) -> None:
        todo = [path for path in self.session.pictures if path not in self.briefs]
        if self._job is not None:
            self._later.start()  # the one before it ends first
            return
        if not todo:
            return
        shoot, desk, decoder = self.session.desk.shoot, self.session.desk, self._decoder

        def work(job: Job) -> None:
            with suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICE)
            kept: dict[Path, Briefs | None] = {}
            try:
                for path in todo:
                    if job.is_stopped or desk.shoot != shoot:
                        return
                    brief = self._one(path, kept, job, decoder)
                    if brief is not None:
                        job.progressed.emit(0.0, str(path))
            finally:
                for each in filter(None, kept.values()):
                    each.close()

        self._job = Job(work, "short readings")
        self._job.progressed.connect(lambda _, text: self._on_came(shoot, Path(text)))
        self._job.finished.connect(self._on_finished)
        self._job.start(self._pool)

    def _one(self, path: Path, kept: dict[Path, Briefs | None], job: Job, decoder: Decoder) -> Brief | None:
        """Of a picture, kept before or measured; None where it cannot be read, which is told where it is opened."""
        if path.parent not in kept:
            kept[path.parent] = _opened(path.parent)
        here = kept[path.parent]
        brief = None if here is None else here.get(path)
        if brief is None:
            while not self.session.is_idle() and not job.is_stopped:
                time.sleep(ALOOF_S)
            try:
                brief = brief_of(decoder.frame(path, lambda: not job.is_stopped))
            except MatizError:
                return None
            if here is not None:
                with suppress(MatizError):  # a full disk: it is measured again at the next start
                    here.put(path, brief)
        self.briefs[path] = brief
        return brief

    def _on_came(self, shoot: int, path: Path) -> None:
        if shoot == self.session.desk.shoot:
            self.came.emit(path)

    def _on_finished(self) -> None:
        self._job = None


def _opened(folder: Path) -> Briefs | None:
    """What is kept in a folder; None where nothing can be, such as on a card that is locked."""
    try:
        return Briefs(folder)
    except MatizError:
        return None
