"""How a picture lies in what the lens drew: turned level, seen straight, cut.

The plane of the picture has the frame's size and its middle; what is wanted of it is cut out of it. A point of it comes
from a point of what the lens drew as if the camera had been turned: levelled first, then its pitch taken back, then its
yaw (Hartley and Zisserman, Multiple View Geometry, 2004, 8.4).
"""

from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

import numpy as np

from ..colour.types import Array

Size = tuple[int, int]
Crop = tuple[float, ...]
"""Left, top, width and height on the plane in units of the frame's long side; none for all that can be had."""

RATIOS = {"1:1": 1.0, "4:5": 1.25, "5:7": 1.4, "2:3": 1.5, "3:4": 4.0 / 3.0, "16:9": 16.0 / 9.0,
          "golden": (1.0 + 5.0**0.5) / 2.0}  # fmt: skip
"""Long side over short."""
USUAL_FOCAL = 28.0 / 36.0
"""Focal length over the long side where the file does not say: a moderate wide angle; common practice, no source."""
LEAST_AHEAD = 0.15
"""Of the focal length: what lies less far ahead of the camera as it is wanted is left out."""
LEAST_PX = 16
_TINY = 1e-9


@dataclass(frozen=True, eq=False)
class Straight:
    """Where the picture lies on its plane, and the plane in what the lens drew."""

    to_lens: Array
    """(3, 3), from (x, y, 1) on the plane, px from its middle, to px from the middle of what the lens drew."""
    left: float
    top: float
    """Where the picture's first pixel lies on the plane, px from the plane's first pixel."""
    size: Size

    @property
    def is_plain(self) -> bool:
        """Whether the plane is what the lens drew, and the picture whole pixels of it."""
        return bool(np.array_equal(self.to_lens, np.eye(3)))


@lru_cache(maxsize=64)
def straight(
    size: Size, focal_px: float, level_deg: float, vertical_deg: float, horizontal_deg: float, crop: Crop, ratio: str
) -> Straight:
    """size: of the frame, (width, height) px. The picture holds no empty corner: a crop that would is drawn in about
    its own middle; without one it is the largest there is, of the ratio named, or of the frame's own."""
    to_lens = turned(focal_px, level_deg, vertical_deg, horizontal_deg)
    width, height = size
    if np.array_equal(to_lens, np.eye(3)) and not crop and ratio not in RATIOS:
        return Straight(to_lens, 0.0, 0.0, size)
    edges = half_planes(reach(to_lens, size))
    if crop:
        long_side = max(size)
        x, y, w, h = (value * long_side for value in crop)
        half: Array = np.array([max(w, LEAST_PX) - 1.0, max(h, LEAST_PX) - 1.0]) / 2.0
        centre: Array = np.array([x + (w - width) / 2.0, y + (h - height) / 2.0])
        centre, half = drawn_in(edges, centre, half)
    else:
        half = np.array([width - 1.0, height - 1.0]) / 2.0
        if ratio in RATIOS:
            long, short = RATIOS[ratio], 1.0
            half = np.array([long, short] if width >= height else [short, long])
        centre, half = largest(edges, half)
    return _cut(to_lens, size, centre, half)


def _cut(to_lens: Array, size: Size, centre: Array, half: Array) -> Straight:
    plain = np.array_equal(to_lens, np.eye(3))
    wanted = 2.0 * half + 1.0 + 1e-6
    wide, high = (max(LEAST_PX, int(np.rint(n) if plain else n)) for n in wanted)
    if plain:
        wide, high = min(wide, size[0]), min(high, size[1])
    left = (size[0] - wide) / 2.0 + centre[0]
    top = (size[1] - high) / 2.0 + centre[1]
    if plain:
        left = float(min(max(round(left), 0), size[0] - wide))
        top = float(min(max(round(top), 0), size[1] - high))
    return Straight(to_lens, float(left), float(top), (wide, high))


def turned(focal_px: float, level_deg: float, vertical_deg: float, horizontal_deg: float) -> Array:
    """The matrix (3, 3) from the plane to what the lens drew, of a picture that is turned clockwise by level_deg, whose
    camera tilted up by vertical_deg and right by horizontal_deg more than it is to seem. The middle stays, and its
    scale."""
    if not (level_deg or vertical_deg or horizontal_deg):
        return np.eye(3)
    level, pitch, yaw = np.radians([level_deg, vertical_deg, horizontal_deg])
    roll = np.array([[np.cos(level), np.sin(level), 0.0], [-np.sin(level), np.cos(level), 0.0], [0.0, 0.0, 1.0]])
    if not (vertical_deg or horizontal_deg):
        return roll
    up = np.array([[1.0, 0.0, 0.0], [0.0, np.cos(pitch), np.sin(pitch)], [0.0, -np.sin(pitch), np.cos(pitch)]])
    right = np.array([[np.cos(yaw), 0.0, -np.sin(yaw)], [0.0, 1.0, 0.0], [np.sin(yaw), 0.0, np.cos(yaw)]])
    camera = np.diag([focal_px, focal_px, 1.0])
    seen = camera @ roll @ up @ right @ np.linalg.inv(camera)
    middle = applied(np.linalg.inv(seen), np.zeros((1, 2)))[0]
    scale = 1.0 / np.sqrt(abs(np.linalg.det(_slope(seen, middle))))
    held = seen @ np.array([[scale, 0.0, middle[0]], [0.0, scale, middle[1]], [0.0, 0.0, 1.0]])
    return np.asarray(held / held[2, 2])


