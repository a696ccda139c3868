"""Where the subject seems to be: what differs from the ground at the border, is sharp, and lies well inside.

The border's colours, in a few clusters, stand for the ground (as in Zhu, Liang, Wei, Sun, "Saliency optimization from
robust background detection", 2014); a place counts by how far it is from all of them, by how sharp it is against the
rest, and less toward the border. It says nothing where no one part stands out.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from ...colour.spaces import sRGB_to_Lab
from ...colour.types import Array, Image

LONG_SIDE = 240
CLUSTERS = 5
GROUND_SHARE = 0.04
"""Of the sides: how wide the border is that stands for the ground."""
SPREAD = 6.0
"""In L*, a*, b*: what a cluster spreads at least."""
LEAST_SHARE, MOST_SHARE = 0.006, 0.45
"""Of the picture."""
MOST_CERTAIN = 0.7
"""By colour and sharpness alone nobody knows what is meant."""
INSIDE, OUTSIDE = 3.0, 1.2
"""Times as much as outside that the subject counts, for full certainty, and for none."""


@dataclass(frozen=True)
class SubjectReading:
    """A subject, in px of the picture that was looked at."""

    x: float
    y: float
    """Its middle, as it counts."""
    box: tuple[float, float, float, float]
    """Left, top, width, height."""
    certainty: float


def find_subject(display: Image) -> SubjectReading | None:
    """display: display-linear sRGB (height, width, 3) of the whole picture. None where nothing stands out."""
    height, width = display.shape[:2]
    scale = min(1.0, LONG_SIDE / max(height, width))
    size = max(16, round(width * scale)), max(16, round(height * scale))
    fine = sRGB_to_Lab(display.reshape(-1, 3)).reshape(display.shape).astype(np.float32)
    Lab = cv2.resize(fine, size, interpolation=cv2.INTER_AREA)
    count = _off_ground(Lab) * _sharp(fine[..., 0], size) * _inside(size)
    count = cv2.GaussianBlur(count, (0, 0), 0.012 * max(size))
    codes = np.rint(255.0 * count / max(float(count.max()), 1e-9)).astype(np.uint8)
    level, _ = cv2.threshold(codes, 0, 1, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    found, labels, stats, _ = cv2.connectedComponentsWithStats((codes > level).astype(np.uint8), connectivity=8)
    if found < 2:
        return None
    sums = np.bincount(labels.ravel(), count.ravel(), found)
    sums[0] = 0.0
    best = int(np.argmax(sums))
    mask = labels == best
    share = float(mask.mean())
    if not LEAST_SHARE < share < MOST_SHARE:
        return None
    y, x = np.nonzero(mask)
    weights = count[mask]
    ratio = float(weights.mean()) / max(float(count[~mask].mean()), 1e-6)
    alone = float(sums[best] / sums.sum())
    left, top, w, h = (int(value) for value in stats[best, :4])
    # what fills the picture from side to side is a view, not a thing in it
    doubts = (
        (ratio - OUTSIDE) / (INSIDE - OUTSIDE), alone * 1.6 - 0.6, (MOST_SHARE - share) / (0.5 * MOST_SHARE),
        (1.0 - w / size[0]) / 0.4,
    )  # fmt: skip
    certainty = MOST_CERTAIN * float(np.prod(np.clip(doubts, 0.0, 1.0)))
    sx, sy = width / size[0], height / size[1]
    return SubjectReading(
        float((x * weights).sum() / weights.sum() + 0.5) * sx - 0.5,
        float((y * weights).sum() / weights.sum() + 0.5) * sy - 0.5,
        (left * sx, top * sy, w * sx, h * sy),
        certainty,
    )


def _off_ground(Lab: Array) -> Array:
    """How far each px is from the colours of the border, (height, width)."""
    height, width = Lab.shape[:2]
    wide = max(2, round(GROUND_SHARE * max(height, width)))
    # the lower border is where subjects stand
    ground = np.concatenate([Lab[:wide].reshape(-1, 3), Lab[:, :wide].reshape(-1, 3), Lab[:, -wide:].reshape(-1, 3)])
    cv2.setRNGSeed(1)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 20, 0.5)
    _, own, centres = cv2.kmeans(np.ascontiguousarray(ground), CLUSTERS, None, stop, 2, cv2.KMEANS_PP_CENTERS)
    far = np.full((height, width), np.inf)
    for n, centre in enumerate(centres):
        part = ground[own.ravel() == n]
        if len(part) < 0.04 * len(ground):
            continue
        spread = np.maximum(part.std(axis=0), SPREAD)
        far = np.minimum(far, (((Lab - centre) / spread) ** 2).sum(axis=2))
    return np.asarray(np.minimum(np.sqrt(far), 8.0))


def _sharp(L: Array, size: tuple[int, int]) -> Array:
    """How sharp the picture is about each px of `size`, 0.4..1."""
    edges = np.abs(L - cv2.GaussianBlur(L, (0, 0), 1.5))
    local = cv2.GaussianBlur(cv2.resize(edges, size, interpolation=cv2.INTER_AREA), (0, 0), 0.025 * max(size))
    return np.asarray(0.4 + 0.6 * np.clip(local / max(float(np.quantile(local, 0.9)), 1e-6), 0.0, 1.0))


def _inside(size: tuple[int, int]) -> Array:
    """Less toward the border."""
    x, y = (np.linspace(-1.0, 1.0, n) for n in size)
    return np.asarray(np.exp(-0.5 * (x[None] ** 2 / 0.55**2 + (y[:, None] - 0.05) ** 2 / 0.65**2)))
