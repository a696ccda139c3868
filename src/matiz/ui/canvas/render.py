"""Renders what the picture view shows, on a thread of its own, the latest request first."""

import time
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from PySide6.QtGui import QImage

from ...develop.frame.tiles import deepest
from ...develop.graph.engine import Engine
from ...develop.graph.first_look import FirstLook
from ...recipe.model import Recipe
from ...work.latest import LatestWorker
from .viewport import Viewport

DRAFT_ABOVE_S = 0.030
"""Of a view at full size: its draft is a quick demosaic at half of it."""
COARSE_ABOVE_S = 0.060
"""Of a smaller view, whose draft is one still smaller, and softer: what is quicker follows the hand as it is."""
REST_S = 0.3
"""Without anything new asked for, before what is beside a view is made too."""


@dataclass(frozen=True)
class RenderRequest:
    """A view of a picture under a recipe."""

    engine: Engine
    recipe: Recipe
    view: Viewport


@dataclass(frozen=True)
class Rendered:
    """Pixels for the window, and where they go."""

    image: QImage
    place: tuple[float, float, float, float]
    view: Viewport
    is_draft: bool


class Renderer(LatestWorker):
    """`answered(RenderRequest, Rendered)`: a draft first when the full answer is slow."""

    def __init__(self) -> None:
        self._pace_s: dict[tuple[int, int], float] = {}
        self._first_look = FirstLook()
        super().__init__(self._render, "render", yields=True)

    def forget(self) -> None:
        """Hold nothing of a picture that has gone."""
        self._pace_s = {}
        self._first_look = FirstLook()

    def _render(self, request: RenderRequest, emit: Callable[[Rendered], None]) -> None:
        level = request.view.level
        # pace is known per engine and level; an unknown one is taken for slow
        key = (id(request.engine), level)
        if self._pace_s.get(key, 1.0) > (COARSE_ABOVE_S if level else DRAFT_ABOVE_S):
            smaller = min(level + 1, deepest(request.view.picture))
            alone = request.engine.slow_part(request.recipe, smaller, result="draft") is not None
            emit(rendered(request, smaller, is_draft=True, alone=alone))
            if self.outdated():
                return
        start = time.perf_counter()
        what = (request.engine, request.recipe, level, request.view.region(level))
        first_look = self._first_look
        alone = first_look.is_due(*what)
        answer = rendered(request, level, is_draft=False, alone=alone)
        self._pace_s = {
            key: time.perf_counter() - start,
            **{k: v for k, v in self._pace_s.items() if k[0] == key[0] and k != key},
        }
        emit(answer)
        if alone and not self.outdated_within(REST_S):
            first_look.fill(*what, stopped=self.outdated)


def rendered(request: RenderRequest, level: int, *, is_draft: bool, alone: bool = False) -> Rendered:
    """The pixels of a view, from a level of the picture. alone: without its tiles."""
    view = request.view
    region = view.region(level)
    render = request.engine.render_alone if alone else request.engine.render
    pixels = render(request.recipe, level, region, result="draft" if is_draft else "screen")
    x, y, width, height = view.placed(region, level)
    size = (max(1, round(width)), max(1, round(height)))
    if not is_draft and size != (pixels.shape[1], pixels.shape[0]) and size[0] <= pixels.shape[1]:
        pixels = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return Rendered(to_image(pixels), (x, y, width, height), view, is_draft)


def to_image(pixels: np.ndarray) -> QImage:
    """A QImage over screen pixels (height, width, 4), which it keeps alive."""
    height, width = pixels.shape[:2]
    image = QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)
    image._pixels = pixels  # type: ignore[attr-defined]
    return image


def pixels_of(image: QImage) -> np.ndarray:
    """The screen pixels (height, width, 4), blue first, of an image of 32 bits; they are its own."""
    flat = np.frombuffer(image.constBits(), np.uint8)
    return flat.reshape(image.height(), image.bytesPerLine())[:, : image.width() * 4].reshape(
        image.height(), image.width(), 4
    )
