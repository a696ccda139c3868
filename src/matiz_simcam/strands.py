"""Hair: many fine strands out of the few that were combed, drawn one by one, so that each is as thin as it is.

What a pixel sees of them is averaged over places within it, the nearest strand in each.
"""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .scene import Box, Map
from .solids import Surface
from .vectors import Floats, moved, scaled, unit
from .view import SceneView

SAMPLES = 1 << 20
"""Places along strands that are drawn at a time."""
STEP_BITS, STRAND_BITS = 8, 26
NOTHING = np.uint64(2**64 - 1)
MARGIN = 3
CELL_M = 0.004
"""Size of the cells in which it is counted how much hair stands in the way of light."""
BLOCKING = 0.55
"""Share of light that a cell full of hair leaves, over one cell."""
FULL_CELL = 14.0
"""Points of combed strands in a cell that make it full."""
MARCH = 14
"""Cells that are looked through toward a light."""
FEWER_M = (0.0004, 0.0008, 0.0013)
"""From these sizes of a pixel on every second, third and fourth strand is enough."""
BESIDE_PX = 16
"""So far beside strands light is looked at as if they were there."""
STIFF_M = 0.05
"""Hair shorter than this waves less."""
ALIKE_M = 0.012
"""Roots this near to each other may have strands between them."""


@dataclass
class Strands:
    """Hair of one kind on one head."""

    stuff: str
    lines: Floats
    """(n, points, 3) those that were combed, from root to tip, m."""
    each: int
    """How many are drawn for each of them; 1 leaves them where they are."""
    astray_m: float
    """How far strands lie from those they are drawn for."""
    width_m: float = np.inf
    """Of a single hair; where a pixel shows more than that, what lies between hairs is seen. Without end where
    hairs lie over each other, many deep."""
    seed: int = 0


@dataclass
class DrawnStrand:
    """Strands to draw, and what they are like at each of their points."""

    lines: Floats
    """(n, points, 3)."""
    values: Floats
    """(n, points, 3 + k): where they run, and the values named in `NAMES`."""
    every: int = 1
    """One of how many they are."""
    width_m: float = np.inf


NAMES = ("tone", "tip", "past flame", "past outside")
"""Tone of each strand about 0; 0 at the root to 1 at the tip; share of light of the lamps and of the
windows that gets past the other hair."""


class Thicket:
    """How much hair is where, in cells, for the light that gets past it."""

    def __init__(self, lines: Floats) -> None:
        """lines: (n, points, 3) strands that were combed."""
        at = lines.reshape(-1, 3)
        self.low = at.min(axis=0) - 2.0 * CELL_M
        cell = np.floor((at - self.low) / CELL_M).astype(np.int64)
        self.shape = cell.max(axis=0) + 3
        count = np.zeros(self.shape, np.float32)
        np.add.at(count, tuple(cell.T), 1.0)
        thick = np.minimum(count / np.float32(FULL_CELL), 1.0)
        for axis in range(3):
            thick = 0.5 * thick + 0.25 * (np.roll(thick, 1, axis) + np.roll(thick, -1, axis))
        self._thick = thick.ravel()

    def past(self, points: Floats, toward: Floats) -> Floats:
        """Share (...) of light from a place `toward` (3,) that gets past the hair to points (..., 3)."""
        flat = points.reshape(-1, 3)
        ways = unit(moved(-flat, toward))
        at, step = (flat - self.low) / np.float32(CELL_M), ways
        # only what has hair before it within reach is looked at
        last = at + MARCH * step
        near = np.flatnonzero(((np.minimum(at, last) < self.shape) & (np.maximum(at, last) > 0)).all(axis=1))
        total = np.zeros(len(flat), np.float32)
        at, step = at[near], step[near]
        strides = np.array([self.shape[1] * self.shape[2], self.shape[2], 1])
        for k in range(1, MARCH + 1):
            here = np.floor(at + step * np.float32(k)).astype(np.int64)
            inside = ((here >= 0) & (here < self.shape)).all(axis=1)
            total[near[inside]] += self._thick[here[inside] @ strides]
        return np.asarray(np.float32(BLOCKING) ** total, np.float32).reshape(points.shape[:-1])


