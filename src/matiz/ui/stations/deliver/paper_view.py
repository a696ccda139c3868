"""The picture as a paper shows it, over the picture; with contours of what moves, where they are wanted."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QImage, QPainter

from ....deliver.paper import Paper, PaperReading, on_paper, read_paper
from ....measure.colour.change import change_map, contours
from ....work.latest import LatestWorker
from ...canvas.picture_view import PictureView
from ...canvas.render import pixels_of, to_image
from ...kit.over_picture import paint_contours

OFF, INKS, PAPER = "off", "inks", "paper"
"""What is shown: the screen's picture, what inks make of it, and that on the paper's own white."""


@dataclass(frozen=True)
class WantedPaper:
    """A paper for what is seen of a picture."""

    image: QImage
    paper: Paper
    mode: str
    differs: bool
    """Whether contours are drawn."""

    def is_like(self, other: "WantedPaper | None") -> bool:
        own = (self.paper, self.mode, self.differs, self.image.cacheKey())
        return other is not None and own == (other.paper, other.mode, other.differs, other.image.cacheKey())


@dataclass(frozen=True)
class Made:
    """What came of it."""

    image: QImage
    reading: PaperReading
    lines: dict[float, list[np.ndarray]] = field(default_factory=dict)


class PaperView(QObject):
    """Works the picture over off the window's thread."""

    changed = Signal()
    failed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.mode, self.differs = OFF, False
        self.paper: Paper | None = None
        self.reading: PaperReading | None = None
        self._asked: WantedPaper | None = None
        self._made: Made | None = None
        self._worker = LatestWorker(_made, "paper view", yields=True)
        self._worker.answered.connect(self._on_made)
        self._worker.failed.connect(self._on_failed)

    def is_idle(self) -> bool:
        return self._worker.is_idle()

    def end(self) -> None:
        self._worker.end()

    def forget(self) -> None:
        self._asked, self._made, self.reading = None, None, None

    def paint(self, painter: QPainter, view: PictureView) -> None:
        """Paint over the picture, and have it made anew where something is not as it was."""
        image, place = view.image(), view.image_place()
        if self.mode == OFF or self.paper is None or image is None or place is None or view.is_before():
            return
        wanted = WantedPaper(image, self.paper, self.mode, self.differs)
        if not wanted.is_like(self._asked):
            self._asked = wanted
            self._worker.ask(wanted)
        if self._made is not None and self._made.image.size() == image.size():
            painter.drawImage(QRectF(place), self._made.image)
            if self.differs:
                paint_contours(painter, QRectF(place), self._made.lines)

    def _on_made(self, wanted: WantedPaper, made: Made) -> None:
        if wanted is self._asked:
            self._made, self.reading = made, made.reading
            self.changed.emit()

    def _on_failed(self, wanted: WantedPaper, text: str) -> None:
        if wanted is self._asked:
            self.mode = OFF
            self.failed.emit(text)


def _made(wanted: WantedPaper, emit: Callable[[Made], None]) -> None:
    screen = pixels_of(wanted.image)
    red_first = np.ascontiguousarray(screen[..., 2::-1])
    shown = on_paper(red_first, wanted.paper, with_white=wanted.mode == PAPER)
    lines: dict[float, list[np.ndarray]] = {}
    if wanted.differs:
        inks = shown if wanted.mode == INKS else on_paper(red_first, wanted.paper, with_white=False)
        lines = contours(change_map(screen, _as_screen(inks)))
    emit(Made(to_image(_as_screen(shown)), read_paper(red_first, wanted.paper), lines))


def _as_screen(red_first: np.ndarray) -> np.ndarray:
    out = np.full((*red_first.shape[:2], 4), 255, np.uint8)
    out[..., 2::-1] = red_first
    return out
