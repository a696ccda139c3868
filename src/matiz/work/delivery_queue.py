"""The deliveries asked for, worked through one after the other."""

import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..deliver.orders import Order, free_name, name_for
from ..raw.decode import Decoder
from ..recipe.document import Document
from ..shoot.as_decided import as_decided
from ..shoot.said import words_of
from ..system.files import clear_leftovers
from .jobs import LONG, Job
from .signals import Signal

WAITING, WORKING, DONE, FAILED, STOPPED, LEFT = "waiting", "working", "done", "failed", "stopped", "left over"
PACE_OF = 8
"""Deliveries whose seconds make the pace."""


@dataclass
class Delivery:
    """One row."""

    picture: Path
    document: Document
    order: Order
    folder: Path
    state: str = WAITING
    share: float = 0.0
    path: Path | None = None
    text: str = ""
    counter: int = 1
    """Its place among those that were ordered together."""


class DeliveryQueue:
    """Works through its rows one after the other, in the background."""

    delivered = Signal()
    """(Delivery)."""
    failed = Signal()
    """(message)."""
    moved = Signal()
    """What is owed, or the pace, is something else now."""
    adding = Signal()
    """(how many): rows are about to be put behind the others."""
    added = Signal()
    changed = Signal()
    """(number of a row): it looks otherwise now."""
    clearing = Signal()
    """Rows are about to be taken away."""
    cleared = Signal()

    def __init__(self, decoder: Decoder) -> None:
        self.rows: list[Delivery] = []
        self._decoder = decoder
        self._job: Job | None = None
        self._current: Delivery | None = None
        self._took_s: list[float] = []
        self._began_s = 0.0
        self.is_paused = False

    def add(self, *deliveries: Delivery) -> None:
        if not deliveries:
            return
        self.adding.emit(len(deliveries))
        self.rows.extend(deliveries)
        self.added.emit()
        self.moved.emit()
        self._next()

    def owed(self) -> list[Delivery]:
        """What is still to be written: neither done nor stopped."""
        return [row for row in self.rows if row.state not in (DONE, STOPPED)]

    def pause(self, is_paused: bool) -> None:
        """Begin nothing more until it goes on; what is being written is finished."""
        self.is_paused = is_paused
        self.moved.emit()
        self._next()

    def pace_s(self) -> float | None:
        """Seconds that a delivery takes, of the last ones; None before the first is done."""
        return sum(self._took_s) / len(self._took_s) if self._took_s else None

    def left_s(self) -> float | None:
        """Seconds until all that waits is written, at this pace."""
        pace, waiting = self.pace_s(), sum(row.state in (WAITING, WORKING) for row in self.rows)
        return pace * waiting if pace is not None and waiting else None

    def forget_owed(self) -> None:
        """Another shoot is open: what waits is let go, and told again when its folder is; what is being written is
        finished."""
        self.clearing.emit()
        self.rows = [row for row in self.rows if row is self._current]
        self.cleared.emit()

    def stop(self, row: Delivery) -> None:
        """Stop a row that waits or works; nothing of it is written."""
        if row.state in (WAITING, LEFT):
            row.state = STOPPED
            self._touch(row)
            self.moved.emit()
        elif row is self._current and self._job:
            self._job.stop()

    def retry(self, row: Delivery) -> None:
        if row.state in (FAILED, STOPPED, LEFT):
            row.state, row.share, row.text = WAITING, 0.0, ""
            self._touch(row)
            self._next()

    def is_idle(self) -> bool:
        return self._job is None

    def end(self) -> None:
        """Begin nothing more and stop what is being written; it is owed all the same."""
        self.is_paused = True
        if self._job is not None:
            self._job.stop()

    def _next(self) -> None:
        if self._job is not None or self.is_paused:
            return
        row = next((r for r in self.rows if r.state == WAITING), None)
        if row is None:
            return
        row.state = WORKING
        self._current, self._began_s = row, time.monotonic()
        self._job = Job(lambda job: self._deliver(job, row), f"deliver {row.picture.name}")
        self._job.progressed.connect(lambda share, _: self._set(row, share=share))
        self._job.returned.connect(lambda path: self._on_returned(row, path))
        self._job.failed.connect(lambda text: self._on_failed(row, text))
        self._job.stopped.connect(lambda: self._set(row, state=STOPPED, share=0.0))
        self._job.finished.connect(self._on_finished)
        self._job.start(LONG)
        self._touch(row)

    def _deliver(self, job: Job, row: Delivery) -> Path:
        # the libraries that write files take a tenth of the start, and many a session delivers nothing
        from ..deliver.write import deliver

        # an engine of its own: the window's stays free for the hand
        picture = as_decided(row.picture, document=row.document, read=self._decoder.read_for(job))
        frame, document = picture.frame, picture.document
        clear_leftovers(row.folder)
        taken_utc = frame.exposure.time_utc or ""
        stem = name_for(
            row.picture, row.order, taken_utc, counter=row.counter, rank=document.rank, version=document.current
        )
        path = free_name(row.folder, stem, row.order)
        said = words_of(document)
        return deliver(
            picture.engine, document.recipe, row.order, path, said=said, progress=job.progress, taken="rename"
        )

    def _on_returned(self, row: Delivery, path: Path) -> None:
        self._took_s = [*self._took_s[1 - PACE_OF :], time.monotonic() - self._began_s]
        self._set(row, state=DONE, share=1.0, path=path)
        self.delivered.emit(row)

    def _on_failed(self, row: Delivery, text: str) -> None:
        self._set(row, state=FAILED, text=text)
        self.failed.emit(text)

    def _on_finished(self) -> None:
        self._job, self._current = None, None
        self.moved.emit()
        self._next()

    def _set(self, row: Delivery, **values: Any) -> None:
        for name, value in values.items():
            setattr(row, name, value)
        self._touch(row)

    def _touch(self, row: Delivery) -> None:
        if row in self.rows:
            self.changed.emit(self.rows.index(row))
