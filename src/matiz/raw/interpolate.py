"""Mosaics of any period to three channels: green along edges, red and blue by their difference from it.

Green is interpolated along rows and along columns from what green there is (normalised convolution,
Knutsson and Westin 1993), and mixed so that no interpolation runs across an edge. Differences of red
and blue from green are smooth, so they are interpolated evenly; a median takes lone false colours
away. Green at red and blue places is then mended once from those differences. As for 2x2 mosaics, all
of it works on square roots, in which edges are steps of even height at any brightness.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Camera
from ..kernels.demosaic import TOE

MARGIN_PX = 18
"""How far the interpolation looks around a pixel."""

LEAST_CHANGE = 2e-4
LONG, SHORT, DIFFERENCE = (7, 0.7), (3, 0.35), (9, 1.3)
"""Size in px and sigma of the windows: along and across a direction of green, and of differences."""

Floats = NDArray[np.float32]


def interpolated(balanced: Floats, pattern: NDArray[np.uint8]) -> Camera:
    """Three channels (height, width, 3) at every place of a balanced mosaic (height, width).

    pattern: one period, 0 red, 1 green, 2 blue. A photosite keeps its own value.
    """
    height, width = balanced.shape
    rows, columns = pattern.shape
    colours = np.tile(pattern, (-(-height // rows), -(-width // columns)))[:height, :width]
    above = balanced + np.float32(TOE)
    root = (np.sign(above) * np.sqrt(np.abs(above))).astype(np.float32)
    green = _green(root, colours == 1)
    for left in (1, 0):
        differences = {channel: _spread(root - green, colours == channel, DIFFERENCE, DIFFERENCE) for channel in (0, 2)}
        differences = {channel: cv2.medianBlur(values, 3) for channel, values in differences.items()}
        if left:
            for channel, difference in differences.items():
                here = colours == channel
                green[here] = 0.5 * (green[here] + (root - difference)[here])
    out = np.empty((height, width, 3), np.float32)
    out[..., 1] = green
    for channel, difference in differences.items():
        out[..., channel] = np.where(colours == channel, root, green + difference)
    return np.asarray(out * np.abs(out) - np.float32(TOE))


def _green(root: Floats, is_green: NDArray[np.bool_]) -> Floats:
    along, across = _spread(root, is_green, LONG, SHORT), _spread(root, is_green, SHORT, LONG)
    even = _spread(root, is_green, (7, 0.8), (7, 0.8))
    change_x = cv2.blur(np.abs(cv2.Sobel(even, cv2.CV_32F, 1, 0)), (3, 3))
    change_y = cv2.blur(np.abs(cv2.Sobel(even, cv2.CV_32F, 0, 1)), (3, 3))
    # along rows where change along rows is small
    weight_x, weight_y = 1.0 / (change_x**2 + LEAST_CHANGE), 1.0 / (change_y**2 + LEAST_CHANGE)
    mixed = (along * weight_x + across * weight_y) / (weight_x + weight_y)
    return np.where(is_green, root, mixed).astype(np.float32)


def _spread(
    values: Floats, where: NDArray[np.bool_], window_x: tuple[int, float], window_y: tuple[int, float]
) -> Floats:
    """Weighted means of the values given, at every place."""
    kernel_x, kernel_y = (cv2.getGaussianKernel(*window).astype(np.float32) for window in (window_x, window_y))
    mask = where.astype(np.float32)

    def mean(image: Floats) -> Floats:
        return np.asarray(cv2.sepFilter2D(image, -1, kernel_x, kernel_y, borderType=cv2.BORDER_REFLECT_101))

    return np.asarray(mean(values * mask) / np.maximum(mean(mask), 1e-5), np.float32)
