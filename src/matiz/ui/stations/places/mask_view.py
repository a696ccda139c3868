"""The mask of a place over the picture: what lies outside grey and dim, or the mask alone in greys."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from PySide6.QtCore import QObject, QRectF, Signal
from PySide6.QtGui import QImage, QPainter

from ....develop.graph.engine import Engine
from ....develop.graph.graph import place_mask
from ....recipe.model import Recipe
from ....work.latest import LatestWorker
from ...canvas.picture_view import PictureView
from ...canvas.render import pixels_of, to_image
from ...canvas.viewport import Viewport

OFF, PICTURE, GREY = "off", "picture", "grey"
MODES = (OFF, PICTURE, GREY)
DIM, LIFT = 0.5, 34.0
"""Of what lies outside: how much of its grey is left, and what of 255 is added, so that black is told from grey too."""


@dataclass(frozen=True)
class WantedMask:
    """A mask of a view of a picture."""

    engine: Engine
    recipe: Recipe
    ident: str
    view: Viewport
    image: QImage
    mode: str

    def is_like(self, other: "WantedMask | None") -> bool:
        if other is None or (self.ident, self.mode, self.view) != (other.ident, other.mode, other.view):
            return False
        return self.image.cacheKey() == other.image.cacheKey() and self.recipe.places is other.recipe.places


class MaskView(QObject):
    """Works the picture over off the window's thread."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.mode = OFF
        self.is_hidden = False
        """While a tape moves: what it does is to be seen."""
        self._asked: WantedMask | None = None
        self._made: tuple[WantedMask, QImage] | None = None
        self._worker = LatestWorker(_made, "mask view", yields=True)
        self._worker.answered.connect(self._on_made)

    def is_idle(self) -> bool:
        return self._worker.is_idle()

    def end(self) -> None:
        self._worker.end()

    def forget(self) -> None:
        self._asked, self._made = None, None

    def paint(self, painter: QPainter, view: PictureView, ident: str) -> None:
        """Paint over the picture, and have it made anew where something is not as it was."""
        image, place, engine = view.image(), view.image_place(), view.session.engine
        if self.mode == OFF or self.is_hidden or not ident or image is None or place is None or engine is None:
            return
        wanted = WantedMask(engine, view.recipe, ident, view.viewport, image, self.mode)
        if not wanted.is_like(self._asked):
            self._asked = wanted
            self._worker.ask(wanted)
        if self._made is not None and self._made[0].view == view.viewport and self._made[0].ident == ident:
            painter.drawImage(QRectF(place), self._made[1])

    def _on_made(self, wanted: WantedMask, image: QImage) -> None:
        if wanted is self._asked:
            self._made = wanted, image
            self.changed.emit()


def _made(wanted: WantedMask, emit: Callable[[QImage], None]) -> None:
    if wanted.ident not in wanted.recipe.places:
        return
    level = wanted.view.level
    region = wanted.view.region(level)
    node, n = place_mask(wanted.recipe, wanted.ident)
    own = np.ascontiguousarray(wanted.engine.render(wanted.recipe, level, region, result=node)[..., n])
    size = wanted.image.width(), wanted.image.height()
    how = cv2.INTER_AREA if size[0] < own.shape[1] else cv2.INTER_LINEAR
    own = own if own.shape[::-1] == size else cv2.resize(own, size, interpolation=how)
    if wanted.mode == GREY:
        codes = (own * 255.0 + 0.5).astype(np.uint8)
        emit(to_image(cv2.cvtColor(codes, cv2.COLOR_GRAY2BGRA)))
        return
    emit(to_image(over(pixels_of(wanted.image), own)))


def over(shown: np.ndarray, own: np.ndarray) -> np.ndarray:
    """A picture (height, width, 4) of 8 bits with what lies outside of a mask (height, width) grey and dim."""
    grey = cv2.cvtColor(shown, cv2.COLOR_BGRA2GRAY).astype(np.float32) * DIM + LIFT
    out = grey[..., None] + (shown - grey[..., None]) * own[..., None]
    out[..., 3] = 255.0
    return np.ascontiguousarray(np.clip(out + 0.5, 0.0, 255.0).astype(np.uint8))
