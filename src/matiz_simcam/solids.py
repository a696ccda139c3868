"""Rounded bodies in a scene: built from tapered capsules, traced in tiles, returned as surfaces."""

from dataclasses import dataclass, field
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from .kernels.solids import COLUMNS, RESULTS, trace_solids
from .scene import Box, Map
from .view import SceneView

TILE = 40


@dataclass
class Surface:
    """What a part of the picture sees of one object; maps are (height, width) of that part."""

    box: Box
    cover: Map
    depth: Map
    """Along the camera's axis, m."""
    points: Map
    """(height, width, 3), m."""
    normals: Map
    """(height, width, 3)."""
    body: NDArray[np.int32]
    """Which body of the list is nearest."""
    along: Map
    """How far from its end A to B, 0..1."""
    more: dict[str, Map] = field(default_factory=dict)
    """Further maps that a scene wants to have at hand when it shades."""

    def part(self, box: Box) -> "Surface":
        """Some rows and columns of it."""
        rows, columns = self.box
        moved = (
            slice(rows.start + box[0].start, rows.start + box[0].stop),
            slice(columns.start + box[1].start, columns.start + box[1].stop),
        )
        return Surface(
            moved,
            self.cover[box],
            self.depth[box],
            self.points[box],
            self.normals[box],
            self.body[box],
            self.along[box],
            {name: m[box] for name, m in self.more.items()},
        )


@dataclass
class Solid:
    """A list of tapered capsules that flow into each other."""

    rows: list[list[float]] = field(default_factory=list)

    def add(
        self,
        a: ArrayLike,
        ra: float,
        b: ArrayLike | None = None,
        rb: float | None = None,
        *,
        blend: float = 0.0,
        flat: tuple[ArrayLike, float] | None = None,
    ) -> int:
        """Add a capsule from `a` (radius `ra`) to `b` (`rb`), or a ball; returns its number.

        blend: reach of its union with those before it, m. flat: a direction and the factor by which
        it is thinner along it.
        """
        a = np.asarray(a, np.float64)
        b = a + (0.0, 1e-4, 0.0) if b is None else np.asarray(b, np.float64)
        direction, factor = flat if flat is not None else ((1.0, 0.0, 0.0), 1.0)
        unit = np.asarray(direction, np.float64) / np.linalg.norm(direction)
        row = [*a, ra, *b, ra if rb is None else rb, blend, *unit, factor]
        self.rows.append([float(v) for v in row])
        return len(self.rows) - 1

    def chain(self, line: ArrayLike, *, blend: float, flat: tuple[ArrayLike, float] | None = None) -> None:
        """Capsules along a line of (x, y, z, radius)."""
        points = np.asarray(line, np.float64)
        for a, b in pairwise(points):
            self.add(a[:3], float(a[3]), b[:3], float(b[3]), blend=blend, flat=flat)

    @property
    def table(self) -> NDArray[np.float32]:
        return np.array(self.rows, np.float32).reshape(-1, COLUMNS)

    def spheres(self, *, least_m: float = 0.0) -> NDArray[np.float32]:
        """(n, 4) balls that stand for the bodies when they cast shadows; those thinner than `least_m` are left out."""
        balls: list[list[float]] = []
        for row in self.rows:
            a, b = np.array(row[:4]), np.array(row[4:8])
            count = max(1, round(float(np.linalg.norm(b[:3] - a[:3])) / max(a[3], b[3], 1e-3)))
            for t in np.linspace(0.0, 1.0, count + 1):
                ball = a + (b - a) * t
                balls.append([*ball[:3], 0.94 * ball[3] / max(row[12] ** 0.5, 1.0)])
        # the large first; one that lies well within another adds nothing
        table = np.array(sorted(balls, key=lambda ball: -ball[3]))
        table = table[table[:, 3] >= least_m]
        kept = np.zeros(len(table), bool)
        for n, ball in enumerate(table):
            others = table[kept]
            kept[n] = bool((((others[:, :3] - ball[:3]) ** 2).sum(axis=1) > (0.75 * others[:, 3]) ** 2).all())
        found = table[kept].astype(np.float32)
        # the compiled code takes no single one
        return np.repeat(found, 2, axis=0) if len(found) == 1 else found


