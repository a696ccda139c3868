"""Depth of field, by the circle of confusion of a thin lens, and the blur of a camera that moves."""

import cv2
import numpy as np

from .kernels.layers import cut_layer, fill_behind
from .scene import Box, Map

FRAME_MM = 36.0
"""Width of the sensor."""
SHARP_PX = 0.5
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
    # three colours, and how much of each pixel has been filled
    out = np.zeros((*light.shape[:2], 4), np.float32)
    # from near to far: each layer shows where those before it leave room
    for n, radius in enumerate(stops):
        layer = _layer(light, place, n, abs(radius))
        if layer is None:
            continue
        box, spread = layer
        out[box] = fill_behind(out[box], spread)
    return out[..., :3] / np.maximum(out[..., 3:], 1e-3)


def _layer(light: Map, place: Map, n: int, radius_px: float) -> tuple[Box, Map] | None:
    """What lies near stop n, spread over discs, with its share in a fourth channel; and where it is."""
    box = _box_of(np.abs(place - np.float32(n)) < 1.0, int(radius_px) + 2)
    if box is None:
        return None
    layer = cut_layer(light[box], place[box], n)
    # large discs at reduced size, where nothing fine is left anyway
    shrink = 1
    while radius_px / shrink > 4.0:
        shrink *= 2
    if shrink == 1:
        return box, _disc(layer, radius_px)
    height, width = layer.shape[:2]
    small = cv2.resize(layer, (-(-width // shrink), -(-height // shrink)), interpolation=cv2.INTER_AREA)
    return box, cv2.resize(_disc(small, radius_px / shrink), (width, height), interpolation=cv2.INTER_LINEAR)


SHAKE_DEGREES = 24.0
"""Direction of the movement, from level, downward to the right."""


def shaken(light: Map, length_px: float) -> Map:
    """light (height, width, 3) drawn out along a straight line."""
    reach = int(np.ceil(length_px / 2)) + 1
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    angle = np.radians(SHAKE_DEGREES)
    along, beside = x * np.cos(angle) + y * np.sin(angle), y * np.cos(angle) - x * np.sin(angle)
    line = np.clip(length_px / 2 + 0.5 - np.abs(along), 0.0, 1.0) * np.clip(1.0 - np.abs(beside), 0.0, 1.0)
    return np.asarray(
        cv2.filter2D(light, -1, (line / line.sum()).astype(np.float32), borderType=cv2.BORDER_REFLECT_101)
    )


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
    """Blur by a disc."""
    if radius_px < SHARP_PX:
        return image
    reach = int(np.ceil(radius_px + 0.5))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    kernel = np.clip(radius_px + 0.5 - np.hypot(x, y), 0.0, 1.0).astype(np.float32)
    return np.asarray(cv2.filter2D(image, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REFLECT_101))
