"""The picture as dust shows in it: only what is finer than a sky and coarser than grain, stretched."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QImage, QPainter

from ...develop.engine import Engine
from ...measure.dust import enhanced
from ...recipe.model import Recipe
from ..picture_view import PictureView
from ..viewport import Viewport
from ..worker import LatestWorker


@dataclass(frozen=True)
class _Wanted:
    engine: Engine
    recipe: Recipe
    view: Viewport


class DustView(QObject):
    """Painted over the picture while it is on."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.is_on = False
        self._asked: _Wanted | None = None
        self._made: tuple[_Wanted, QImage, tuple[float, float, float, float]] | None = None
        self._worker = LatestWorker(_enhance, "dust view", yields=True)
        self._worker.answered.connect(self._on_made)

    def switch(self, on: bool) -> None:
        self.is_on = on
        self._made = self._made if on else None
        self._asked = self._asked if on else None
        self.changed.emit()

    def is_idle(self) -> bool:
        return self._worker.is_idle()

    def end(self) -> None:
        self._worker.end()

    def forget(self) -> None:
        self._asked, self._made = None, None

    def paint_over(self, painter: QPainter, view: PictureView) -> None:
        engine = view.session.engine
        if not self.is_on or engine is None:
            return
        wanted = _Wanted(engine, view.recipe, view.viewport)
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


def _enhance(wanted: Any, emit: Callable[[Any], None]) -> None:
    view = wanted.view
    level = view.level
    region = view.region(level)
    codes = np.ascontiguousarray(enhanced(wanted.engine.render(wanted.recipe, level, region, result="camera")))
    height, width = codes.shape
    image = QImage(codes.data, width, height, width, QImage.Format.Format_Grayscale8).copy()
    emit((image, view.placed(region, level)))
