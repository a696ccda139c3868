"""A picture bent on its plane: bands made taller or lower, places pulled, lines held.

All of it is one field: what is shown at a place comes from that place and a shift. Bands are stretched evenly, with
eased ends; pulls are met exactly by compact radial functions (Wendland, 1995); a held line stays where it is,
straight; the picture's border stays its border. No part of the picture is folded: a field that
would is made weaker as a whole.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from ..recipe.mending import Band, HeldLine, Pull
from ..recipe.tree import Rows, Section
from .straight import Size, applied, half_planes, reach, turned

NODES, FINER = 72, 4
"""Steps along the frame's long side at which the field is worked out, and of the mesh to one of them."""
BEYOND = 0.06
"""How far it reaches beyond the frame, of the long side."""
EASE = 0.08
"""How far beyond its sides a band fades away, of the long side."""
HELD = 0.06
"""How far about a held line the picture gives way, of the long side."""
GENTLE, MOST_ROOM = 2.0, 0.4
"""Over how many times its size a shift ends, and the most of that, of the long side."""
LEAST_SHARE = 0.02
"""Of its strength: a field that folds the picture even then is given up."""
BORDER = 0.04
"""The same about its border."""
SOFT = 0.12
"""Of a band, and of what lies beyond it: over how much its stretch begins and ends."""
SQUEEZED = 0.5
"""What lies beyond a band keeps at least this share of its room."""
LEAST_AREA, MOST_SLOPE = 0.15, 1.5
"""The least that a part may be squeezed to, of its area, and the most that the shift changes from px to px."""

CLOSE_PX = 0.01
"""Of the full size: nearer than this a place needs not be found."""
Mesh = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Bend:
    """A mesh about the middle of what the lens drew."""

    shifts: Mesh
    """(rows, columns, 2), px of the full size."""
    step: float
    """Px between nodes."""

    def at(self, points: Array) -> Array:
        """The shift at points (n, 2), px from the middle; between nodes as the kernels have it."""
        rows, columns = self.shifts.shape[:2]
        at_x = np.clip(points[:, 0] / self.step + (columns - 1) / 2.0, 0.0, columns - 1.001)
        at_y = np.clip(points[:, 1] / self.step + (rows - 1) / 2.0, 0.0, rows - 1.001)
        column, row = at_x.astype(int), at_y.astype(int)
        across, down = (at_x - column)[:, None], (at_y - row)[:, None]
        upper = self.shifts[row, column] * (1.0 - across) + self.shifts[row, column + 1] * across
        lower = self.shifts[row + 1, column] * (1.0 - across) + self.shifts[row + 1, column + 1] * across
        return np.asarray(upper * (1.0 - down) + lower * down, np.float64)

    def before(self, points: Array) -> Array:
        """The points (n, 2) that are shifted to `points`, by Newton's method."""
        found = np.array(points, np.float64)
        found -= self.at(found)
        for _ in range(12):
            shift = self.at(found)
            off = found + shift - points
            if np.abs(off).max(initial=0.0) < CLOSE_PX:
                break
            right = (self.at(found + [self.step, 0.0]) - shift) / self.step
            below = (self.at(found + [0.0, self.step]) - shift) / self.step
            a, b, c, d = 1.0 + right[:, 0], below[:, 0], right[:, 1], 1.0 + below[:, 1]
            area = np.maximum(a * d - b * c, LEAST_AREA / 2.0)
            step = np.stack([d * off[:, 0] - b * off[:, 1], a * off[:, 1] - c * off[:, 0]], axis=1) / area[:, None]
            found -= np.clip(step, -16.0 * self.step, 16.0 * self.step)
        return found

    @property
    def steepest(self) -> float:
        """How much the shift changes from px to px along a row, at most."""
        return float(np.abs(np.diff(self.shifts, axis=1)).max()) / self.step

    def stretch(self) -> Array:
        """By how much each cell of the mesh is shown longer than it was, as a share: (rows - 1, columns - 1)."""
        return np.asarray(1.0 / np.sqrt(_areas(self.shifts, self.step)) - 1.0)


def bends(warp: Rows[Section]) -> bool:
    """Whether a table of bands, pulls and held lines changes anything."""
    return any(
        (isinstance(item, Band) and item.percent) or (isinstance(item, Pull) and (item.dx or item.dy))
        for item in warp.values()
    )


