"""Whether a mask ends where the picture does: its edge on picture edges, what leaks beyond, what is left out."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...masks.view import Mask, Pixels
from .other_side import coded, distance, like_other_side

WIDTH = 0.018
"""Of the long side: how far beyond an edge a leak is looked for."""
EDGE_dE = 6.0
"""In L*, a*, b* over two px: what is an edge of the picture. By eye, no source."""
STANDS_OUT = 4.0
"""Times the median slope of the picture."""
ON_EDGE_PX = 2
LEAST_PX = 5
"""Thickness, px of the picture that is read: less is the softness of an edge."""
SURE = 1.0
"""Natural logarithm: how much likelier a colour must come from the other side."""
MOST_REST, MOST_REST_dE, LEAST_OPEN = 0.3, 9.0, 0.3
"""Where a leak ends: the share of the step of colours between it and the rest of the mask that may be left there, and
how much at most, since a true mask ends where the picture does; and how much of its rim must lie there, since two
things may touch. Of what is left out the same. By eye on 53 masks, no source."""
OUTLINED_PX = 0.7
"""How exact an outline is."""
BESIDE_PX, SKIPPED_PX = 11, 3
"""How far to either side colours are compared there, and how wide a line between the two is not looked at."""
LEAST_AREA = 1.2e-4
"""Of the picture: a smaller leak is not worth a word."""
LEAST_SEEN = 0.05
"""Of the px about one that colours are compared from."""
MOST_SPOTS = 12
LONG, MOSTLY = 5.0, 0.8
"""How many times longer than wide a straight stroke over leaks must be; and how much of what it takes of the mask must
be leaks, and of the leaks it must take. By eye, no source."""
MOST_SOFT = 0.5
"""Share of the band along its edge that may be half in it: what is softer has no edge to judge."""
RING_PX = 6
"""How far outside an edge a halo is looked for, px of the picture that is read."""


@dataclass(frozen=True)
class EdgeSpot:
    """Where a mask leaks, or has a gap; px of the picture that was read."""

    x: int
    y: int
    w: int
    h: int
    px: float
    """Its area."""
    outline: tuple[tuple[float, float], ...] = ()
    """Round it and the soft end of the mask beyond it, px of the picture that was read; once told of a picture, in
    units of its frame's long side."""


@dataclass(frozen=True)
class EdgeRow:
    """Leaks that lie along a straight line, and nothing of the mask but them: what one straight stroke takes away."""

    ends: tuple[tuple[float, float], tuple[float, float]]
    """Of the stroke: px of the picture that was read; once told of a picture, in units of its frame's long side."""
    radius: float
    """In px of the picture that was read; then of the frame."""
    turn_deg: float
    """Of the line, 0 level, up to 90 either way."""


@dataclass(frozen=True)
class EdgeReading:
    """The edge of one mask."""

    agreement: float
    """Share of its edge that lies on an edge of the picture, 0..1."""
    leaks: tuple[EdgeSpot, ...]
    """Parts of it beyond an edge, the largest first."""
    gaps: tuple[EdgeSpot, ...]
    """What it leaves out up to an edge, the largest first."""
    halo_L: float
    """By how much more lightness changes just outside the edge than farther out, L*; 0 where that cannot be told."""
    row: EdgeRow | None = None
    """The leaks, where they lie in one."""


def read_edge(mask: Mask, Lab: Pixels, change_L: Mask) -> EdgeReading | None:
    """mask, change_L: (height, width), what the place changes of lightness. Lab: (height, width, 3) of the picture.
    None for a mask that has no edge, or too soft a one."""
    solid = mask > 0.5
    if not solid.any() or solid.all():
        return None
    long_side = max(mask.shape)
    width = WIDTH * long_side
    soft = (mask > 0.1) & (mask < 0.9)
    band = np.maximum(distance(solid), distance(~solid)) <= width
    if (soft & band).sum() > MOST_SOFT * band.sum():
        return None
    codes = coded(Lab)
    leak, gap = (like_other_side(own, codes, width) for own in (solid, ~solid))
    rim = solid != (cv2.erode(solid.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1) > 0)
    near = cv2.dilate(_edges(Lab).astype(np.uint8), np.ones((2 * ON_EDGE_PX + 1,) * 2, np.uint8)) > 0
    agreement = float((rim & near).sum() / max(rim.sum(), 1))
    leaks, leaking = _spots(_thick(leak > SURE), solid, Lab)
    gaps, _ = _spots(_thick(gap > SURE), ~solid, Lab)
    halo = _halo(solid, ~solid & (gap < -SURE), change_L, width)
    return EdgeReading(agreement, leaks, gaps, halo, _row(leaking, solid))


def _halo(solid: NDArray[np.bool_], other: NDArray[np.bool_], change_L: Mask, width: float) -> float:
    """solid: the mask; other: what surely lies on the other side of the picture's edge."""
    away = cv2.distanceTransform((~solid).astype(np.uint8), cv2.DIST_L2, 3)
    ring = other & (away > 0.0) & (away <= RING_PX)
    beyond = (away > width) & (away <= 3.0 * width)
    if ring.sum() < 50 or beyond.sum() < 50:
        return 0.0
    return float(change_L[ring].mean() - change_L[beyond].mean())


def _edges(Lab: Pixels) -> NDArray[np.bool_]:
    calm = cv2.GaussianBlur(Lab, (0, 0), 1.0)
    across, down = (cv2.Sobel(calm, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.25) for dx in (1, 0))
    steep = np.sqrt((across**2 + down**2).sum(axis=2))
    # in rough surroundings only what stands out is an edge
    return np.asarray(steep > max(EDGE_dE, STANDS_OUT * float(np.median(steep))))


