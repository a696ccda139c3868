"""Making the demo shoot from the window: a thin bar, and a way to stop it."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from ...errors import Cancelled
from ...work.jobs import LONG, Job
from ...work.session import Session
from ..kit.controls import caption, push


class DemoMaker(QObject):
    """Renders what is missing, then opens the folder."""

    def __init__(self, parent: QWidget, session: Session, open_paths: Callable[[list[Path]], None]) -> None:
        super().__init__(parent)
        self._parent, self.session, self._open_paths = parent, session, open_paths
        self._job: Job | None = None
        self.bar = QWidget()
        row = QHBoxLayout(self.bar)
        row.setContentsMargins(12, 4, 12, 4)
        row.setSpacing(12)
        self._text = caption()
        self._share = QProgressBar(textVisible=False)
        self._share.setFixedHeight(3)
        self._stop = push("stop")
        self._stop.setProperty("flat", "true")
        self._stop.setToolTip("Stop; finished pictures stay, and the next start continues from here")
        self._stop.clicked.connect(self.stop)
        row.addWidget(self._text)
        row.addWidget(self._share, 1, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self._stop)
        self.bar.hide()

    def open(self, folder: Path, size: tuple[int, int]) -> None:
        """Open the demo shoot in `folder`, made first where it is missing."""
        # the scenes need half of SciPy; a start without the demo does not
        from matiz_simcam.shoot import missing_shots

        if not missing_shots(folder):
            self._open_paths([folder])
            return
        self._text.setText("making the demo shoot, this once")
        self.bar.show()
        self._job = Job(lambda job: _make(job, folder, size), "demo shoot")
        self._job.progressed.connect(self._on_progressed)
        self._job.failed.connect(self.session.said.emit)
        self._job.stopped.connect(lambda: self.session.said.emit("Stopped. The next start continues from here."))
        self._job.finished.connect(lambda: self._on_finished(folder))
        self._job.start(LONG)

    def stop(self) -> None:
        if self._job:
            self._job.stop()
            self._text.setText("stopping after the current pictures")

    def is_idle(self) -> bool:
        return self._job is None

    def end(self) -> None:
        if self._job:
            self._job.stop()

    def _on_progressed(self, share: float, text: str) -> None:
        self._share.setValue(round(share * 100))
        self._text.setText(text)

    def _on_finished(self, folder: Path) -> None:
        self._job = None
        self.bar.hide()
        if self._parent.isVisible():
            self._open_paths([folder])


def _make(job: Job, folder: Path, size: tuple[int, int]) -> None:
    from matiz_simcam.shoot import make_demo

    making = make_demo(folder, size=size)
    for done, count, name in making:
        if not job.progress(done / count, f"making the demo shoot, this once: {done} of {count}, {name}"):
            making.close()
            raise Cancelled("stopped by the user")
