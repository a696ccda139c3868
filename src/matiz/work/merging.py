"""Pictures of one view become one, beside them in the shoot."""

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from ..recipe.given import given_by
from .jobs import Job
from .session import Session
from .signals import Signal

if TYPE_CHECKING:
    from ..merge.files import MergedFile

FEW = "Select the raw frames of one view in Sort first, or one of a set."


class Merging:
    """One merge at a time."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        self.session = session
        self.share: float | None = None
        """Of the work that is done; None while there is none."""
        self._job: Job | None = None
        self._made: MergedFile | None = None
        """What is opened to be seen."""
        session.pictureOpened.connect(self._on_opened)

    def merge(self, paths: Iterable[Path], kind: str = "") -> None:
        """Merge pictures of the shoot. kind: see `merge.files`; by what their files say when empty."""
        chosen = sorted(set(paths))
        if self._job is not None:
            return
        if len(chosen) < 2:
            self.session.said.emit(FEW)
            return
        decoder = self.session.decoder

        def work(job: Job) -> "MergedFile":
            # few merge, and every start would wait for it
            from ..merge.files import merge_files

            return merge_files(chosen, decoder.read_for(job), kind=kind, on_progress=job.progress)

        self.share = 0.0
        self._job = self.session.do_aside(work, "merging", self._on_merged, of_shoot=True, is_long=True)
        self._job.progressed.connect(self._on_progress)
        self._job.finished.connect(self._on_finished)
        self.changed.emit()

    def stop(self) -> None:
        """Nothing is written then."""
        if self._job is not None:
            self._job.stop()

    def is_idle(self) -> bool:
        return self._job is None

    def _on_progress(self, share: float, text: str) -> None:
        self.share = share
        self.session.said.emit(text)
        self.changed.emit()

    def _on_finished(self) -> None:
        self._job, self.share = None, None
        self.changed.emit()

    def _on_merged(self, made: "MergedFile") -> None:
        session = self.session
        session.take_in(made.path)
        given, own = session.document_of(made.reference), session.document_of(made.path)
        if given.version.history.changes and not own.version.history.changes:
            # its view and brightness are the reference's, so its decisions are right for it too
            session.record_for(made.path, given_by(given.recipe, own.recipe), f"As {made.reference.name}")
        self._made = made
        session.open_picture(made.path)

    def _on_opened(self) -> None:
        made, self._made = self._made, None
        if made is not None and self.session.path == made.path:
            self.session.said.emit(made.words)
