"""The guided filter: smoothing that keeps edges, as a straight line in the guide at every place.

Its coefficients vary slowly, so they may be worked out on a small picture and used on a large one: the
edges come from the large guide itself.

References: He, Sun, Tang, "Guided Image Filtering", 2010; He, Sun, "Fast Guided Filter", 2015.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError

Plane = NDArray[np.float32]


def coefficients(guide: Plane, values: Plane, radius_px: float, edge: float) -> tuple[Plane, Plane]:
    """(a, b) of the smoothed `values` = a * guide + b, each (height, width).

    guide, values: (height, width). radius_px: of the square window, at least half a pixel. edge: steps of
    the guide well above it are kept, those well below it are smoothed away; in the guide's own unit.
    """
    if guide.shape != values.shape or guide.ndim != 2:
        raise ArgumentError(f"values: expected the guide's shape {guide.shape}, got {values.shape}")
    if not (radius_px >= 0.5 and edge > 0):
        raise ArgumentError(f"radius_px and edge: at least 0.5 and above 0, got {radius_px:g} and {edge:g}")
    side = 2 * max(1, round(radius_px)) + 1
    # about a common middle, so that squares keep their precision
    middle = np.float32(guide.mean())
    centred = guide - middle

    def mean(image: Plane) -> Plane:
        return np.asarray(cv2.blur(image, (side, side), borderType=cv2.BORDER_REFLECT), np.float32)

    mean_guide, mean_values = mean(centred), mean(values)
    variance = np.maximum(mean(centred * centred) - mean_guide * mean_guide, 0.0)
    together = mean(centred * values) - mean_guide * mean_values
    slope = np.asarray(together / (variance + np.float32(edge * edge)), np.float32)
    level = np.asarray(mean_values - slope * mean_guide, np.float32)
    a, b = mean(slope), mean(level)
    return a, np.asarray(b - a * middle, np.float32)
