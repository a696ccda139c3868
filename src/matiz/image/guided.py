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


def colour_coefficients(
    guide: NDArray[np.float32], values: Plane, radius_px: float, edge: float
) -> tuple[NDArray[np.float32], Plane]:
    """(a, b) of the smoothed `values` = sum(a * guide) + b for a guide of three colours: a (height, width, 3).

    The rest as for `coefficients`; steps in any mixture of the colours are kept.
    """
    if guide.shape != (*values.shape, 3):
        raise ArgumentError(f"guide: expected {(*values.shape, 3)}, got {guide.shape}")
    if not (radius_px >= 0.5 and edge > 0):
        raise ArgumentError(f"radius_px and edge: at least 0.5 and above 0, got {radius_px:g} and {edge:g}")
    side = 2 * max(1, round(radius_px)) + 1

    def mean(image: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(cv2.blur(image, (side, side), borderType=cv2.BORDER_REFLECT), np.float32)

    middle = guide.mean(axis=(0, 1), dtype=np.float64).astype(np.float32)
    centred = guide - middle
    mean_guide, mean_values = mean(centred), mean(values)
    pairs = [(0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2)]
    xx, xy, xz, yy, yz, zz = (
        mean(centred[..., i] * centred[..., j]) - mean_guide[..., i] * mean_guide[..., j] for i, j in pairs
    )
    extra = np.float32(edge * edge)
    xx, yy, zz = xx + extra, yy + extra, zz + extra
    together = [mean(centred[..., i] * values) - mean_guide[..., i] * mean_values for i in range(3)]
    # the inverse of a symmetric 3x3 matrix by its cofactors
    c00, c01, c02 = yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy
    c11, c12, c22 = xx * zz - xz * xz, xy * xz - xx * yz, xx * yy - xy * xy
    scale = 1.0 / np.maximum(xx * c00 + xy * c01 + xz * c02, 1e-20)
    t0, t1, t2 = together
    slope = np.stack(
        [(c00 * t0 + c01 * t1 + c02 * t2) * scale, (c01 * t0 + c11 * t1 + c12 * t2) * scale,
         (c02 * t0 + c12 * t1 + c22 * t2) * scale], axis=2,
    ).astype(np.float32)  # fmt: skip
    level = mean_values - (slope * mean_guide).sum(axis=2)
    a, b = mean(slope), mean(level)
    return a, np.asarray(b - (a * middle).sum(axis=2), np.float32)
