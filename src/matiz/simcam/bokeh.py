"""Depth of field, by the circle of confusion of a thin lens, and the blur of a camera that moves."""

import cv2
import numpy as np

from .scene import Box, Map

FRAME_MM = 36.0
"""Width of the sensor."""
SHARP_PX = 0.35
"""Radius below which a disc is a point."""


def circle_px(depth_m: Map, *, focal_mm: float, f_number: float, focus_m: float, width_px: int) -> Map:
    """Radius in px of the disc that a point at each depth becomes; negative nearer than the focus."""
    focal_m = focal_mm / 1000.0
    share = (depth_m - focus_m) / np.maximum(depth_m, 1e-3)
    diameter_m = focal_m**2 / (f_number * max(focus_m - focal_m, 1e-3)) * share
    return np.asarray(diameter_m / 2 * 1000.0 / FRAME_MM * width_px, np.float32)


def defocused(light: Map, radius_px: Map) -> Map:
    """light (height, width, 3) with each pixel spread over a disc; nearer ones lie over farther ones."""
    largest = float(np.abs(radius_px).max())
    if largest < SHARP_PX:
        return light
    stops = _stops(radius_px)
    place = np.interp(radius_px, stops, np.arange(len(stops))).astype(np.float32)
    # the fourth channel counts how much of each pixel a layer has
    whole = np.dstack([light, np.ones(light.shape[:2], np.float32)])
    out = np.zeros_like(light)
    covered = np.zeros(light.shape[:2], np.float32)
    # from near to far: each layer shows where those before it leave room
    for n, radius in enumerate(stops):
        share = np.maximum(1.0 - np.abs(place - n), 0.0)
        box = _box_of(share, int(abs(radius)) + 2)
        if box is None:
            continue
        spread = _disc(whole[box] * share[box][..., None], abs(radius))
        amount = np.minimum(spread[..., 3], 1.0 - covered[box])
        out[box] += spread[..., :3] * (amount / np.maximum(spread[..., 3], 1e-6))[..., None]
        covered[box] += amount
    return out / np.maximum(covered, 1e-3)[..., None]


SHAKE_DEGREES = 24.0
"""Direction of the movement, from level, downward to the right."""


def shaken(light: Map, length_px: float) -> Map:
    """light (height, width, 3) drawn out along a straight line."""
    reach = int(np.ceil(length_px / 2)) + 1
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    angle = np.radians(SHAKE_DEGREES)
    along, beside = x * np.cos(angle) + y * np.sin(angle), y * np.cos(angle) - x * np.sin(angle)
    line = np.clip(length_px / 2 + 0.5 - np.abs(along), 0.0, 1.0) * np.clip(1.0 - np.abs(beside), 0.0, 1.0)
    return np.asarray(cv2.filter2D(light, -1, (line / line.sum()).astype(np.float32), borderType=cv2.BORDER_REFLECT_101))


def _box_of(share: Map, margin: int) -> Box | None:
    """The part of the picture where anything is, and a margin round it."""
    rows, columns = np.flatnonzero(share.any(axis=1)), np.flatnonzero(share.any(axis=0))
    if rows.size == 0:
        return None
    return tuple(  # type: ignore[return-value]
        slice(max(0, int(used[0]) - margin), min(n, int(used[-1]) + 1 + margin))
        for used, n in zip((rows, columns), share.shape, strict=True)
    )


def _stops(radius_px: Map) -> list[float]:
    """Signed radii, near (negative) to far, a factor of 2 apart."""
    low, high = min(0.0, float(radius_px.min())), max(0.0, float(radius_px.max()))

    def side(limit: float) -> list[float]:
        radii = [0.7]
        while radii[-1] < limit:
            radii.append(radii[-1] * 2.0)
        return radii if limit > SHARP_PX else []

    return [-r for r in reversed(side(-low))] + [0.0] + side(high)


def _disc(image: Map, radius_px: float) -> Map:
    """Blur by a disc; a large one at reduced size, where nothing fine is left anyway."""
    if radius_px < SHARP_PX:
        return image
    shrink = 1
    while radius_px / shrink > 7.0:
        shrink *= 2
    height, width = image.shape[:2]
    small = image
    if shrink > 1:
        size = (-(-width // shrink), -(-height // shrink))
        small = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    radius = radius_px / shrink
    reach = int(np.ceil(radius + 0.5))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    kernel = np.clip(radius + 0.5 - np.hypot(x, y), 0.0, 1.0).astype(np.float32)
    small = cv2.filter2D(small, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT_101)
    return small if shrink == 1 else cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
