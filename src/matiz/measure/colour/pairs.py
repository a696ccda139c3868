"""Two areas compared: how far their colours are apart, and how sure that is."""

from dataclasses import dataclass

import numpy as np

from ...colour.difference import delta_E_2000
from ...colour.spaces import Lab_to_LCh, sRGB_to_Lab
from ...colour.types import Array
from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...recipe.model import Recipe

GREY_CHROMA = 2.0
"""C*ab below which a hue says nothing."""
MAD_TO_SD = 1.4826
MOST_PX = 200_000
"""Of an area that count: more of it is read at a smaller level."""


@dataclass(frozen=True)
class PairReading:
    """By how much the second area differs from the first: L*, C*ab, CIELAB hue."""

    dE00: float
    dh: float
    """Degrees, -180..180, counted toward yellow from red; 0 where either is grey."""
    dC: float
    dL: float
    error: float
    """Standard error of dE00, as far as the spread within the areas tells."""

    @classmethod
    def of(cls, first: Array, second: Array, error: float = 0.0) -> "PairReading":
        """Of two colours L*, a*, b*."""
        (L1, C1, h1), (L2, C2, h2) = (Lab_to_LCh(each) for each in (first, second))
        is_grey = min(C1, C2) < GREY_CHROMA
        dh = 0.0 if is_grey else float((h2 - h1 + 180.0) % 360.0 - 180.0)
        return cls(float(delta_E_2000(first, second)), dh, float(C2 - C1), float(L2 - L1), error)


def middle_of(Lab: Array) -> tuple[Array, float]:
    """The middle of colours (n, 3), each coordinate's median, and its standard error as a distance: medians shrug at a
    twig or a gleam in an area."""
    Lab = Lab.reshape(-1, 3)
    middle = np.median(Lab, axis=0)
    spread = MAD_TO_SD * np.median(np.abs(Lab - middle), axis=0)
    # a median's error is 1.25 times a mean's, for errors that are normal
    return middle, float(1.2533 * np.linalg.norm(spread) / np.sqrt(len(Lab)))


def compare(first: Array, second: Array) -> PairReading:
    """Two areas, L*, a*, b* (n, 3) each."""
    (one, error_1), (two, error_2) = (middle_of(each) for each in (first, second))
    return PairReading.of(one, two, float(np.hypot(error_1, error_2)))


def shown_lab(engine: Engine, recipe: Recipe, area: Region, result: str = "display") -> Array:
    """L*, a*, b* (n, 3) of an area in px of the full-size picture, as it is shown."""
    level = 0
    while area[2] * area[3] / 4**level > MOST_PX:
        level += 1
    x, y, w, h = area
    width, height = engine.size(recipe, level)
    left, top = min(x >> level, width - 2), min(y >> level, height - 2)
    small = left, top, min(max(w >> level, 2), width - left), min(max(h >> level, 2), height - top)
    return sRGB_to_Lab(engine.peek(recipe, level, small, result=result)).reshape(-1, 3)


def shown_pair(engine: Engine, recipe: Recipe, first: Region, second: Region) -> PairReading:
    """Two areas of the picture as they are shown."""
    return compare(*(shown_lab(engine, recipe, area) for area in (first, second)))
