"""The geometry stage: lens and fringes in one resampling; and the lens's fall-off taken back."""

import math

import numpy as np

from ..kernels.geometry import brightened, resampled
from ..raw.lens import LensTables, lens_tables
from ..raw.sensor import Region, level_size
from .stage import Pixels, Request, Stage

MARGIN_PX = 3
"""Neighbours that the interpolation looks at."""

_GEOMETRY = ("mend.lens", "mend.distortion_percent", "mend.fringe_red_px", "mend.fringe_blue_px")


def source_region(request: Request) -> Region:
    """The part of the frame, px of the level, that a region of the picture comes from."""
    tables = _tables(request)
    x, y, w, h = request.region
    if not tables.moves:
        return request.region
    width, height = level_size(request.sensor.frame, request.level)
    across, down = x + np.linspace(0.0, w - 1, 33) - (width - 1) / 2, y + np.linspace(0.0, h - 1, 33) - (height - 1) / 2
    square = np.add.outer(down**2, across**2) / _corner_px(request) ** 2
    entries = square * (len(tables.scales) - 1)
    far_x, far_y = [], []
    for channel in range(3):
        scale = np.interp(entries, np.arange(len(tables.scales)), tables.scales[:, channel])
        far_x.append(across[None, :] * scale + (width - 1) / 2)
        far_y.append(down[:, None] * scale + (height - 1) / 2)
    left, right = _held(np.min(far_x), np.max(far_x), width)
    top, bottom = _held(np.min(far_y), np.max(far_y), height)
    return left, top, right - left, bottom - top


def _held(low: float, high: float, length: int) -> tuple[int, int]:
    """Begin and end of a stretch with its margin, inside the picture."""
    begin = min(max(0, math.floor(low) - MARGIN_PX), length - 2)
    return begin, max(begin + 2, min(length, math.ceil(high) + 1 + MARGIN_PX))


def _geometry(camera: Pixels | None, request: Request) -> Pixels:
    assert camera is not None
    tables = _tables(request)
    if not tables.moves:
        return camera
    width, height = level_size(request.sensor.frame, request.level)
    left, top, _, _ = source_region(request)
    return resampled(
        camera,
        tables.scales.astype(np.float32),
        corner_px=_corner_px(request),
        away=_away(request),
        middle=((width - 1) / 2 - left, (height - 1) / 2 - top),
        size=(request.region[2], request.region[3]),
    )


def _fall_off(working: Pixels | None, request: Request) -> Pixels:
    assert working is not None
    tables = _tables(request)
    if not tables.brightens:
        return working
    gains = tables.gains.astype(np.float32)
    return brightened(working, gains, corner_px=_corner_px(request), away=_away(request))


def _tables(request: Request) -> LensTables:
    return lens_tables(request.sensor.frame, request.recipe.mend)


def _corner_px(request: Request) -> float:
    return math.hypot(*level_size(request.sensor.frame, request.level)) / 2


def _away(request: Request) -> tuple[float, float]:
    """Where the region's first pixel lies from the middle of the picture."""
    width, height = level_size(request.sensor.frame, request.level)
    return request.region[0] - (width - 1) / 2, request.region[1] - (height - 1) / 2


GEOMETRY = Stage("geometry", _GEOMETRY, _geometry, source_region)
FALL_OFF = Stage("fall-off", (*_GEOMETRY, "mend.fall_off_EV"), _fall_off)
