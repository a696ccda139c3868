"""Point-like lights, such as stars, in planes whose noise is known: taking noise out must not dim them.

A light so small shares its few px with noise in every block of frequencies, and loses a tenth of its flux and more. On
even ground it is told from noise by a matched filter; there it is left as it came.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ...kernels.block_sizes import SIDE

Planes = NDArray[np.float32]

SPREAD_PX = 0.9
"""Of the filter: lights are as wide as the lens and the demosaic make a point."""
OVER_NOISE = 5.5
"""How far a point stands out of the ground, in the noise that the filter leaves: by chance one px in 50 million."""
GROUND_PX, CALM_PX = 11, 5
"""The ground about a point, and the median, at half the size, that takes a point out of it."""
POINTS_PX = 14
"""How far all this looks, with KEPT_PX and SOFT_PX."""
EVEN, COARSE = 0.25, 3
"""Spread of such medians, in the noise of so many of the lowest frequencies each way, up to which the ground is even:
white noise alone makes 0.12. Rougher ground is texture, whose specks are no lights."""
KEPT_PX, SOFT_PX = 2.5, 1.0
"""Radius about a point that is left as it came, and over how many px that ends."""


def kept_points(lightness: NDArray[np.float32], spread: Planes) -> NDArray[np.float32]:
    """How much of each px is left as it came, 0..1 (height, width). lightness: the plane of it; spread: (8, 8) of its
    noise, see `develop.noise`."""
    broad = float(np.sqrt((spread[:COARSE, :COARSE].astype(np.float64) ** 2).mean()))
    half = cv2.resize(lightness, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    calm = cv2.medianBlur(half, CALM_PX)
    mean, square = (cv2.blur(each, (GROUND_PX // 2, GROUND_PX // 2)) for each in (calm, cv2.multiply(calm, calm)))
    rough = cv2.subtract(square, cv2.multiply(mean, mean))
    size = lightness.shape[1], lightness.shape[0]
    mean, rough = (cv2.resize(each, size, interpolation=cv2.INTER_LINEAR) for each in (mean, rough))
    even = cv2.compare(rough, (EVEN * broad) ** 2, cv2.CMP_LT)
    out = np.zeros_like(lightness)
    if not cv2.hasNonZero(even):
        return out
    found = cv2.GaussianBlur(lightness, (0, 0), SPREAD_PX)
    peak = cv2.compare(found, cv2.dilate(found, np.ones((3, 3), np.uint8)), cv2.CMP_EQ)
    clear = cv2.compare(cv2.subtract(found, mean), OVER_NOISE * _passed(spread), cv2.CMP_GT)
    rows, columns = np.nonzero(cv2.bitwise_and(cv2.bitwise_and(peak, clear), even))
    if not len(rows):
        return out
    away = np.ones(lightness.shape, np.uint8)
    away[rows, columns] = 0
    far = cv2.distanceTransform(away, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.clip((KEPT_PX + SOFT_PX - far) / SOFT_PX, 0.0, 1.0).astype(np.float32)


def _passed(spread: Planes) -> float:
    """Noise that the filter leaves, by its frequencies."""
    frequency = np.pi * np.arange(SIDE) / SIDE
    bell = np.exp(-0.5 * (SPREAD_PX * frequency) ** 2)
    return float(np.sqrt(((spread * np.outer(bell, bell)) ** 2).mean()))
