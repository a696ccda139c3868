"""How the stars of one frame lie on those of another: the sky turns while the ground stands.

Stars are peaks above what surrounds them. The shift of most of them is voted for by the bright ones; then each looks
for the nearest one, and what most agree on is fitted.
"""

import cv2
import numpy as np

from ..colour.types import Array
from ..develop.frame.alignment import Alignment
from ..develop.frame.sensor import Sensor
from .align import FINE_PX, AlignError, fitted, light_of

LEVEL = 1
NOISES, MOST, BRIGHT = 6.0, 600, 250
"""Of the finest noise that a peak rises above; how many are taken, and how many of the brightest vote."""
AROUND_PX, LIVELY = 41, 6.0
"""And of the finest detail in so many px round it."""
STANDS_PX = 1.0
"""What moves no further from frame to frame belongs to the ground or the sensor, where enough else moves."""
FURTHEST_PX, BIN_PX = 120, 4
"""Of that level, that stars move from one frame to the next at most, and how finely that is voted for."""
NEAR_PX = 6.0
LEAST, LEAST_SHARE = 12, 0.3
"""Stars that must be the same, and of those that are there."""


def stars_of(sensor: Sensor) -> Array:
    """(n, 2) their places, px of the full size, the brightest first."""
    light = light_of(sensor, LEVEL)
    fine = cv2.GaussianBlur(light, (0, 0), 0.8) - cv2.GaussianBlur(light, (0, 0), 4.0)
    noise = 1.48 * float(np.median(np.abs(fine)))
    # among textures nothing counts as a star
    lively = cv2.blur(np.abs(fine), (AROUND_PX, AROUND_PX))
    peak = (fine == cv2.dilate(fine, np.ones((5, 5), np.uint8))) & (fine > NOISES * noise + LIVELY * lively)
    peak[:3], peak[-3:], peak[:, :3], peak[:, -3:] = False, False, False, False
    ys, xs = np.nonzero(peak)
    order = np.argsort(-fine[ys, xs])[:MOST]
    ys, xs = ys[order], xs[order]
    step = np.arange(-2, 3)
    around = np.maximum(fine[ys[:, None, None] + step[:, None], xs[:, None, None] + step[None]], 0.0)
    total = np.maximum(around.sum(axis=(1, 2)), 1e-12)
    x = xs + (around * step[None, None]).sum(axis=(1, 2)) / total
    y = ys + (around * step[None, :, None]).sum(axis=(1, 2)) / total
    return (np.stack([x, y], axis=1) + 0.5) * 2.0**LEVEL - 0.5


def stars_aligned(own: Array, other: Array, size: tuple[int, int], before: Alignment | None = None) -> Alignment:
    """How stars (n, 2) of another frame lie on one's own. before: how those of a frame lie that was taken next to it.

    Raises AlignError where too few are the same.
    """
    if min(len(own), len(other)) < LEAST:
        raise AlignError("there are too few stars to align them")
    own, other = _moving(own, other)
    start = own if before is None else before.at(own[:, 0], own[:, 1])
    shift = _voted(start[:BRIGHT], other[:BRIGHT])
    mine, its = _nearest(start + shift, other, NEAR_PX * 2.0**LEVEL)
    found = fitted(own[mine], other[its], size, FINE_PX * 2.0**LEVEL)
    mine, its = _nearest(found.at(own[:, 0], own[:, 1]), other, NEAR_PX)
    # chance finds a few, the sky nearly all
    if len(mine) < LEAST_SHARE * min(len(own), len(other)):
        raise AlignError("too few stars match to align them")
    return fitted(own[mine], other[its], size, FINE_PX * 2.0**LEVEL)


def _moving(own: Array, other: Array) -> tuple[Array, Array]:
    """Without what stands still, as long as enough is left."""
    away = np.linalg.norm(own[:, None] - other[None], axis=2)
    mine, its = away.min(axis=1) > STANDS_PX, away.min(axis=0) > STANDS_PX
    return (own[mine], other[its]) if min(mine.sum(), its.sum()) >= 2 * LEAST else (own, other)


def _voted(own: Array, other: Array) -> Array:
    """(2,) the shift that most pairs have."""
    shifts = (other[None] - own[:, None]).reshape(-1, 2)
    furthest, width = FURTHEST_PX * 2.0**LEVEL, BIN_PX * 2.0**LEVEL
    bins = int(2 * furthest / width)
    votes, xs, ys = np.histogram2d(shifts[:, 0], shifts[:, 1], bins=bins, range=[[-furthest, furthest]] * 2)
    votes = cv2.GaussianBlur(votes, (0, 0), 0.8)
    x, y = np.unravel_index(int(votes.argmax()), votes.shape)
    best = np.array([(xs[x] + xs[x + 1]) / 2.0, (ys[y] + ys[y + 1]) / 2.0])
    near = np.abs(shifts - best).max(axis=1) < 1.5 * width
    return np.asarray(np.median(shifts[near], axis=0)) if near.any() else best


def _nearest(places: Array, others: Array, within_px: float) -> tuple[Array, Array]:
    """Indices of places and of the others nearest to them, of pairs that choose each other."""
    away = np.linalg.norm(places[:, None] - others[None], axis=2)
    there, back = away.argmin(axis=1), away.argmin(axis=0)
    mine = np.arange(len(places))
    good = (back[there] == mine) & (away[mine, there] < within_px)
    if good.sum() < LEAST:
        raise AlignError("too few stars match to align them")
    return mine[good], there[good]
