"""Light and shade mixed along a stroke, under their texture: what changes the way the stroke goes is evened out, and
what changes across it, as the round of a cheek does, stays."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from .heal import Area, Pixels, Region, Take, base_of, from_root, mixed, root_of

ALONG, ACROSS = 1.0, 0.15
"""How far is mixed, in radii: the spread along the stroke, and across it, which keeps streaks out of bends."""
BEYOND = 1.7
"""How far beyond its ends a stroke is mixed with what lies there, in radii: as far as is looked at."""
ROUND = 0.7
"""Of what has no way: the spread all round, in radii."""
Points = NDArray[np.float64]


def base_mixed(take: Take, area: Area, box: Region, detail_px: float) -> Pixels:
    """The camera values (height, width, 3) of `box` with what is coarser than a blur of detail_px mixed along an area's
    path, or all round in a spot or an outline."""
    here = take(box)
    target = root_of(here)
    base, cover = base_of(target, detail_px), area.cover(box)
    if area.is_outline or len(area.path) == 1:
        made = cv2.GaussianBlur(base, (0, 0), ROUND * _radius(area, box), borderType=cv2.BORDER_REPLICATE)
    else:
        made = _along(base, area, np.array(area.path) - box[:2], cover > 0.0)
    return mixed(here, from_root(made + target - base), cover)


def _radius(area: Area, box: Region) -> float:
    """Of the largest disc that an area holds."""
    if not area.is_outline:
        return area.radius
    inside = (area.distance(box) <= area.radius).astype(np.uint8)
    return max(float(cv2.distanceTransform(np.pad(inside, 1), cv2.DIST_L2, 5).max()), 1.0)


def _along(base: Pixels, area: Area, path: Points, wanted: NDArray[np.bool_]) -> Pixels:
    """The base laid out along the path, a column for each px of it, mixed there, and laid back."""
    points, ways = _walked(path, area.radius)
    normals = np.stack([-ways[:, 1], ways[:, 0]], axis=1)
    half = int(np.ceil(area.radius + area.feather)) + 2
    aside = np.arange(-half, half + 1)
    at = (points[None] + aside[:, None, None] * normals[None]).astype(np.float32)
    strip = cv2.remap(
        base, np.ascontiguousarray(at[..., 0]), np.ascontiguousarray(at[..., 1]), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT_101,
    )  # fmt: skip
    strip = cv2.GaussianBlur(
        strip, (0, 0), sigmaX=ALONG * area.radius, sigmaY=max(ACROSS * area.radius, 0.1),
        borderType=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    rows, columns = np.nonzero(wanted)
    px = np.stack([columns, rows], axis=1).astype(np.float64)
    _, nearest = _tree(points).query(px)
    off = px - points[nearest]
    along = nearest + (off * ways[nearest]).sum(axis=1)
    across = half + (off * normals[nearest]).sum(axis=1)
    x, y = (each.astype(np.float32)[:, None] for each in (along, across))
    out = base.copy()
    out[rows, columns] = cv2.remap(strip, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[:, 0]
    return out


def _tree(points: Points) -> Any:
    # not at start: it takes longer to load than the rest of the room
    from scipy.spatial import cKDTree

    return cKDTree(points)


def _walked(path: Points, radius: float) -> tuple[Points, Points]:
    """Points of a path a px apart, smoothed as a hand means it, with what lies straight beyond its ends; and the way at
    each, of length 1."""
    steps = np.hypot(*np.diff(path, axis=0).T)
    far = np.concatenate([[0.0], np.cumsum(steps)])
    even = np.linspace(0.0, far[-1], max(int(np.ceil(far[-1])), 2) + 1)
    points = np.stack([np.interp(even, far, path[:, n]) for n in range(2)], axis=1)
    points = cv2.GaussianBlur(points[:, None], (0, 0), 0.5 * radius, borderType=cv2.BORDER_REPLICATE)[:, 0]
    ways = np.gradient(points, axis=0)
    ways /= np.maximum(np.hypot(*ways.T), 1e-9)[:, None]
    reach = np.arange(1, int(np.ceil(BEYOND * radius)) + 1)[:, None]
    before, after = points[0] - reach[::-1] * ways[0], points[-1] + reach * ways[-1]
    ends = np.repeat(ways[:1], len(reach), axis=0), np.repeat(ways[-1:], len(reach), axis=0)
    return np.concatenate([before, points, after]), np.concatenate([ends[0], ways, ends[1]])
