"""Work on the pictures of a shoot, one after another, by a thread that gives way to the open picture."""

import time
from pathlib import Path

from ..raw.decode import Decoder
from .closing import wait_for_pool
from .jobs import Job
from .latest import stand_back
from .loop import Timer
from .pool import Pool
from .session import Session
from .signals import Signal

LATER_MS = 300
"""After which it is asked again whether nothing else is at work."""
NICE, ALOOF_S = 15, 0.1
"""How far it stands back, and how often it looks whether it should."""


class OneByOne:
    """`came` carries a picture that was worked on. What it does is in `todo`, `one` and `let_go`."""

    came = Signal()
    name = ""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.decoder = Decoder()
        self._pool = Pool(1, self.name)
        self._job: Job | None = None
        self._later = Timer(self._start, LATER_MS)
        self._begun = self._again = False
        session.shootChanged.connect(self._on_shoot)
        session.pictureCame.connect(self._on_new_picture)

    # ---- what it does

    def todo(self) -> list[Path]:
        """The pictures that want work, in order."""
        raise NotImplementedError

    def one(self, path: Path, job: Job) -> bool:
        """Work on one, in the thread; whether there is something to show."""
        raise NotImplementedError

    def let_go(self) -> None:
        """Close, in the thread, what its work opened."""

    def forget(self) -> None:
        """Another shoot is open."""

    # ---- how

    def begin(self) -> None:
        """Work on what wants it of the shoot that is open."""
        self._begun = True
        self._again = self._job is not None
        if self._job is None and not self._later.is_active():
            self._later.start()

    def end(self) -> None:
        self._again = False
        self._later.stop()
        if self._job is not None:
            self._job.stop()
        self.decoder.stop()
        wait_for_pool(self._pool)

    @property
    def is_done(self) -> bool:
        return self._job is None and not self._later.is_active()

    def wait_for_rest(self, job: Job) -> None:
        """In the thread: until the open picture is not at work."""
        while not self.session.is_idle() and not job.is_stopped:
            time.sleep(ALOOF_S)

    def _on_new_picture(self) -> None:
        if self._begun:
            self.begin()

    def _on_shoot(self) -> None:
        self.forget()
        if self._job is not None:
            self._job.stop()
        if self._begun:
            self._later.start()

    def _start(self) -> None:
        if self._job is not None:
            self._later.start()  # the one before it ends first
            return
        todo, shoot, desk = self.todo(), self.session.desk.shoot, self.session.desk
        if not todo:
            return

        def work(job: Job) -> None:
            stand_back(NICE)
            try:
                for path in todo:
                    if job.is_stopped or desk.shoot != shoot:
                        return
                    if self.one(path, job):
                        job.progressed.emit(0.0, str(path))
            finally:
                self.let_go()

        self._job = Job(work, self.name)
        self._job.progressed.connect(lambda _, text: self._on_came(shoot, Path(text)))
        self._job.finished.connect(self._on_finished)
        self._job.start(self._pool)

    def _on_came(self, shoot: int, path: Path) -> None:
        if shoot == self.session.desk.shoot:
            self.came.emit(path)

    def _on_finished(self) -> None:
        self._job = None
        if self._again:
            self.begin()  # what came while it worked