@lru_cache(maxsize=16)
def bend(
    size: Size, focal_px: float, level_deg: float, vertical_deg: float, horizontal_deg: float, warp: Rows[Section]
) -> Bend:
    """The mesh of a table of bands, pulls and held lines, for a frame of `size` seen straight as `straight` has it.
    Places of the table are on the picture's plane, in units of its long side from the upper left corner."""
    bands = [item for item in warp.values() if isinstance(item, Band) and item.percent]
    pulls = [item for item in warp.values() if isinstance(item, Pull)]
    lines = [item for item in warp.values() if isinstance(item, HeldLine)]
    long_side = float(max(size))
    to_lens = turned(focal_px, level_deg, vertical_deg, horizontal_deg)
    corners = reach(to_lens, size) / long_side + np.array(size) / (2.0 * long_side)
    step = long_side / NODES
    half = [int(np.ceil((n / 2.0 + BEYOND * long_side) / step)) for n in size]
    x, y = (np.arange(-n, n + 1) * step for n in half)
    nodes = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    middle = np.array(size) / 2.0
    on_plane = (applied(np.linalg.inv(to_lens), nodes) + middle) / long_side
    away = shift_at(on_plane, bands, pulls, lines, corners)
    share, finer = 1.0, False
    while True:
        moved = applied(to_lens, (on_plane + share * away) * long_side - middle) - nodes
        shifts = moved.reshape(len(y), len(x), 2).astype(np.float32)
        # most fields that fold do so on the coarse mesh already, which is quicker looked at
        found = Bend(_finer(shifts), step / FINER) if finer else Bend(shifts, step)
        if _areas(found.shifts, found.step).min() < LEAST_AREA or found.steepest > MOST_SLOPE:
            share *= 0.8 if share > LEAST_SHARE else 0.0
        elif finer:
            return found
        else:
            finer = True


def _finer(shifts: Mesh) -> Mesh:
    """With FINER steps to one, by cubic convolution: a mesh is bilinear, and would show its nodes."""
    down, across = (_cubic(n) for n in shifts.shape[:2])
    planes = [down @ np.ascontiguousarray(shifts[..., n]) @ across.T for n in range(2)]
    return np.stack(planes, axis=-1)


