"""The look of a picture: a few hundred lightnesses, kept with its readings, by which two pictures are compared."""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE, lightness
from ...colour.types import Array
from ...develop.stages.node import Pixels

LOOK_PX = (24, 16)
"""Width and height, however the picture is shaped."""
FINER, REACH, COARSE = 2, 4, 4.0
"""How many times finer looks are laid on each other, how many px of that they may be off, and the spread of what is
taken for light and shade, not for things."""
KEPT = 4096
"""Comparisons that are remembered: those of a shoot are asked for over and over while it is looked at."""
LEAST_SPREAD = 1.0
"""L*: what is flatter has no look."""


def look_of(display: Pixels) -> str:
    """Of a picture (height, width, 3), display-linear Rec.2020: L*, two hexadecimal digits each, row by row."""
    small = cv2.resize(np.ascontiguousarray(display @ LUMINANCE, np.float32), LOOK_PX, interpolation=cv2.INTER_AREA)
    return np.clip(np.rint(lightness(np.maximum(small, 0.0))), 0, 100).astype(np.uint8).tobytes().hex()


def lightnesses(look: str) -> Array:
    """Of a look, (height, width), L*. Raises ValueError for what is none."""
    values = np.frombuffer(bytes.fromhex(look), np.uint8).astype(np.float64)
    return values.reshape(LOOK_PX[::-1])


@lru_cache(maxsize=KEPT)
def likeness(one: str, other: str) -> float:
    """How alike two looks are, -1..1: the correlation of their things, laid on each other as well as may be; -1 where
    either has none."""
    a, b = (_things(lightnesses(look)) for look in (one, other))
    inner = np.ascontiguousarray(a[REACH:-REACH, REACH:-REACH])
    if min(inner.std(), b.std()) < LEAST_SPREAD:
        return -1.0
    return float(cv2.matchTemplate(b, inner, cv2.TM_CCOEFF_NORMED).max())


def _things(look: Array) -> NDArray[np.float32]:
    finer = cv2.resize(look.astype(np.float32), None, fx=FINER, fy=FINER, interpolation=cv2.INTER_CUBIC)
    return np.asarray(finer - cv2.GaussianBlur(finer, (0, 0), COARSE), np.float32)