def trace(view: SceneView, solid: Solid) -> Surface | None:
    """The surface that the camera sees; None when nothing of it lies in the picture."""
    table = solid.table
    low, high, depth = _bounds(view, table)
    box = _pixels(view, low.min(axis=0), high.max(axis=0))
    if box is None:
        return None
    rows, columns = box
    shape = (rows.stop - rows.start, columns.stop - columns.start)
    found = np.empty((*shape, RESULTS), np.float32)
    found[..., :2] = 0.0
    body = np.zeros(shape, np.int32)
    low_px, high_px = low * view.size[0], high * view.size[0]
    for top in range(0, shape[0], TILE):
        for left in range(0, shape[1], TILE):
            h, w = min(TILE, shape[0] - top), min(TILE, shape[1] - left)
            x, y = columns.start + left, rows.start + top
            inside = (low_px[:, 0] < x + w) & (high_px[:, 0] > x) & (low_px[:, 1] < y + h) & (high_px[:, 1] > y)
            chosen = np.flatnonzero(inside)
            if chosen.size == 0:
                continue
            part = (slice(y, y + h), slice(x, x + w))
            # the compiled code takes no single row or body
            listed = np.repeat(chosen, 2)[:2] if chosen.size == 1 else chosen
            near = max(float(depth[chosen].min()) * 0.98, 1e-3)
            seen = trace_solids(table[listed], view.ray_table(part), near, (max(h, 2), max(w, 2)))[:h, :w]
            found[top : top + h, left : left + w] = seen
            body[top : top + h, left : left + w] = listed[seen[..., 5].astype(np.int32)]
    if not found[..., 1].any():
        return None
    rays, _ = view.rays(box)
    nothing = found[..., 1] == 0.0
    found[nothing] = (0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 0.0)
    # just outside, the surface goes on: differences between neighbours are taken across the edge
    beside = cv2.dilate(np.ascontiguousarray(found[..., 0]), np.ones((5, 5), np.uint8))
    found[..., 0] = np.where(nothing, beside, found[..., 0])
    along_ray = found[..., 0:1] / np.sqrt((rays * rays).sum(axis=2, keepdims=True))
    points = np.asarray(view.position, np.float32) + rays * along_ray
    normals = np.ascontiguousarray(found[..., 2:5])
    return Surface(
        box, np.ascontiguousarray(found[..., 1]), np.ascontiguousarray(along_ray[..., 0]), points, normals, body,
        np.ascontiguousarray(found[..., 6]),
    )  # fmt: skip


def _bounds(view: SceneView, table: NDArray[np.float32]) -> tuple[Map, Map, Map]:
    """Least and greatest column and row of each body in widths, (n, 2) each, and nearest depths (n,)."""
    lows, highs, depths = [], [], []
    for end in (table[:, 0:4], table[:, 4:8]):
        placed = view.place(end[:, :3])
        reach = end[:, 3] + table[:, 8]
        nearest = np.maximum(placed[:, 2] - reach, 0.02)
        spread = (view.focal * reach / nearest * 1.1 + 2.0 / view.size[0])[:, None]
        lows.append(placed[:, :2] - spread)
        highs.append(placed[:, :2] + spread)
        depths.append(nearest)
    return np.minimum(*lows), np.maximum(*highs), np.minimum(*depths)


def _pixels(view: SceneView, low: Map, high: Map) -> Box | None:
    width, height = view.size
    left, right = max(0, int(low[0] * width)), min(width, int(high[0] * width) + 1)
    top, bottom = max(0, int(low[1] * width)), min(height, int(high[1] * width) + 1)
    return (slice(top, bottom), slice(left, right)) if right - left > 1 and bottom - top > 1 else None