@lru_cache(maxsize=8)
def _cubic(count: int) -> Mesh:
    """The matrix from `count` values to those with FINER steps to one (Keys, 1981)."""
    at = np.arange(FINER * (count - 1) + 1) / FINER
    first = np.minimum(at.astype(int), count - 2)
    t = at - first
    weights = (
        ((-0.5 * t + 1.0) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1.0,
        ((-1.5 * t + 2.0) * t + 0.5) * t, (0.5 * t - 0.5) * t * t,
    )  # fmt: skip
    matrix = np.zeros((len(at), count), np.float32)
    for n, weight in enumerate(weights):
        np.add.at(matrix, (np.arange(len(at)), np.clip(first + n - 1, 0, count - 1)), weight)
    return matrix


def shift_at(
    points: Array, bands: Sequence[Band], pulls: Sequence[Pull], lines: Sequence[HeldLine], corners: Array
) -> Array:
    """The shift (n, 2) at points (n, 2) of the plane within an outline of `corners` (4, 2); units of the long side."""
    # beyond the picture what lies at its border goes on
    points = np.clip(points, corners.min(axis=0), corners.max(axis=0))
    place = points.copy()
    for band in bands:
        place = place + _banded(place, band, corners)
    # bands end at the border by themselves, but for the corners of a plane that is turned
    away = _bordered(points, place - points, corners, BORDER)
    pulled = _pulled(points, pulls)
    away = away + _bordered(points, pulled, corners, _room(pulled, BORDER))
    for line in lines:
        away = away * _eased(_from_line(points, line) / _room(away, HELD))[:, None]
    return np.asarray(away)


def _room(away: Array, least: float) -> float:
    """Over how much a shift may end without folding the picture."""
    return float(np.clip(GENTLE * np.abs(away).max(), least, MOST_ROOM))


def _bordered(points: Array, away: Array, corners: Array, over: float) -> Array:
    """A shift that leads nowhere across the border."""
    for nx, ny, far in half_planes(corners):
        normal: Array = np.array([nx, ny])
        stays = 1.0 - _eased((far - points @ normal) / over)
        away = away - np.outer(stays * (away @ normal), normal)
    return away


def _banded(points: Array, band: Band, corners: Array) -> Array:
    """How far points (n, 2) lie from where a band takes its pixels."""
    axis = 1 if band.way == "height" else 0
    start, length = (band.y, band.h) if axis == 1 else (band.x, band.w)
    side, width = (band.x, band.w) if axis == 1 else (band.y, band.h)
    # counted upward from the foot, or rightward from the left
    sign = -1.0 if axis == 1 else 1.0
    foot = start + length if axis == 1 else start
    room = float(max(sign * (corners[:, axis] - foot)))
    if length <= 0.0 or room <= length:
        return np.zeros_like(points)
    most = (room - SQUEEZED * (room - length)) / length
    tall = length * min(1.0 + band.percent / 100.0, most)
    at = sign * (points[:, axis] - foot)
    # at its foot and its head the picture is as it was; between, and beyond, it is evenly stretched and squeezed
    soft, beyond = SOFT * tall, SOFT * (room - tall)
    within, above = (length - soft) / (tall - soft), (room - length - beyond / 2.0) / (room - tall - beyond / 2.0)
    knots = np.array([0.0, soft, tall - soft, tall, tall + beyond, room])
    source = _integral(at, knots, np.array([1.0, within, within, 1.0, above, above]))
    source = np.where((at > 0.0) & (at < room), source, at)
    beside = np.maximum(side - points[:, 1 - axis], points[:, 1 - axis] - side - width)
    away = np.zeros_like(points)
    away[:, axis] = sign * (source - at)
    away[:, axis] *= 1.0 - _eased(beside / _room(away, EASE))
    return away


def _integral(at: Array, knots: Array, slopes: Array) -> Array:
    """Of a slope that runs straight from knot to knot, from the first knot on."""
    lengths = np.diff(knots)
    sums = np.concatenate([[0.0], np.cumsum(lengths * (slopes[1:] + slopes[:-1]) / 2.0)])
    n = np.clip(np.searchsorted(knots, at) - 1, 0, len(lengths) - 1)
    off = at - knots[n]
    return np.asarray(sums[n] + off * (slopes[n] + (slopes[n + 1] - slopes[n]) * off / (2.0 * lengths[n])))


def _pulled(points: Array, pulls: Sequence[Pull]) -> Array:
    if not pulls:
        return np.zeros_like(points)
    by: Array = np.array([(pull.dx, pull.dy) for pull in pulls], np.float64)
    ends = np.array([(pull.x, pull.y) for pull in pulls]) + by
    reaches = np.array([pull.reach for pull in pulls])
    weights, *_ = np.linalg.lstsq(_near(ends, ends, reaches), -by, rcond=1e-6)
    return np.asarray(_near(points, ends, reaches) @ weights)


def _near(points: Array, ends: Array, reaches: Array) -> Array:
    """How much each pull has to say at each point, (points, pulls): Wendland's function of smoothness 2."""
    far = np.minimum(np.hypot(*(points[:, None] - ends).transpose(2, 0, 1)) / reaches, 1.0)
    return np.asarray((1.0 - far) ** 4 * (4.0 * far + 1.0))


def _from_line(points: Array, line: HeldLine) -> Array:
    """Distance (n,) of points (n, 2) from a line between two ends."""
    start, along = np.array([line.x, line.y]), np.array([line.x2 - line.x, line.y2 - line.y])
    share = np.clip((points - start) @ along / max(float(along @ along), 1e-12), 0.0, 1.0)
    return np.asarray(np.hypot(*(points - start - share[:, None] * along).T))


def _eased(t: Array) -> Array:
    t = np.clip(t, 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t))


def _areas(shifts: Mesh, step: float) -> Mesh:
    """Of the source of each cell of a mesh, in its own area."""
    x, y = (np.ascontiguousarray(shifts[..., n]) / np.float32(step) for n in range(2))
    right_x, right_y = x[1:, 1:] - x[1:, :-1], y[1:, 1:] - y[1:, :-1]
    below_x, below_y = x[1:, 1:] - x[:-1, 1:], y[1:, 1:] - y[:-1, 1:]
    area = (1.0 + right_x) * (1.0 + below_y) - right_y * below_x
    return np.maximum(area, np.float32(1e-6))
