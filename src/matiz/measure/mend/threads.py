"""Hairs, lint and cables: thin dark lines that stand alone on an even ground.

Ridges are found by the Hessian of the logarithm at several sizes (Lindeberg, "Edge detection and ridge detection with
automatic scale selection", 1998), linked between two thresholds (Canny, 1986) and thinned to a path. What crosses
other lines, or lies beside an edge, is a twig or a railing, and is left alone.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera

SIGMAS = (1.0, 1.6, 2.6)
"""Px of the picture that is looked at. What is widest is out of focus, and a thing."""
STRONG, WEAK = 7.0, 4.0
"""Times the usual strength of ridges round about."""
LEAST_DEPTH = 0.02
LEAST_LENGTH = 35.0
"""Px; and of its own width, six times."""
ALONE_PX = 24
"""How far from a path other ridges count against it."""
MOST_OTHERS = 0.7
"""Of other ridges round a path, for one of its own, at which nothing is believed any more."""
MOST_COLOUR = 0.6
"""Of the depth: how differently colours are dimmed, at which nothing is believed any more."""
MOST_LEAN = 1.0
"""Of the depth: how unlike the grounds on both sides are, at which nothing is believed any more."""
MOST_ROUGH, EVEN = 0.7, 0.15
"""Of the depth, and of the light: how uneven the grounds are, at which nothing is believed any more."""
ALONE = 0.7
"""Most certainty: a line can be a thing."""
MOST = 12
SAMPLES = 24


@dataclass(frozen=True)
class Thread:
    """A thin dark line, px of the upright full-size frame."""

    path: tuple[tuple[float, float], ...]
    width: float
    depth: float
    """Share of the light that it takes."""
    length: float
    certainty: float


def find_threads(camera: Camera, step: int = 1) -> tuple[Thread, ...]:
    """camera: camera values of the whole frame at a level, `step` full-size px per px. The surest first."""
    # not at start: they take longer to load than the rest of the room
    from skimage.filters import apply_hysteresis_threshold
    from skimage.morphology import skeletonize

    logs = np.log(np.maximum(camera, 1e-4))
    ridge, sigma = _ridges(np.ascontiguousarray(logs[..., 1]))
    usual = 1.48 * cv2.blur(np.sqrt(np.abs(ridge)), (65, 65)) ** 2 + 1e-6
    strong = (ridge > STRONG * usual) & (ridge > 0.3 * LEAST_DEPTH)
    lines = apply_hysteresis_threshold(ridge / usual, WEAK, STRONG) & (ridge > 0.1 * LEAST_DEPTH)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(lines.astype(np.uint8), connectivity=8)
    everything = _about(strong)
    found = []
    for n in range(1, count):
        x, y, w, h, area = (int(value) for value in stats[n])
        if max(w, h) < 0.6 * LEAST_LENGTH or area > 0.25 * w * h + 6 * max(w, h):
            continue
        thin = skeletonize(np.pad(labels[y : y + h, x : x + w] == n, 1))
        path = _longest(thin)
        if len(path) < LEAST_LENGTH or len(path) < 0.75 * thin.sum():
            continue
        at = path - 1 + np.array([x, y])
        if float(np.median(sigma[at[:, 1], at[:, 0]])) > 1.01 * SIGMAS[-2]:
            continue
        part = np.s_[max(0, y - ALONE_PX) : y + h + ALONE_PX, max(0, x - ALONE_PX) : x + w + ALONE_PX]
        alone = _about(strong[part] & (labels[part] == n))
        mine = alone[at[:, 1] - part[0].start, at[:, 0] - part[1].start]
        others = everything[at[:, 1], at[:, 0]] - mine
        crowd = float(np.median(others)) / max(float(np.median(mine)), 1e-6)
        made = _judged(logs, at, float(np.median(sigma[at[:, 1], at[:, 0]])), crowd)
        if made is not None:
            found.append(made)
    found.sort(key=lambda one: -one.certainty)
    return tuple(_at_step(one, step) for one in found[:MOST])


def _at_step(thread: Thread, step: int) -> Thread:
    off = (step - 1) / 2.0
    path = tuple((x * step + off, y * step + off) for x, y in thread.path)
    return Thread(path, thread.width * step, thread.depth, thread.length * step, thread.certainty)


def _ridges(logs: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How deep a dark line lies at each px, and the size at which it is deepest."""
    best, size = np.zeros_like(logs), np.full_like(logs, SIGMAS[0])
    for sigma in SIGMAS:
        soft = cv2.GaussianBlur(logs, (0, 0), sigma)
        xx, yy, xy = (cv2.Sobel(soft, cv2.CV_32F, *order, ksize=3, scale=scale)
                      for order, scale in (((2, 0), 0.25), ((0, 2), 0.25), ((1, 1), 0.25)))  # fmt: skip
        half, root = (xx + yy) / 2.0, np.sqrt(((xx - yy) / 2.0) ** 2 + xy * xy)
        across, along = half + root, half - root
        # a spot is as deep along as across
        deep = np.where(np.abs(along) < 0.5 * across, across - np.abs(along), 0.0) * sigma**1.5
        better = deep > best
        best, size = np.where(better, deep, best), np.where(better, np.float32(sigma), size)
    return best.astype(np.float32), size


