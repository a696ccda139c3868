"""The picture seen another way: grey codes worked out aside for what is in view, and painted over it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QImage, QPainter

from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...recipe.model import Recipe
from ...work.latest import LatestWorker
from .picture_view import PictureView
from .viewport import Viewport

Way = Callable[[Engine, Recipe, int, Region], NDArray[np.uint8]]
"""Gives grey codes (height, width) of a region of a level under a recipe."""


@dataclass(frozen=True)
class _Wanted:
    engine: Engine
    recipe: Recipe
    view: Viewport
    way: Way


class SeenAside(QObject):
    """Painted over the picture while a way is chosen."""

    changed = Signal()

    def __init__(self, name: str) -> None:
        """name: of its thread."""
        super().__init__()
        self.way: Way | None = None
        self._asked: _Wanted | None = None
        self._made: tuple[_Wanted, QImage, tuple[float, float, float, float]] | None = None
        self._worker = LatestWorker(_work, name, yields=True)
        self._worker.answered.connect(self._on_made)

    def choose(self, way: Way | None) -> None:
        """Another way to see the picture; None shows it as it is."""
        self.way = way
        self.forget()
        self.changed.emit()

    def is_idle(self) -> bool:
        return self._worker.is_idle()

    def end(self) -> None:
        self._worker.end()

    def forget(self) -> None:
        self._asked, self._made = None, None

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        engine = view.session.engine
        if self.way is None or engine is None:
            return
        wanted = _Wanted(engine, view.recipe, view.viewport, self.way)
        if wanted != self._asked:
            self._asked = wanted
            self._worker.ask(wanted)
        if self._made is not None and self._made[0].view == view.viewport:
            ratio = view.devicePixelRatioF()
            painter.drawImage(QRectF(*(v / ratio for v in self._made[2])), self._made[1])

    def _on_made(self, wanted: _Wanted, made: tuple[QImage, tuple[float, float, float, float]]) -> None:
        if wanted is self._asked:
            self._made = wanted, *made
            self.changed.emit()


def _work(wanted: Any, emit: Callable[[Any], None]) -> None:
    view = wanted.view
    level = view.level
    region = view.region(level)
    codes = np.ascontiguousarray(wanted.way(wanted.engine, wanted.recipe, level, region))
    height, width = codes.shape
    image = QImage(codes.data, width, height, width, QImage.Format.Format_Grayscale8).copy()
    emit((image, view.placed(region, level)))
