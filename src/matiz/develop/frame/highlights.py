"""The colour round clipped places: what a clipped channel is rebuilt with, smooth and without a seam.

Ratios of red and blue to green are taken where nothing is clipped, the brightest places first, and
spread into the clipped ones by weighted means over ever larger areas (pull-push; Gortler, Grzeszczuk,
Szeliski, Cohen 1996).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Camera
from ...image.channels import highest, lowest

CLEAR = 0.94
"""Share of the full level below which a value is surely not clipped."""
LEAST = 2e-3
MOST_EV = 6.0


def ratios_around(camera: Camera, full: float) -> NDArray[np.float32]:
    """log2 of red and blue over green (height, width, 2) of a small camera picture (height, width, 3),
    with clipped places filled from round about."""
    held = np.maximum(camera, LEAST * full)
    ratios = np.log2(held[..., [0, 2]] / held[..., 1:2]).clip(-MOST_EV, MOST_EV).astype(np.float32)
    brightest = highest(camera)
    # beside a highlight the bright places are of its kind, the dark ones seldom
    weight = np.where(brightest < CLEAR * full, (brightest / full).clip(0.01, 1.0) ** 4, 0.0).astype(np.float32)
    weight = np.minimum(weight, np.where(lowest(camera) > LEAST * full, 1.0, 1e-9)).astype(np.float32)
    return _filled(ratios, weight)


def _filled(values: NDArray[np.float32], weight: NDArray[np.float32]) -> NDArray[np.float32]:
    height, width = weight.shape
    if min(height, width) < 4:
        mean = (values * weight[..., None]).sum(axis=(0, 1)) / max(float(weight.sum()), 1e-9)
        return np.broadcast_to(mean, values.shape).astype(np.float32)
    size = (-(-width // 2), -(-height // 2))
    small_weight = cv2.resize(weight, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(values * weight[..., None], size, interpolation=cv2.INTER_AREA)
    small = small / np.maximum(small_weight, 1e-12)[..., None]
    coarse = cv2.resize(
        _filled(small.astype(np.float32), small_weight), (width, height), interpolation=cv2.INTER_LINEAR
    )
    own = (weight / (weight + 1e-3))[..., None]
    return np.asarray(values * own + coarse * (1.0 - own), np.float32)
