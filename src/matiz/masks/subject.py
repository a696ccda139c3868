"""The subject of a picture, by a small network, and what taps make of it.

Where the network cannot be loaded, contrast against the border and a graph cut give a rougher answer.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from .cut import Picture, Share, graph_cut, smaller, softened
from .subject_network import SubjectNetwork, subject_network

Point = tuple[float, float]
Mask = NDArray[np.bool_]

SIDE = 1024
"""Of the answer by contrast."""
CLOSE, CLOSE_TOO, AROUND = 0.15, 0.02, 0.3
"""Around what an overview finds: a share of its width and height, and of the picture's, and what a true square has
around it, of its longer side."""
STEEPER = 3.0
"""What two of three say is so."""
AGREED = 0.98
"""Overlap of the first two looks over which no third is needed. Measured once, on 19 photographs: so with 8 of them, in
which a third would have changed 0.004 of the subject at most."""
SMALL = 0.02
"""Of the frame: what an overview finds under it is looked for again in the whole, as finely as can be."""
LEAST_SHARE = 0.0006
"""Of the frame: specks and holes under it are no subject."""
NEAR_LARGEST = 0.02
"""Specks are smaller than this share of the largest part, too."""
NEAR = 0.03
"""Of the long side: how far hair and whiskers reach from what is surely the subject."""
ALIKE = (6, 6, 6)
"""Of 255: the most that what a tap speaks for changes from px to px."""
NEVER_ALIKE = 32
"""Of 255: what differs more from the place of a tap is not spoken for, however gently colours change on the way."""
TAP, NEAR_YES, NEAR_NO, AROUND_TAP = 0.012, 6.0, 4.0, 8.0
"""Radius of what a tap surely means, of the long side; in how many of them edges near it are looked at; and how far
about that colours are learned."""


@dataclass(frozen=True)
class SubjectMap:
    """Where the subject is."""

    share: Share
    """(rows, columns) 0..1, over the whole picture."""
    how: str
    """What found it: "network", "your own network", or "contrast"."""


OnLook = Callable[[SubjectMap], object]


def find_subject(picture: Picture, on_look: OnLook = lambda _: None) -> SubjectMap:
    """The subject of an sRGB picture (height, width, 3).

    on_look: told what is known before each further look, two at most, each better than what was known. What it raises
    ends the search.

    Raises:
        FileError: for a network of the user's own that cannot be used.
    """
    network = subject_network()
    if network is None:
        return SubjectMap(cleaned(by_contrast(picture)), "contrast")
    how = network.how
    share = network.answer(_square(picture, network.coarse))
    if network.coarse < network.fine:
        if (cleaned(share) > 0.5).mean() < SMALL:
            share = network.answer(_square(picture, network.fine))
        where = cleaned(share) > 0.5
        if where.any():
            share = _looked_closer(
                picture, share, where, network, lambda known: on_look(SubjectMap(cleaned(known), how))
            )
    return SubjectMap(cleaned(share), how)


def _looked_closer(
    picture: Picture, overview: Share, where: Mask, network: SubjectNetwork, on_look: Callable[[Share], object]
) -> Share:
    """The mean of what is seen of the whole, of the subject with a little around it, stretched to a square, and of a
    true square with more around it: each errs elsewhere, and where the first two agree the third says nothing new.
    where: what the overview finds, some of it."""
    height, width = picture.shape[:2]
    columns, rows = np.flatnonzero(where.any(axis=0)), np.flatnonzero(where.any(axis=1))
    left, right = (float(at) * width / where.shape[1] for at in (columns[0], columns[-1] + 1))
    top, bottom = (float(at) * height / where.shape[0] for at in (rows[0], rows[-1] + 1))
    across, down = CLOSE * (right - left) + CLOSE_TOO * width, CLOSE * (bottom - top) + CLOSE_TOO * height
    close = max(0.0, left - across), max(0.0, top - down), min(width, right + across), min(height, bottom + down)
    reach = (0.5 + AROUND) * max(right - left, bottom - top)
    x, y = (left + right) / 2.0, (top + bottom) / 2.0
    square = x - reach, y - reach, x + reach, y + reach
    side = network.fine
    known, seen = overview, [_enlarged(overview, side)]
    for window in (close, square):
        on_look(known)
        seen.append(_enlarged(_seen_in(picture, [round(edge) for edge in window], network), side))
        known = np.asarray(np.clip((np.mean(seen, axis=0) - 0.5) * STEEPER + 0.5, 0.0, 1.0), np.float32)
        if _overlap(seen[0] > 0.5, seen[-1] > 0.5) > AGREED:
            break
    return known


def _overlap(a: Mask, b: Mask) -> float:
    """Intersection over union; 1 of nothing and nothing."""
    either = int((a | b).sum())
    return float((a & b).sum()) / either if either else 1.0


def _enlarged(share: Share, side: int) -> Share:
    return np.asarray(cv2.resize(share, (side, side), interpolation=_way(share, side)), np.float32)


def _seen_in(picture: Picture, window: Sequence[int], network: SubjectNetwork) -> Share:
    """Where the subject is (height, width) by what is seen in a window, nothing outside it: left, top, right, bottom,
    px. Beyond the picture it sees the picture mirrored."""
    left, top, right, bottom = window
    height, width = picture.shape[:2]
    over, under, before, after = (max(0, px) for px in (-top, bottom - height, -left, right - width))
    wide = cv2.copyMakeBorder(picture, over, under, before, after, cv2.BORDER_REFLECT_101)
    part = wide[top + over : bottom + over, left + before : right + before]
    answer = network.answer(_square(np.ascontiguousarray(part), network.fine))
    seen = cv2.resize(answer, part.shape[1::-1], interpolation=_way(answer, max(part.shape[:2])))
    out = np.zeros((height, width), np.float32)
    inside = seen[over : seen.shape[0] - under, before : seen.shape[1] - after]
    out[top + over : bottom - under, left + before : right - after] = inside
    return out


def _square(picture: Picture, side: int) -> Picture:
    return np.asarray(cv2.resize(picture, (side, side), interpolation=_way(picture, side)), np.uint8)


def _way(image: NDArray[Any], side: int) -> int:
    return cv2.INTER_AREA if max(image.shape[:2]) > side else cv2.INTER_LINEAR


def cleaned(share: Share) -> Share:
    """Without specks and holes that are too small to be meant."""
    out = share.copy()
    for sign in (1, -1):
        solid = (out > 0.5) if sign > 0 else (out <= 0.5)
        count, labels, found, _ = cv2.connectedComponentsWithStats(solid.astype(np.uint8))
        if count < 2:
            continue
        areas = found[1:, cv2.CC_STAT_AREA]
        limit = LEAST_SHARE * share.size
        small = (areas < limit) if sign < 0 else ((areas < limit) | (areas < NEAR_LARGEST * areas.max()))
        if sign > 0 and small.all():
            small[np.argmax(areas)] = areas.max() < 0.1 * limit
        drop = np.concatenate([[False], small])[labels]
        # with their soft rims
        drop = cv2.dilate(drop.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        keep = cv2.dilate((np.concatenate([[False], ~small])[labels]).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        out[drop & ~keep] = 0.0 if sign > 0 else 1.0
    # what is only guessed at, far from all that is found, is nothing
    reach = 2 * round(NEAR * max(share.shape)) + 1
    near = cv2.dilate((out > 0.5).astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (reach, reach)))
    out[near == 0] = 0.0
    return out


def apart(share: Share, n: int) -> Share:
    """One of several subjects that do not hang together: the n-th by size, from 1; nothing where there are fewer."""
    count, labels, found, _ = cv2.connectedComponentsWithStats((share > 0.5).astype(np.uint8))
    order = 1 + np.argsort(-found[1:, cv2.CC_STAT_AREA], kind="stable")
    if not 1 <= n < count:
        return np.zeros_like(share)
    # its soft rim is what lies nearer to it than to the others
    own, others = (
        cv2.distanceTransform((~where).astype(np.uint8), cv2.DIST_L2, 3)
        for where in (labels == order[n - 1], (labels > 0) & (labels != order[n - 1]))
    )
    return np.asarray(np.where(own <= others, share, 0.0), np.float32)


def tapped(picture: Picture, share: Share, yes: Sequence[Point], no: Sequence[Point]) -> Share:
    """The subject once taps have said what it is and what not; points in units of the long side.

    A tap speaks for what is near it, and for what hangs together with it and is coloured like it as far as that was
    told wrong; elsewhere the share stays. It only takes in what it calls the subject, and only takes out what it does
    not.
    """
    small = smaller(picture)
    soft = cv2.bilateralFilter(small, 7, 30.0, 5.0)
    long_side = max(small.shape[:2])
    told = cv2.resize(share, small.shape[1::-1], interpolation=cv2.INTER_AREA) > 0.5
    sure = np.full(told.shape, -1, np.int8)
    radius = max(2, round(TAP * long_side))
    places = [
        ([min(max(round(v * long_side), 0), n - 1) for v, n in zip(point, told.shape[::-1], strict=True)], side)
        for side, points in ((False, no), (True, yes))
        for point in points
    ]
    for at, side in places:
        cv2.circle(sure, at, radius, int(side), -1)
    before = told.copy()
    for at, side in places:
        told = _recut(small, soft, told, sure, at, side, radius)
    out = share
    for side in (False, True):
        where = softened((told != before) & (told == side), share.shape)
        out = out + where * (float(side) - out)
    return np.asarray(out, np.float32)


def _recut(
    small: Picture, soft: Picture, told: Mask, sure: NDArray[np.int8], at: Sequence[int], side: bool, radius: int
) -> Mask:
    """What is inside once one tap has spoken: what it asks about is cut anew by the colours of its surroundings, whose
    own sides are sure. Colours of the whole picture would take a leg for the rock that it stands on."""
    alike = _alike(soft, at, told == side)
    asked = alike.astype(np.uint8)
    cv2.circle(asked, at, round((NEAR_YES if side else NEAR_NO) * radius), 1, -1)
    likely = np.where(told, cv2.GC_PR_FGD, cv2.GC_PR_BGD)
    likely[alike] = cv2.GC_PR_FGD if side else cv2.GC_PR_BGD
    labels = np.where(asked > 0, likely, np.where(told, cv2.GC_FGD, cv2.GC_BGD)).astype(np.uint8)
    x, y, w, h = cv2.boundingRect(asked)
    margin = round(AROUND_TAP * radius)
    box = np.s_[max(0, y - margin) : y + h + margin, max(0, x - margin) : x + w + margin]
    labels[sure == 1], labels[sure == 0] = cv2.GC_FGD, cv2.GC_BGD
    cut = told.copy()
    cut[box] = graph_cut(np.ascontiguousarray(small[box]), labels[box], 3)
    changed = (cut == side) & (told != side) & (asked > 0)
    _, parts = cv2.connectedComponents(changed.astype(np.uint8))
    if not parts[at[1], at[0]]:
        return told
    return np.where(parts == parts[at[1], at[0]], side, told)


def _alike(soft: Picture, at: Sequence[int], told: Mask) -> Mask:
    """What hangs together with a place and is coloured like it, where it was not `told` so already."""
    off = np.abs(soft.astype(np.int16) - soft[at[1], at[0]]).max(axis=2)
    mask = np.pad(((off > NEVER_ALIKE) | told).astype(np.uint8), 1, constant_values=1)
    mask[at[1] + 1, at[0] + 1] = 0
    barred = mask.copy()
    cv2.floodFill(soft, mask, at, 0, ALIKE, ALIKE, 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8))
    return np.asarray((mask > barred)[1:-1, 1:-1])


def by_contrast(picture: Picture) -> Share:
    """What differs from the border of the picture, by a graph cut: the answer where there is no network.

    Boundary prior after Zhu and others 2014, "Saliency optimization from robust background detection", simplified.
    """
    small = smaller(picture)
    height, width = small.shape[:2]
    Lab = cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32)
    rim = max(2, height // 20)
    sides = Lab[:rim], Lab[-rim:], Lab[:, :rim], Lab[:, -rim:]
    edge = np.concatenate([side.reshape(-1, 3) for side in sides])
    cv2.setRNGSeed(1)
    _, _, centres = cv2.kmeans(edge, 6, None, (cv2.TERM_CRITERIA_MAX_ITER, 12, 1.0), 1, cv2.KMEANS_PP_CENTERS)
    off = np.sqrt(((Lab[:, :, None] - centres) ** 2).sum(axis=3)).min(axis=2)
    y, x = np.mgrid[0:height, 0:width]
    middle = np.exp(-(((x / width - 0.5) / 0.35) ** 2 + ((y / height - 0.55) / 0.35) ** 2))
    salient = cv2.GaussianBlur(off * (0.35 + middle), (0, 0), 3.0)
    if salient.max() < 1.0:
        return np.zeros((SIDE, SIDE), np.float32)
    labels = np.where(salient > np.quantile(salient, 0.80), cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[:rim], labels[:, :rim], labels[:, -rim:] = cv2.GC_BGD, cv2.GC_BGD, cv2.GC_BGD
    return softened(graph_cut(small, labels, 4), (SIDE, SIDE))
