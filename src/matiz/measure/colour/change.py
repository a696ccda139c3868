"""What a recipe changed: the difference of two pictures as a map and as contours."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.difference import delta_E_2000
from ...colour.spaces import decode_sRGB, sRGB_to_Lab
from ...colour.types import Array
from ...errors import ArgumentError

LEVELS_dE = (2.0, 5.0, 10.0, 20.0)
"""ΔE00 of the contours: just seen, plain, strong, another picture. Common practice, no source."""
MAP_PX = 320
CALM_PX = 2.0
LEAST_POINTS = 24

Screen = NDArray[np.uint8]


def change_map(before: Screen, after: Screen) -> NDArray[np.float32]:
    """ΔE00 of two screen pictures (height, width, 4), blue first, sRGB-encoded; at most MAP_PX on the long side."""
    if before.shape != after.shape or before.ndim != 3 or before.shape[2] != 4:
        raise ArgumentError(f"after: expected the shape of before, {before.shape}, got {after.shape}")
    scale = min(1.0, MAP_PX / max(before.shape[:2]))
    labs = []
    for picture in (before, after):
        size = max(1, round(picture.shape[1] * scale)), max(1, round(picture.shape[0] * scale))
        small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        labs.append(sRGB_to_Lab(decode_sRGB(small[..., 2::-1] / 255.0)))
    return delta_E_2000(*labs).astype(np.float32)


def contours(difference: NDArray[np.float32]) -> dict[float, list[Array]]:
    """Closed lines (n, 2), in 0..1 of width and height, round what differs by more than each of LEVELS_dE."""
    calm = cv2.GaussianBlur(difference, (0, 0), CALM_PX)
    height, width = calm.shape
    out: dict[float, list[Array]] = {}
    for level in LEVELS_dE:
        # a border of nothing, so that lines close
        mask = cv2.copyMakeBorder((calm > level).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
        found, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        lines = [c[:, 0] for c in found if len(c) >= LEAST_POINTS]
        out[level] = [(line - 0.5) / np.array([width, height]) for line in lines]
    return out