def grown(hair: Strands, thicket: Thicket, lights: tuple[Floats, Floats], *, pixel_m: float = 0.0) -> DrawnStrand:
    """All strands for those that were combed: between neighbours, each a little astray and waved in its own way.

    thicket: the hair of that head. lights: (3,) where the lamps are, and the windows, on the whole. pixel_m: size
    of a pixel there; where it is large, fewer stand for all.
    """
    random = np.random.default_rng(hair.seed)
    guides = hair.lines
    n = len(guides)
    known = np.concatenate([guides, np.stack([thicket.past(guides, at) for at in lights], axis=2)], axis=2)
    near = min(6, n)
    distance, beside = cKDTree(guides[:, 0]).query(guides[:, 0], k=near)
    first = np.arange(0, n * hair.each, _every(pixel_m)) // hair.each
    pick = random.integers(0, near, len(first))
    other = beside[first, pick]
    # those on either side of a parting have nothing between them
    apart = np.linalg.norm(guides[first, -1] - guides[other, -1], axis=1)
    span = np.linalg.norm(guides[first, -1] - guides[first, 0], axis=1)
    alike = (distance[first, pick] < ALIKE_M) & (apart < 0.25 * span + 0.01) & (hair.each > 1)
    share = (random.uniform(0.0, 1.0, len(first)) * alike).astype(np.float32)[:, None, None]
    smooth = _smoothed(known)
    along = np.linspace(0.0, 1.0, smooth.shape[1], dtype=np.float32)[None, :, None]
    # toward their tips strands of one lock come together
    share = share * (1.0 - 0.5 * along)
    lines = smooth[first] * (1.0 - share) + smooth[other] * share
    wild = np.where(random.uniform(size=len(first)) < 0.05, 2.5, 1.0).astype(np.float32)[:, None, None]
    aside = random.normal(0.0, hair.astray_m, (len(first), 1, 3)).astype(np.float32)
    often, start = random.uniform(3.0, 14.0, (len(first), 1, 1)), random.uniform(0.0, 6.3, (len(first), 1, 3))
    # short ones are too stiff to wave
    waved_m = (0.8 * hair.astray_m * np.minimum(span / STIFF_M, 1.0)).astype(np.float32)[:, None, None]
    wave = np.sin(along * often + start).astype(np.float32) * waved_m
    lines[..., :3] += aside * (0.9 - 0.3 * along) + wild * wave * along
    run = np.gradient(lines[..., :3], axis=1)
    tone = random.normal(0.0, 1.0, (len(first), 1, 1)) + random.normal(0.0, 1.0, n)[first][:, None, None]
    whole = np.ones((1, lines.shape[1], 1), np.float32)
    values = np.concatenate([unit(run), 0.7 * tone * whole, along * np.ones_like(tone), lines[..., 3:]], axis=2)
    return DrawnStrand(lines[..., :3], values.astype(np.float32), _every(pixel_m), hair.width_m)


def _smoothed(lines: Floats) -> Floats:
    """Lines (n, points, k) with a point between any two, on the curve of Catmull and Rom (1974)."""
    ends = np.concatenate([2.0 * lines[:, :1] - lines[:, 1:2], lines, 2.0 * lines[:, -1:] - lines[:, -2:-1]], axis=1)
    between = (9.0 * (ends[:, 1:-2] + ends[:, 2:-1]) - ends[:, :-3] - ends[:, 3:]) / 16.0
    out = np.empty((len(lines), 2 * lines.shape[1] - 1, lines.shape[2]), np.float32)
    out[:, ::2], out[:, 1::2] = lines, between
    return out


def seen(drawn: DrawnStrand, view: SceneView, behind: Map, *, fine: int = 2) -> Surface | None:
    """What the camera sees of strands before what lies at a depth of `behind` (height, width), m.

    fine: places within a pixel, each way. `Surface.normals` are where strands run; `Surface.more` holds
    the values of `NAMES`.
    """
    drawn = _within(drawn, view)
    if len(drawn.lines) == 0:
        return None
    placed = view.place(drawn.lines).astype(np.float32)
    box = _box(placed, view)
    if box is None:
        return None
    height, width = (s.stop - s.start for s in box)
    x = (placed[..., 0] * view.size[0] - box[1].start) * fine
    y = (placed[..., 1] * view.size[0] - box[0].start) * fine
    nearest = _nearest(x, y, placed[..., 2], (height * fine, width * fine))
    hit = np.flatnonzero(nearest != NOTHING)
    key = nearest[hit]
    low, step = _depths(placed[..., 2])
    depth = (key >> np.uint64(STEP_BITS + STRAND_BITS)).astype(np.float32) * np.float32(step) + np.float32(low)
    row, column = np.divmod(hit, width * fine)
    pixel = row // fine * width + column // fine
    free = depth < behind[box].ravel()[pixel]
    hit, key, depth, pixel = hit[free], key[free], depth[free], pixel[free]
    if hit.size == 0:
        return None
    segment = ((key >> np.uint64(STEP_BITS)) & np.uint64(2**STRAND_BITS - 1)).astype(np.int64)
    t = ((key & np.uint64(2**STEP_BITS - 1)).astype(np.float32) + 0.5)[:, None] / np.float32(2**STEP_BITS)
    strand, point = np.divmod(segment, drawn.lines.shape[1] - 1)
    values = drawn.values[strand, point] * (1.0 - t) + drawn.values[strand, point + 1] * t

    def mean(of: Floats) -> Map:
        return np.bincount(pixel, of, height * width).astype(np.float32).reshape(height, width) / np.maximum(count, 1.0)

    count = np.bincount(pixel, minlength=height * width).astype(np.float32).reshape(height, width)
    maps = [mean(values[:, k]) for k in range(values.shape[1])]
    away = mean(depth)
    rays, _ = view.rays(box)
    points = moved(scaled(rays, _beside(away, count > 0)), view.position)
    away[count == 0] = np.inf
    # a strand is drawn one place wide
    place_m = view.pixel / fine * float(np.median(depth))
    cover = count * np.float32(min(1.0, drawn.width_m * drawn.every / place_m) / (fine * fine))
    return Surface(
        box, cover, away, points,
        unit(np.stack(maps[:3], axis=2)), np.zeros(count.shape, np.int32), np.zeros_like(count),
        dict(zip(NAMES, maps[3:], strict=True)),
    )  # fmt: skip


