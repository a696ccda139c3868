"""Pictures made smaller, for what is read from them at one size whatever theirs is."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError


def reduced(picture: NDArray[np.float32], long_px: int) -> NDArray[np.float32]:
    """The picture (height, width, 3) with a long side of `long_px` px, by means of areas; smaller ones as they are."""
    height, width = picture.shape[:2]
    scale = long_px / max(height, width)
    if scale >= 1.0:
        return picture
    size = max(1, round(width * scale)), max(1, round(height * scale))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)


def halved(image: NDArray[np.float32]) -> NDArray[np.float32]:
    """Area means over 2x2 pixels; an odd last row or column is dropped."""
    height, width = image.shape[0] // 2, image.shape[1] // 2
    if min(height, width) == 0:
        raise ArgumentError(f"image: {image.shape[1]}x{image.shape[0]} px is too small for this level")
    even = np.ascontiguousarray(image[: height * 2, : width * 2])
    return np.asarray(cv2.resize(even, (width, height), interpolation=cv2.INTER_AREA))
