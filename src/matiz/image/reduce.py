"""Pictures made smaller, for what is read from them at one size whatever theirs is."""

import cv2
import numpy as np
from numpy.typing import NDArray


def reduced(picture: NDArray[np.float32], long_px: int) -> NDArray[np.float32]:
    """The picture (height, width, 3) with a long side of `long_px` px, by means of areas; smaller ones as they are."""
    height, width = picture.shape[:2]
    scale = long_px / max(height, width)
    if scale >= 1.0:
        return picture
    size = max(1, round(width * scale)), max(1, round(height * scale))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)