def _thick(where: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Without what is thinner than LEAST_PX."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (LEAST_PX, LEAST_PX))
    return np.asarray(cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, disc), np.uint8)


def _spots(
    where: NDArray[np.uint8], side: NDArray[np.bool_], Lab: Pixels
) -> tuple[tuple[EdgeSpot, ...], NDArray[np.bool_]]:
    """Parts of one side that the picture parts from the rest of it, and that end where the picture does not; and which
    px are theirs. where: what is coloured like the other side."""
    count, labels, found, _ = cv2.connectedComponentsWithStats(where)
    out, theirs = [], np.zeros(where.shape, bool)
    for n in range(1, count):
        x, y, w, h, px = (int(value) for value in found[n])
        if px < LEAST_AREA * where.size:
            continue
        wide = BESIDE_PX + SKIPPED_PX
        box = np.s_[max(0, y - wide) : y + h + wide, max(0, x - wide) : x + w + wide]
        if _is_cut_wrong(labels[box] == n, side[box], Lab[box]):
            left, top = box[1].start, box[0].start
            around = [(float(a + left), float(b + top)) for a, b in _outline(labels[box] == n, side[box])]
            out.append(EdgeSpot(x, y, w, h, float(px), tuple(around)))
            theirs |= labels == n
    return tuple(sorted(out, key=lambda spot: -spot.px)[:MOST_SPOTS]), theirs


def _is_cut_wrong(own: NDArray[np.bool_], side: NDArray[np.bool_], Lab: Pixels) -> bool:
    """Whether a part of one side belongs to the other: by the steps of colour where the two meet it."""
    inner = own & _grown(side & ~own, 2)
    outer = own & _grown(~side, SKIPPED_PX)
    core = ~_grown(~own, 1)
    means = [_mean_beside(each, Lab) for each in (core, side & ~_grown(own, SKIPPED_PX), ~side & ~_grown(own, 1))]
    steps = []
    for rim, (mean, is_seen) in zip((inner, outer), means[1:], strict=True):
        at = rim & is_seen & means[0][1]
        if at.sum() < LEAST_PX:
            return False
        steps.append(float(np.median(np.sqrt(((mean - means[0][0])[at] ** 2).sum(axis=1)))))
    is_open = outer.sum() > LEAST_OPEN * (inner.sum() + outer.sum())
    return bool(is_open and steps[1] < min(MOST_REST * steps[0], MOST_REST_dE))


def _outline(own: NDArray[np.bool_], side: NDArray[np.bool_]) -> NDArray[np.int32]:
    """Round a part of one side and what lies of the other near it (points, 2)."""
    whole = (own | (_grown(own, SKIPPED_PX) & ~side)).astype(np.uint8)
    found, _ = cv2.findContours(whole, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return np.asarray(cv2.approxPolyDP(max(found, key=cv2.contourArea), OUTLINED_PX, closed=True)[:, 0], np.int32)


def _grown(where: NDArray[np.bool_], by_px: int) -> NDArray[np.bool_]:
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * by_px + 1,) * 2)
    return np.asarray(cv2.dilate(where.astype(np.uint8), disc) > 0)


def _mean_beside(where: NDArray[np.bool_], Lab: Pixels) -> tuple[Pixels, NDArray[np.bool_]]:
    """The mean colour of what lies somewhere, within BESIDE_PX about each px; and where enough of it does."""
    weight = where.astype(np.float32)
    share, sums = (cv2.blur(each, (BESIDE_PX, BESIDE_PX)) for each in (weight, Lab * weight[..., None]))
    return np.asarray(sums / np.maximum(share, np.float32(1e-4))[..., None], np.float32), share > LEAST_SEEN


def _row(leaking: NDArray[np.bool_], solid: NDArray[np.bool_]) -> EdgeRow | None:
    """The straight stroke that covers what leaks, where that is long and thin and it covers little of the mask else."""
    at = np.argwhere(leaking)[:, ::-1].astype(float)
    if not len(at):
        return None
    middle = at.mean(axis=0)
    along = np.linalg.eigh(np.cov((at - middle).T) + 1e-6 * np.eye(2))[1][:, 1]
    across = np.array([-along[1], along[0]])
    length, off = (at - middle) @ along, (at - middle) @ across
    (low, high), (near, far) = np.quantile(off, (0.02, 0.98)), (length.min(), length.max())
    radius = (high - low) / 2.0 + 1.0
    if far - near < LONG * 2.0 * radius:
        return None
    start = middle + across * (low + high) / 2.0
    ends = [start + along * t for t in (near, far)]
    stroke = np.zeros(solid.shape, np.uint8)
    (x0, y0), (x1, y1) = ([round(float(v)) for v in end] for end in ends)
    cv2.line(stroke, (x0, y0), (x1, y1), 1, max(1, round(2.0 * radius)))
    taken = (stroke > 0) & solid
    if (taken & leaking).sum() < MOSTLY * taken.sum() or (taken & leaking).sum() < MOSTLY * leaking.sum():
        return None
    turn = float(np.degrees(np.arctan2(along[1], along[0])))
    turn = (turn + 90.0) % 180.0 - 90.0
    return EdgeRow(
        ((float(ends[0][0]), float(ends[0][1])), (float(ends[1][0]), float(ends[1][1]))), float(radius), turn
    )
