"""Sensor data to camera RGB at a level: black, balance for interpolation, demosaic, orientation."""

import threading
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera
from ...errors import ArgumentError
from ...image.orientation import stored_box, upright
from ...image.reduce import halved
from ...kernels.any_mosaic import MARGIN_PX as ANY_MARGIN_PX
from ...kernels.any_mosaic import demosaic_any
from ...kernels.demosaic import MARGIN_PX, demosaic, demosaic_half
from ...kernels.levels import levels, mended
from ...raw.frame import Frame, Mosaic
from ...raw.noise import noise_of
from ...raw.pattern import FixedPattern, fixed_pattern
from .found import Found
from .highlights import CLEAR, ratios_around
from .noise import NoiseSpread
from .paint import Paint
from .patches import KeptPatches, OfFrame, of_none
from .tiles import Region, level_size

STRIP_ROWS = 256
"""Of level 1 at a time."""

LEAST_PX = 42
"""Least side of a part of the mosaic that is interpolated."""

HIGHLIGHTS_LEVEL = 3

Floats = NDArray[np.float32]


class Sensor:
    """Camera values of one frame at every level. Whole levels are made once; safe to share by threads."""

    def __init__(self, frame: Frame, found: Found | None = None, of_frame: OfFrame = of_none) -> None:
        """of_frame: gives what one of the frames that it was merged of has of a region."""
        self.frame = frame
        self.found = found
        """What was found in the picture."""
        self.noise = NoiseSpread(frame, developed)
        """What its noise looks like."""
        self._levels: dict[int, Camera] = {}
        self._small: dict[int, Camera] = {}
        self.patches = KeptPatches(of_frame)
        """What repairs were made."""
        self.paint = Paint()
        """What strokes have painted."""
        self._lock = threading.Lock()

    @cached_property
    def pattern(self) -> FixedPattern | None:
        """The sensor's fixed pattern, measured once; None for pictures."""
        mosaic = self.frame.mosaic
        return None if mosaic is None else fixed_pattern(mosaic, (noise_of(self.frame).shot, noise_of(self.frame).read))

    @cached_property
    def highlights(self) -> NDArray[np.float32] | None:
        """Colour round clipped places, (rows, columns, 2) on a grid of HIGHLIGHTS_LEVEL; None where nothing is
        clipped. See `develop.highlights`."""
        width, height = level_size(self.frame.size, HIGHLIGHTS_LEVEL)
        # by single photosites, which means over a block hide
        if min(width, height) < 4 or _highest(self.frame) < CLEAR:
            return None
        return ratios_around(self.small(HIGHLIGHTS_LEVEL, (0, 0, width, height)), 1.0)

    def read(self, level: int, area: Region) -> Camera:
        """A region of a level, in px of that level."""
        if level == 0:
            return region(self.frame, area, self.pattern)
        with self._lock:
            whole = self._level(level)
        return _part(whole, area)

    def _level(self, level: int) -> Camera:
        while level not in self._levels:
            last = max(self._levels, default=0)
            self._levels[last + 1] = halved(self._levels[last]) if last else half_level(self.frame, self.pattern)
        return self._levels[level]

    def small(self, level: int, area: Region) -> Camera:
        """A region of a level, quick and always the same, whatever was asked for before."""
        mosaic = self.frame.mosaic
        if level == 0 or mosaic is None or not mosaic.is_bayer:
            return self.read(level, area)
        with self._lock:
            if level not in self._small:
                self._small[level] = quick_level(self.frame, level)
        return _part(self._small[level], area)

    def draft(self, level: int, area: Region) -> Camera:
        """A region of a level: quick and a little unsharp or noisy, one pixel from each cell of a 2x2 mosaic, unless
        the level is there already."""
        return self.read(level, area) if level in self._levels else self.small(level, area)


def _highest(frame: Frame) -> float:
    """Value of a frame, of the one at which it is full; 0 where that is not known."""
    if frame.mosaic is not None:
        return float(frame.mosaic.values.max() / frame.mosaic.white)
    return float(frame.linear.max() / frame.full_level) if frame.linear is not None else 0.0


