"""Opens pictures in the background; only the one that was asked for last counts."""

from pathlib import Path

from ..raw.decode import Decoder
from ..raw.frame import Frame
from ..recipe.document import Document
from ..shoot.sidecar import Revision, load_document, revision_of
from .closing import wait_for_pool
from .jobs import Job
from .loop import Timer
from .pool import Pool
from .signals import Signal

INTERRUPT_MS = 700
"""How long a picture that is no longer needed may keep the decoder."""


class Opener:
    """`opened(Path, Frame, Document, Revision)` or `failed(Path, message)` follow `open`, unless another picture is
    asked for before."""

    opened = Signal()
    failed = Signal()

    def __init__(self, decoder: Decoder) -> None:
        self._decoder = decoder
        # a pool of its own: other work beside the hand must not keep a picture waiting
        self._pool = Pool(2, "opening")
        self._job: Job | None = None
        self._turn = 0
        self.path: Path | None = None
        """The picture that is being opened."""

    def open(self, path: Path) -> None:
        """Decode a picture and read its sidecar."""
        if self._job is not None:
            # one that is slow must not keep this one waiting
            self._job.stop()
            Timer(self._decoder.interrupt_unwanted, INTERRUPT_MS).start()
        decoder = self._decoder

        def decoded(job: Job) -> tuple[Frame, Document, Revision]:
            revision = revision_of(path)
            return decoder.read_for(job)(path), load_document(path), revision

        self._turn += 1
        turn = self._turn
        job = Job(decoded, f"open {path.name}")
        # connections must not hold the job itself, which would hold it for good
        job.returned.connect(lambda found: self._on_returned(path, turn, found))
        job.failed.connect(lambda text: self._on_failed(path, turn, text))
        self.path, self._job = path, job
        job.start(self._pool)

    def is_idle(self) -> bool:
        return self.path is None

    def stop(self) -> None:
        if self._job is not None:
            self._job.stop()

    def wait(self) -> None:
        wait_for_pool(self._pool)

    def _on_returned(self, path: Path, turn: int, found: tuple[Frame, Document, Revision]) -> None:
        if turn == self._turn:
            self.path, self._job = None, None
            self.opened.emit(path, *found)

    def _on_failed(self, path: Path, turn: int, text: str) -> None:
        if turn == self._turn:
            self.path, self._job = None, None
            self.failed.emit(path, text)