def applied(matrix: Array, points: Array) -> Array:
    """Points (n, 2) by a matrix (3, 3)."""
    moved = points @ matrix[:, :2].T + matrix[:, 2]
    return np.asarray(moved[:, :2] / moved[:, 2:])


def _slope(matrix: Array, at: Array) -> Array:
    """How the place moves with the point, (2, 2)."""
    step = 1e-3
    points = np.array([at + [step, 0.0], at - [step, 0.0], at + [0.0, step], at - [0.0, step]])
    moved = applied(matrix, points)
    return np.stack([moved[0] - moved[1], moved[2] - moved[3]], axis=1) / (2.0 * step)


def reach(to_lens: Array, size: Size) -> Array:
    """The corners (4, 2) on the plane of what the lens drew, clockwise; less of it where it would lie behind."""
    corners = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]]) * (np.array(size) - 1.0) / 2.0
    back = np.linalg.inv(to_lens)
    back = back / back[2, 2]
    ahead = corners @ back[2, :2]
    if ahead.min() + 1.0 < LEAST_AHEAD:
        corners = corners * (1.0 - LEAST_AHEAD) / -ahead.min()
    return applied(back, corners)


def half_planes(corners: Array) -> Array:
    """(n, 3): normal x, y and distance, n . p <= distance inside, of a convex outline (n, 2), clockwise as seen."""
    along = np.roll(corners, -1, axis=0) - corners
    normals = np.stack([along[:, 1], -along[:, 0]], axis=1)
    normals = normals / np.maximum(np.hypot(*normals.T)[:, None], _TINY)
    return np.column_stack([normals, (normals * corners).sum(axis=1)])


def largest(edges: Array, half: Array) -> tuple[Array, Array]:
    """The middle and the half sides of the largest upright rectangle inside, of the shape of `half`; where several are
    as large, that whose middle is nearest to the origin."""
    # n . c + s * (|n| . half) <= d: three edges hold it; the best corner of these constraints is the answer
    spread = np.abs(edges[:, :2]) @ half
    rows = np.column_stack([edges[:, :2], spread])
    best = 0.0
    for three in combinations(range(len(edges)), 3):
        part = rows[list(three)]
        if abs(np.linalg.det(part)) < _TINY:
            continue
        found = np.linalg.solve(part, edges[list(three), 2])
        if (rows @ found <= edges[:, 2] + 1e-6).all():
            best = max(best, float(found[2]))
    # two edges that run side by side hold it too
    for one, other in combinations(range(len(edges)), 2):
        if edges[one, :2] @ edges[other, :2] < -1.0 + _TINY:
            held = float((edges[one, 2] + edges[other, 2]) / (spread[one] + spread[other]))
            best = max(best, held) if _nearest(edges, held * spread) is not None else best
    centre = _nearest(edges, best * spread)
    return (np.zeros(2) if centre is None else centre), best * half


def drawn_in(edges: Array, centre: Array, half: Array) -> tuple[Array, Array]:
    """A rectangle made so small about its middle that it lies inside; moved there first if even its middle does not."""
    inside = edges[:, 2] - edges[:, :2] @ centre
    if inside.min() < LEAST_PX / 2.0:
        best = largest(edges, half)[0]
        share = 1.0
        while (edges[:, 2] - edges[:, :2] @ (centre + (best - centre) * (1.0 - share))).min() < LEAST_PX / 2.0:
            share *= 0.9
        centre = centre + (best - centre) * (1.0 - share)
        inside = edges[:, 2] - edges[:, :2] @ centre
    spread = np.abs(edges[:, :2]) @ half
    return centre, half * min(1.0, float((inside / np.maximum(spread, _TINY)).min()))


def _nearest(edges: Array, spread: Array) -> Array | None:
    """The point nearest to the origin that lies `spread` (n,) inside all edges; None when there is none."""
    room = edges[:, 2] - spread + 1e-6
    candidates = [np.zeros(2), *(edges[:, :2] * room[:, None])]
    for one, other in combinations(range(len(edges)), 2):
        part = edges[[one, other], :2]
        if abs(np.linalg.det(part)) > _TINY:
            candidates.append(np.linalg.solve(part, room[[one, other]]))
    fits = [point for point in candidates if (edges[:, :2] @ point <= room + 1e-6).all()]
    return min(fits, key=lambda point: float(point @ point)) if fits else None