def _within(drawn: DrawnStrand, view: SceneView) -> DrawnStrand:
    """Those strands that may lie in the picture."""
    few = view.place(drawn.lines[:, ::3])
    margin, high = 0.02, view.size[1] / view.size[0]
    near = (few[..., 2] > 0.05) & (few[..., 0] > -margin) & (few[..., 0] < 1.0 + margin)
    near &= (few[..., 1] > -margin) & (few[..., 1] < high + margin)
    chosen = np.flatnonzero(near.any(axis=1))
    return replace(drawn, lines=drawn.lines[chosen], values=drawn.values[chosen])


def _every(pixel_m: float) -> int:
    """One of how many strands is enough where a pixel is so large."""
    return 1 + int(np.searchsorted(FEWER_M, pixel_m))


def _beside(depth: Map, known: NDArray[np.bool_]) -> Map:
    """Depths with those of what lies near where they are not known: light is looked at there too."""
    weight = known.astype(np.float32)
    size = (2 * BESIDE_PX + 1, 2 * BESIDE_PX + 1)
    near, much = (cv2.blur(m, size, borderType=cv2.BORDER_REPLICATE) for m in (depth * weight, weight))
    mean = np.where(much > 1e-6, near / np.maximum(much, 1e-6), np.float32(np.median(depth[known])))
    return np.where(known, depth, mean).astype(np.float32)


def _box(placed: Floats, view: SceneView) -> Box | None:
    ahead = placed[placed[..., 2] > 0.05][:, :2] * view.size[0]
    if len(ahead) == 0:
        return None
    low = np.maximum(ahead.min(axis=0).astype(int) - MARGIN, 0)
    high = np.minimum(ahead.max(axis=0).astype(int) + 1 + MARGIN, view.size)
    return (slice(low[1], high[1]), slice(low[0], high[0])) if (high - low >= 2 * MARGIN).all() else None


def _depths(depth: Floats) -> tuple[float, float]:
    """The least depth, and the step in which depths are told apart."""
    low, high = float(depth.min()), float(depth.max())
    # a single float is rounded up by as much as 64 there, and more than fits would come out as nearest
    return low, max(high - low, 1e-3) / (2 ** (64 - STEP_BITS - STRAND_BITS) - 256)


def _nearest(x: Floats, y: Floats, depth: Floats, shape: tuple[int, int]) -> NDArray[np.uint64]:
    """For each place (rows, columns) the nearest point of a strand: its depth, its segment and where on that, in
    one number; flat."""
    out = np.full(shape[0] * shape[1], NOTHING, np.uint64)
    low, step = _depths(depth)
    far = (depth - np.float32(low)) / np.float32(step)
    ends = [np.stack([m[:, :-1].ravel(), m[:, 1:].ravel()]) for m in (x, y, far)]
    length = np.maximum(np.abs(ends[0][1] - ends[0][0]), np.abs(ends[1][1] - ends[1][0]))
    steps = np.exp2(np.ceil(np.log2(np.clip(length, 1.0, 2**STEP_BITS)))).astype(int)
    visible = depth[:, :-1].ravel() > 0.05
    for m, n in ((x, shape[1]), (y, shape[0])):
        visible &= (np.maximum(m[:, :-1], m[:, 1:]) >= 0).ravel() & (np.minimum(m[:, :-1], m[:, 1:]) < n).ravel()
    for count in np.unique(steps):
        chosen = np.flatnonzero((steps == count) & visible)
        t = ((np.arange(count) + 0.5) / count).astype(np.float32)
        part = (t * 2**STEP_BITS).astype(np.uint64)
        at_once = max(1, SAMPLES // int(count))
        for start in range(0, len(chosen), at_once):
            here = chosen[start : start + at_once]
            px, py, pz = (m[0, here][:, None] + (m[1, here] - m[0, here])[:, None] * t for m in ends)
            key = pz.astype(np.uint64) << np.uint64(STEP_BITS + STRAND_BITS)
            key |= (here.astype(np.uint64) << np.uint64(STEP_BITS))[:, None] | part
            column, row = np.floor(px).astype(np.int64), np.floor(py).astype(np.int64)
            within = (column >= 0) & (column < shape[1]) & (row >= 0) & (row < shape[0])
            np.minimum.at(out, (row * shape[1] + column)[within], key[within])
    return out
