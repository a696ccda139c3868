"""Haze: the colour of the air, and how much of things arrives through it.

In clear air something is dark everywhere, in one of the channels at least; what is not is veiled. So the least
of a pixel's values over the air's, the veil, bounds the haze before it, and its least in a neighbourhood
measures it. Reference: He, Sun, Tang, "Single Image Haze Removal Using Dark Channel Prior", 2009, and "Guided
Image Filtering", 2010; the colour from shadows and the veil as the guide are ours and measured in the tests.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, SceneLinear
from ...image.guided import coefficients
from ...kernels.tone import LEAST_TRANSMISSION, log_luminance

Plane = NDArray[np.float32]

DARK_WINDOW, SHADOW_WINDOW = 0.08, 0.03
"""Of the long side: windows of the dark channel, and of the shadows that show the veil's colour."""
REFINED, VEIL_EDGE = 0.3, 0.1
"""Radius, of the long side, within which the transmission follows the veil, and steps of the veil that are edges when
they are well above it. With a radius of a fraction of the window its borders showed as rims before a sky."""
REACH_BACK = 0.5
"""Of the window: how far the haze of the open reaches back towards what stands before it. Whole, thin haze is taken for
thick; not at all, a broad bright veil stays round a tower."""
HAZY, HAZIEST = 0.7, 0.995
"""Quantiles of the dark channel."""
FAR, LEAST_VEIL = 0.9, 0.12
"""Quantile of the dark channel, and what it is at least of the brightest: less, as in halls, is no haze."""
BEYOND_HAZIEST = 1.35
"""Endless air over the haziest place of a picture, which still lets something through. Measured in the tests."""
BRIGHTEST_AIR = 0.97
"""Quantile of the values that the air's colour cannot exceed."""
KEPT_HAZE = 0.95
"""Share of the haze that the dark channel is trusted with: a little depth is kept (He et al. 2009)."""
OLD_EDGE_EV = 0.25


@dataclass(frozen=True, eq=False)
class Haze:
    """What veils a picture."""

    air: Array
    """(3,) the colour of the veil, scene-linear."""
    transmission: Plane
    """(height, width) of the small picture, 0..1: the share of a thing's own light that arrives."""
    coefficients: tuple[Plane, Plane]
    """a and b, each (height, width): the transmission is a * guide + b. The guide is the veil, the least of a pixel's
    values over the air's, 0..1; for `haze_by_luminance` log luminance."""
    is_seen: bool = True
    """False where no part of the picture shows a veil; then nothing is taken away."""


def haze_of(small: SceneLinear) -> Haze:
    """The haze of a small whole picture (height, width, 3), linear Rec.2020.

    How bright the air is, the haziest places show; which colour it has, the shadows of the hazy ones, where
    next to nothing is added to the veil.
    """
    light = _light(small)
    dark = _dark(light)
    if np.quantile(dark, FAR) < LEAST_VEIL * np.quantile(light.max(axis=2), BRIGHTEST_AIR):
        nothing = np.zeros(small.shape[:2], np.float32)
        return Haze(np.ones(3), nothing + 1.0, (nothing, nothing + 1.0), is_seen=False)
    air = np.maximum(_air(light, dark), 1e-6)
    veil = np.clip((small / air.astype(np.float32)).min(axis=2), 0.0, 1.0)
    least = cv2.erode(veil, _window(small, DARK_WINDOW))
    least = cv2.dilate(least, _window(small, REACH_BACK * DARK_WINDOW))
    return _refined(air, veil, least, REFINED * max(small.shape[:2]), VEIL_EDGE)


def haze_by_luminance(small: SceneLinear) -> Haze:
    """The same as recipes of processing versions 1 and 2 have it: always, and following log luminance closely."""
    light, window = _light(small), _window(small, DARK_WINDOW)
    air = _air(light, _dark(light))
    least = cv2.erode((light / np.maximum(air, 1e-6).astype(np.float32)).min(axis=2), window)
    return _refined(air, log_luminance(small), least, len(window) // 4, OLD_EDGE_EV)


def _refined(air: Array, guide: Plane, least: Plane, radius_px: float, edge: float) -> Haze:
    raw = np.clip(1.0 - KEPT_HAZE * least, LEAST_TRANSMISSION, 1.0).astype(np.float32)
    a, b = coefficients(guide, raw, max(3.0, radius_px), edge)
    return Haze(air, np.clip(a * guide + b, LEAST_TRANSMISSION, 1.0), (a, b))


def _light(small: SceneLinear) -> SceneLinear:
    """Lamps and their like are no air."""
    return np.asarray(np.clip(small, 1e-6, np.quantile(small, BRIGHTEST_AIR)), np.float32)


def _dark(light: SceneLinear) -> Plane:
    """The dark channel: in clear air something is dark everywhere."""
    return np.asarray(cv2.erode(light.min(axis=2), _window(light, DARK_WINDOW)), np.float32)


def _air(light: SceneLinear, dark: Plane) -> Array:
    window = _window(light, SHADOW_WINDOW)
    shadows = np.dstack([cv2.erode(cv2.blur(light[..., c], (3, 3)), window) for c in range(3)])
    thickness = shadows.min(axis=2)
    hazy = shadows[thickness >= np.quantile(thickness, HAZY)]
    colour = np.median(hazy / np.maximum(hazy.sum(axis=1, keepdims=True), 1e-9), axis=0)
    # the brighter half of the haziest places, but no lamp: a median
    brightness = light[dark >= np.quantile(dark, HAZIEST)].sum(axis=1)
    share = colour / colour.sum() if colour.sum() > 0 else np.full(3, 1.0 / 3.0)
    return np.asarray(share * np.quantile(brightness, 0.75) * BEYOND_HAZIEST, np.float64)


def _window(picture: SceneLinear, share: float) -> NDArray[np.uint8]:
    """A square window, its side an odd number of px: a share of the picture's long side."""
    side = max(3, round(max(picture.shape[:2]) * share)) | 1
    return np.ones((side, side), np.uint8)
