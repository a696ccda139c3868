"""Exif orientation (1..8; Exif 2.32, tag 274) applied to pixels: the one place that knows what its values mean."""

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

Kind = TypeVar("Kind", bound=np.generic)
Box = tuple[int, int, int, int]


def swaps_sides(orientation: int) -> bool:
    """Whether width and height change places."""
    return orientation >= 5


def _flips(orientation: int) -> tuple[bool, bool]:
    """Whether rows and columns of the upright picture run against those stored (or stored and transposed)."""
    return orientation in (3, 4, 7, 8), orientation in (2, 3, 6, 7)


def upright(image: NDArray[Kind], orientation: int) -> NDArray[Kind]:
    """Pixels (height, width, channels) as stored, turned as their orientation asks; contiguous."""
    if swaps_sides(orientation):
        image = image.transpose(1, 0, 2)
    rows, columns = _flips(orientation)
    return np.ascontiguousarray(image[:: -1 if rows else 1, :: -1 if columns else 1])


def stored_box(box: Box, size: tuple[int, int], orientation: int) -> Box:
    """x, y, width, height of a part of the upright picture, in the pixels as stored. size: of the upright picture."""
    x, y, w, h = box
    rows, columns = _flips(orientation)
    y = size[1] - y - h if rows else y
    x = size[0] - x - w if columns else x
    return (y, x, h, w) if swaps_sides(orientation) else (x, y, w, h)