def _longest(thin: NDArray[np.bool_]) -> NDArray[np.int64]:
    """The longest way through a thinned line, (n, 2) as x, y."""
    y, x = np.nonzero(thin)
    if len(x) < 2:
        return np.zeros((0, 2), np.int64)
    number = np.full(thin.shape, -1)
    number[y, x] = np.arange(len(x))
    starts, ends = [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        # the outermost px are empty
        other = number[y + dy, x + dx]
        starts.append(np.arange(len(x))[other >= 0])
        ends.append(other[other >= 0])
    a, b = np.concatenate(starts), np.concatenate(ends)
    # a part of the program's start otherwise, and not wanted before something is measured
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import breadth_first_order

    graph = coo_matrix((np.ones(len(a)), (a, b)), shape=(len(x), len(x))).tocsr()
    first = breadth_first_order(graph, 0, directed=False)[0][-1]
    order, before = breadth_first_order(graph, first, directed=False)
    at, way = int(order[-1]), []
    while at >= 0:
        way.append(at)
        at = int(before[at])
    return np.stack([x[way], y[way]], axis=1)


def _about(mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """The share of px about each px that are set."""
    return np.asarray(cv2.blur(mask.astype(np.float32), (2 * ALONE_PX + 1,) * 2, borderType=cv2.BORDER_CONSTANT))


def _judged(logs: Array, path: NDArray[np.int64], sigma: float, crowd: float) -> Thread | None:
    """crowd: other ridges round about, for one of its own."""
    height, width = logs.shape[:2]
    smooth = cv2.blur(path.astype(np.float32).reshape(-1, 1, 2), (1, 9)).reshape(-1, 2)
    pick = np.linspace(3, len(path) - 4, SAMPLES).astype(int)
    along = smooth[pick + 3] - smooth[pick - 3]
    normal = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-6)[:, None]
    reach = 4.0 * sigma + 2.0

    def seen(by: float) -> Array:
        at = np.rint(smooth[pick] + by * normal).astype(int)
        return np.asarray(logs[np.clip(at[:, 1], 0, height - 1), np.clip(at[:, 0], 0, width - 1)])

    middle = np.minimum.reduce([np.median(seen(by), axis=0) for by in (-1.0, 0.0, 1.0)])
    left, right = (np.median([seen(side * (reach + n)) for n in range(3)], axis=0) for side in (-1, 1))
    ground = (left + right) / 2.0
    depths = np.median(ground, axis=0) - middle
    depth = float(depths[1])
    if depth < LEAST_DEPTH:
        return None
    colours = float(np.ptp(depths)) / depth
    lean = float(np.median(np.abs(left[:, 1] - right[:, 1]))) / depth
    # even for a good way on both sides: beside a thing there is always more of it
    wide = np.stack([seen(side * (reach + far))[:, 1] for side in (-1, 1) for far in (0, 4, 8, 12, 16, 20)])
    rough = float((wide - np.median(wide)).std())
    doubts = (
        (MOST_COLOUR - colours) / (0.6 * MOST_COLOUR), (MOST_LEAN - lean) / (0.6 * MOST_LEAN),
        (MOST_ROUGH - rough / depth) / (0.6 * MOST_ROUGH), (EVEN - rough) / (0.6 * EVEN),
        (MOST_OTHERS - crowd) / (0.7 * MOST_OTHERS), (len(path) / sigma - 12.0) / 12.0,
    )  # fmt: skip
    certainty = ALONE * float(np.prod(np.clip(doubts, 0.0, 1.0)))
    if certainty <= 0.0:
        return None
    points = smooth[np.unique(np.linspace(0, len(smooth) - 1, min(60, max(3, len(path) // 6))).astype(int))]
    held = tuple((float(x), float(y)) for x, y in points)
    return Thread(held, 2.4 * sigma, 1.0 - float(np.exp(-depth)), float(len(path)), certainty)