def developed(frame: Frame, level: int) -> Camera:
    """The whole of a level, by area means of the full size."""
    camera = region(frame, (0, 0, *frame.size))
    for _ in range(level):
        camera = halved(camera)
    return camera


def half_level(frame: Frame, pattern: FixedPattern | None = None) -> Camera:
    """Level 1 of the whole picture: area means of the full size, made in strips."""
    width, height = level_size(frame.size, 1)
    out = np.empty((height, width, 3), np.float32)
    for top in range(0, height, STRIP_ROWS):
        rows = min(STRIP_ROWS, height - top)
        out[top : top + rows] = halved(region(frame, (0, 2 * top, 2 * width, 2 * rows), pattern))
    return out


def quick_level(frame: Frame, level: int) -> Camera:
    """A level, 1 or deeper, of a 2x2 mosaic without interpolation."""
    mosaic = frame.mosaic
    assert mosaic is not None
    black, gain, scale = _level_tables(mosaic, frame.colour.as_shot_neutral)
    half = demosaic_half(mosaic.values, black, gain * scale[mosaic.pattern], mosaic.red)
    camera = upright(half, frame.orientation)
    for _ in range(level - 1):
        camera = halved(camera)
    return camera


def region(frame: Frame, area: Region, pattern: FixedPattern | None = None) -> Camera:
    """A region at full size, upright camera values; `pattern` is taken away."""
    x, y, width, height = _stored_region(frame, area)
    if frame.linear is not None:
        return upright(frame.linear[y : y + height, x : x + width], frame.orientation)
    mosaic = frame.mosaic
    assert mosaic is not None
    rows, columns = mosaic.pattern.shape
    margin = MARGIN_PX if mosaic.is_bayer else ANY_MARGIN_PX
    full_height, full_width = mosaic.values.shape
    top, bottom = _with_margin(y, height, margin, full_height, rows)
    left, right = _with_margin(x, width, margin, full_width, columns)
    black, gain, scale = _level_tables(mosaic, frame.colour.as_shot_neutral)
    offsets = {} if pattern is None else {"columns": pattern.columns[left:right], "rows": pattern.rows[top:bottom]}
    balanced = levels(np.ascontiguousarray(mosaic.values[top:bottom, left:right]), black, gain, **offsets)
    if mosaic.is_bayer:
        noise, least = noise_of(frame), float(scale.min())
        camera = demosaic(mended(balanced, shot=noise.shot / least, read=noise.read / least), mosaic.red, scale)
    else:
        camera = demosaic_any(balanced, mosaic.pattern, scale)
    return upright(camera[y - top : y - top + height, x - left : x - left + width], frame.orientation)


def _part(image: Camera, area: Region) -> Camera:
    x, y, w, h = area
    if (w, h) == (image.shape[1], image.shape[0]):
        return image
    return np.ascontiguousarray(image[y : y + h, x : x + w])


def _with_margin(start: int, length: int, margin: int, full: int, period: int) -> tuple[int, int]:
    """Begin and end of a stretch with its margins, on the mosaic's period so that colours stay in place,
    and long enough for the interpolation."""
    end = min(full, max(start + length + margin, LEAST_PX))
    begin = max(0, min(start - margin, end - LEAST_PX))
    return begin // period * period, end


def _level_tables(mosaic: Mosaic, neutral: Array) -> tuple[Floats, Floats, Floats]:
    """Black and gain per place, and the factors per channel that take the balance back."""
    scale = neutral / neutral[1]
    gain = 1.0 / ((mosaic.white - mosaic.black) * scale[mosaic.pattern])
    return mosaic.black.astype(np.float32), gain.astype(np.float32), scale.astype(np.float32)


def _stored_region(frame: Frame, area: Region) -> Region:
    """A region of the upright picture in px of the stored pixels."""
    x, y, w, h = area
    width, height = frame.size
    if w < 1 or h < 1 or x < 0 or y < 0 or x + w > width or y + h > height:
        raise ArgumentError(f"region: {area} does not lie within the picture, {width}x{height} px")
    return stored_box(area, frame.size, frame.orientation)
