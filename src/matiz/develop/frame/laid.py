"""A frame as it lies on another one, an area at a time."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera
from ...image.channels import highest
from ...image.orientation import upright
from ...raw.frame import Frame
from .alignment import Alignment
from .sensor import Sensor
from .tiles import Region, Size, grown, level_size

STEP = 16
"""Px between places that are worked out; those between are put in."""
REACH_PX = 6
"""That resampling looks at."""
OUTSIDE = 1e6

Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Laid:
    """A frame and how it lies on the reference; None for the reference itself."""

    sensor: Sensor
    alignment: Alignment | None = None

    def seen(self, area: Region, *, unless_full: float = np.inf) -> tuple[Camera, Plane]:
        """Camera values (height, width, 3) where the reference has an area, and how near to full white anything round
        each px is, (height, width); OUTSIDE where the frame does not reach.

        unless_full: values are zeros where all of the area is as near to white, or outside.
        """
        x, y, w, h = area
        size = self.sensor.frame.size
        if self.alignment is None:
            source = grown(area, size, REACH_PX)
            camera = self.sensor.read(0, source)
            inner = np.s_[y - source[1] : y - source[1] + h, x - source[0] : x - source[0] + w]
            return np.ascontiguousarray(camera[inner]), np.ascontiguousarray(nearly_full(camera)[inner])
        to = places(self.alignment, area)
        seen = _box(to, size)
        if seen is None:
            return np.zeros((h, w, 3), np.float32), np.full((h, w), OUTSIDE, np.float32)
        camera = self.sensor.read(0, seen)
        at = to - np.array(seen[:2], np.float32)
        nearly = remapped(nearly_full(camera), at, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT, OUTSIDE)
        if nearly.min() >= unless_full:
            return np.zeros((h, w, 3), np.float32), nearly
        return remapped(camera, at, cv2.INTER_LANCZOS4, cv2.BORDER_REFLECT), nearly

    def reaches(self, area: Region) -> bool:
        """Whether it has all of an area of the reference."""
        if self.alignment is None:
            return True
        to, size = places(self.alignment, area), np.array(self.sensor.frame.size, np.float32)
        return bool((to >= 1.0).all() and (to <= size - 2.0).all())


def nearly_full(camera: Camera) -> Plane:
    """The highest value round each px, as far as the demosaic and resampling carry what is cut off."""
    return np.asarray(cv2.dilate(highest(camera), np.ones((9, 9), np.uint8)), np.float32)


def remapped(image: Plane, at: Plane, how: int, border: int, outside: float = 0.0) -> Plane:
    """An image seen at places (height, width, 2) of it."""
    out = cv2.remap(image, at[..., 0], at[..., 1], how, borderMode=border, borderValue=[outside] * 4)
    return np.asarray(out, np.float32)


def places(alignment: Alignment, area: Region, level: int = 0) -> Plane:
    """Where px of an area of the reference lie in the other frame, (height, width, 2), both at a level."""
    x, y, w, h = area
    scale = 2.0**level
    columns, rows = (-(-length // STEP) + 2 for length in (w, h))
    # worked out at the middles of squares, one more on each side
    xs = x + STEP * (np.arange(columns) - 1) + (STEP - 1) / 2.0
    ys = y + STEP * (np.arange(rows) - 1) + (STEP - 1) / 2.0
    at = _at(alignment, (xs + 0.5) * scale - 0.5, (ys + 0.5) * scale - 0.5)
    small = ((at + 0.5) / scale - 0.5).astype(np.float32)
    whole = cv2.resize(small, (columns * STEP, rows * STEP), interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(whole[STEP : STEP + h, STEP : STEP + w])


def _at(alignment: Alignment, xs: Array, ys: Array) -> Array:
    return alignment.at(*np.meshgrid(xs, ys))


def _box(to: Plane, size: Size) -> Region | None:
    """What of a frame is looked at; None where that lies outside it."""
    left, top = (int(np.floor(to[..., n].min())) for n in range(2))
    right, bottom = (int(np.ceil(to[..., n].max())) + 1 for n in range(2))
    left, top = max(0, left - REACH_PX), max(0, top - REACH_PX)
    right, bottom = min(size[0], right + REACH_PX), min(size[1], bottom + REACH_PX)
    return (left, top, right - left, bottom - top) if right - left > 1 and bottom - top > 1 else None


def highest_within(frame: Frame, level: int) -> Plane:
    """The highest photosite of each px of a level, which means hide, (height, width), 0..1 of white."""
    mosaic = frame.mosaic
    assert mosaic is not None
    width, height = level_size(frame.size, level)
    side, black = 2**level, float(mosaic.black.mean())
    values = np.ascontiguousarray(upright(mosaic.values, frame.orientation)[: height * side, : width * side])
    highest = cv2.dilate(values, np.ones((side, side), np.uint8), anchor=(0, 0))[::side, ::side]
    return ((highest - np.float32(black)) / np.float32(mosaic.white - black)).astype(np.float32)
