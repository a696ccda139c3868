"""Small spots on the skin of faces, darker or redder than what lies round them.

A spot is a blob at some size (Lindeberg, "Feature detection with automatic scale selection", 1998) that is about round
(the two curvatures of the Hessian are alike), whose colour differs from the ring of skin about it. What a skin is like
is told by the other blobs near by: freckles, pores and a beard are many that are alike, and none of them stands out.
Sizes go by the face: spots are 2 to 9 mm across where a face is 190 mm high (common practice, no source). A mole looks
as a pimple does: nobody but the person knows what is to stay.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import sRGB_to_Lab
from ...colour.types import Array, Display
from ...develop.frame.tiles import Region
from ...masks.faces import Face
from ...masks.features import filled
from ...mend.heal import Area, Take
from ...recipe.mending import Heal
from .heals import heal_of

LEAST_FACE_PX, MOST_FACE_PX = 100.0, 500.0
"""Height of a face: with less a spot is no px, more is not looked at."""
RADII = (0.007, 0.0090, 0.0115, 0.0147, 0.0188, 0.024)
"""Of a spot, in heights of the face."""
LEAST_R_PX, MIDDLE = 1.0, 0.4
"""Radius from which a spot is seen, and the part of one that its colour is taken from, a bell of that spread."""
ROUND = 0.4
"""Of the stronger curvature, the weaker one at least."""
AWAY = 0.03
"""From eyes, brows, lips and the outline of a face, in its heights."""
CORNERS = 0.08
"""From eyes, whose corners are dark."""
NOSTRILS = 0.13
"""Round the tip of the nose."""
HOLE, STRAND = 0.09, 0.12
"""Of skin by its colour: holes so wide are spots, strips so narrow are hair or what shines."""
RING = (1.7, 3.2)
"""In radii: the skin about it that a spot is compared with."""
LEAST_RING = 0.8
"""Of the ring, what must be skin."""
NEAR, LEAST_NEAR = 0.25, 6
"""How far about, in heights of the face, other blobs tell what the skin is like, and how many must."""
USUAL, LEAST_USUAL = 0.75, (0.8, 0.5)
"""The quantile of those, of L* and a*, and what is counted at least: noise, and steps of 8 bits."""
LEAST_SPREAD = 0.4
"""Of a ring, L* or a*."""
OVER_USUAL, OVER_RING = 3.5, 5.0
"""How far a spot stands out of the blobs about it, and of the spread of its ring. On 24 faces of photographs, 110 to
330 px high, 61 of 116 spots that were put there are found, and seven others, all of them moles or pimples."""
LEAST_dE, MOST_dE = 3.0, 18.0
"""In CIELAB. What differs more is a thing: a hair, a rim of glasses, a jewel."""
LIGHTER, GREENER = 3.0, 3.0
"""L* and a* that no spot is lighter or greener by."""
MOST_CERTAIN = 0.5
"""That somebody wants it gone."""
HEALED_RADII, FEATHER = 1.6, 0.6


@dataclass(frozen=True)
class Blemish:
    """A spot; px of the upright full-size frame."""

    x: float
    y: float
    r: float
    face: int
    """Which one, the largest first, from 1."""
    dE: float
    """From the skin about it, CIELAB."""
    is_red: bool
    """Whether it is redder above all, or darker."""
    certainty: float


@dataclass(frozen=True)
class BlemishReading:
    """Spots of a frame, the clearest first, and how each would be healed."""

    specks: tuple[Blemish, ...]
    heals: tuple[Heal, ...]
    long_side: int
    """Of the frame in px: what paths of repairs count in."""


def read_blemishes(
    shown: Callable[[int, Region], Display], take: Take, faces: Sequence[Face], size: tuple[int, int]
) -> BlemishReading:
    """shown: gives a region of a level in display-linear sRGB. take: gives regions of the full-size frame, of `size`.
    faces: in px of that, the largest first."""
    found: list[Blemish] = []
    for n, face in enumerate(faces, 1):
        if face.h < LEAST_FACE_PX:
            continue
        level = max(0, int(np.ceil(np.log2(face.h / MOST_FACE_PX))))
        step = 2**level
        near = face.moved(lambda points, step=step: (points + 0.5) / step - 0.5)  # type: ignore[misc]
        left, top, w, h = region = _about(near, (-(-size[0] // step), -(-size[1] // step)))
        if min(w, h) < LEAST_FACE_PX / 4.0:
            continue
        own = near.moved(lambda points, at=(left, top): points - at)  # type: ignore[misc]
        for x, y, r, dE, is_red, certainty in _spots(sRGB_to_Lab(shown(level, region)).astype(np.float32), own):
            at_x, at_y = ((value + 0.5) * step - 0.5 for value in (x + left, y + top))
            found.append(Blemish(at_x, at_y, r * step, n, dE, is_red, certainty))
    found.sort(key=lambda one: -one.certainty)
    areas = [Area(((one.x, one.y),), max(2.0, HEALED_RADII * one.r), max(2.0, FEATHER * one.r)) for one in found]
    heals = (heal_of(area, [other for other in areas if other is not area], take, size) for area in areas)
    return BlemishReading(tuple(found), tuple(heals), max(size))


def _about(face: Face, size: tuple[int, int]) -> Region:
    """The part of a picture that holds a face with its forehead and chin."""
    xs, ys = zip(*face.features.oval, strict=True)
    left, top = max(0, int(min(xs))), max(0, int(min(ys)))
    return left, top, min(size[0], int(max(xs)) + 1) - left, min(size[1], int(max(ys)) + 1) - top


def _spots(Lab: NDArray[np.float32], face: Face) -> list[tuple[float, float, float, float, bool, float]]:
    """Place, radius, distance of colour, whether it is red, and certainty of each."""
    skin = _skin(Lab, face)
    places, offs, overs = _blobs(Lab, skin, face.h)
    out = []
    for (x, y, r), off, over in zip(places, offs, overs, strict=True):
        apart, dE = np.hypot(places[:, 0] - x, places[:, 1] - y), float(np.linalg.norm(off))
        about = offs[(apart > 0.0) & (apart < NEAR * face.h)]
        if len(about) < LEAST_NEAR or not LEAST_dE < dE < MOST_dE or off[0] > LIGHTER or off[1] < -GREENER:
            continue
        usual = np.maximum(np.quantile(np.abs(about)[:, :2], USUAL, axis=0), LEAST_USUAL)
        darker, redder = max(-off[0] / usual[0], 0.0), max(off[1] / usual[1], 0.0)
        stands_out = float(np.hypot(darker, redder))
        if stands_out > OVER_USUAL and over > OVER_RING:
            certainty = min(MOST_CERTAIN, 0.25 + 0.05 * (stands_out - OVER_USUAL))
            out.append((float(x), float(y), float(r), dE, bool(redder > darker), certainty))
    return out


def _skin(Lab: NDArray[np.float32], face: Face) -> NDArray[np.bool_]:
    """What is skin of a face: in its outline, away from its features, and of its colour."""
    shape, away = Lab.shape, max(1, round(AWAY * face.h))
    inside = cv2.erode(np.pad(filled(face.features.oval, shape), 1).astype(np.uint8), _disc(2 * away + 1))
    skin = inside[1:-1, 1:-1] > 0
    for line in face.features.not_skin:
        skin &= ~filled(line, shape, grow=away)
    for line in face.features.eyes:
        skin &= ~filled(line, shape, grow=max(1, round(CORNERS * face.h)))
    across, down = np.meshgrid(np.arange(shape[1]), np.arange(shape[0]))
    skin &= np.hypot(across - face.points[2][0], down - face.points[2][1]) > NOSTRILS * face.h
    if not skin.any():
        return skin
    calm = cv2.GaussianBlur(Lab, (0, 0), max(0.01 * face.h, 1.0))
    middle = np.median(calm[skin], axis=0)
    spread = 1.4826 * np.median(np.abs(calm[skin] - middle), axis=0)
    like = (np.abs(calm - middle) < np.maximum(3.0 * spread, (12.0, 6.0, 6.0))).all(axis=-1).astype(np.uint8)
    like = cv2.morphologyEx(like, cv2.MORPH_CLOSE, _disc(max(3, round(HOLE * face.h) | 1)))
    like = cv2.morphologyEx(like, cv2.MORPH_OPEN, _disc(max(3, round(STRAND * face.h) | 1)))
    return np.asarray(skin & (like > 0))


def _disc(px: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (px, px)), np.uint8)


def _blobs(Lab: NDArray[np.float32], skin: NDArray[np.bool_], height: float) -> tuple[Array, Array, Array]:
    """Round blobs that are darker or redder, one at a place: places with radii (n, 3), colour off the skin about each
    (n, 3), and how far that is over the spread of the skin (n,)."""
    far = cv2.distanceTransform(np.pad(skin, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    found: list[tuple[float, int, int, float]] = []
    for r in (share * height for share in RADII):
        if r < LEAST_R_PX:
            continue
        soft = cv2.GaussianBlur(Lab, (0, 0), r / np.sqrt(2.0))
        for channel, sign in ((0, 1.0), (1, -1.0)):
            weaker, both = _curved(sign * soft[..., channel], r)
            peak = (both == cv2.dilate(both, np.ones((3, 3), np.uint8))) & skin & (far > 2.0 * r) & (both > 0.0)
            peak &= weaker > ROUND / (1.0 + ROUND) * both
            found += [(float(both[y, x]), int(x), int(y), r) for y, x in zip(*np.nonzero(peak), strict=True)]
    places, offs, overs = np.zeros((len(found), 3)), np.zeros((len(found), 3)), np.zeros(len(found))
    n = 0
    for _, x, y, r in sorted(found, reverse=True):
        if (np.hypot(x - places[:n, 0], y - places[:n, 1]) < r + places[:n, 2]).any():
            continue
        told = _against_ring(Lab, skin, x, y, r)
        if told is not None:
            off, spread = told
            places[n], offs[n], overs[n] = (
                (x, y, r),
                off,
                float(np.hypot(*(off / np.maximum(spread, LEAST_SPREAD))[:2])),
            )
            n += 1
    return places[:n], offs[:n], overs[:n]


def _curved(plane: NDArray[np.float32], r: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The weaker curvature and the sum of both, at the size `r`; the sum is 0 where it is no hollow."""
    gy, gx = np.gradient(plane)
    gxy, gxx = np.gradient(gx)
    gyy = np.gradient(gy, axis=0)
    both = (gxx + gyy) * (r * r / 2.0)
    apart = np.sqrt(np.maximum((gxx - gyy) ** 2 / 4.0 + gxy**2, 0.0)) * (r * r / 2.0)
    weaker = both / 2.0 - apart
    return weaker.astype(np.float32), np.where(weaker > 0.0, both, 0.0).astype(np.float32)


def _against_ring(
    Lab: NDArray[np.float32], skin: NDArray[np.bool_], x: int, y: int, r: float
) -> tuple[Array, Array] | None:
    """Colour off the skin about a place, whose light may slope, and the spread of that; None where too little is
    skin."""
    reach = int(np.ceil(RING[1] * r))
    if min(x, y) < reach or y + reach >= Lab.shape[0] or x + reach >= Lab.shape[1]:
        return None
    window = np.s_[y - reach : y + reach + 1, x - reach : x + reach + 1]
    across, down = np.meshgrid(np.arange(-reach, reach + 1), np.arange(-reach, reach + 1))
    distance = np.hypot(across, down)
    ring = (distance > RING[0] * r) & (distance <= RING[1] * r)
    if skin[window][ring].mean() < LEAST_RING:
        return None
    ring &= skin[window]
    own = Lab[window]
    slope = np.column_stack([np.ones(ring.sum()), across[ring], down[ring]])
    ground = np.linalg.lstsq(slope, own[ring], rcond=None)[0]
    spread = 1.4826 * np.median(np.abs(own[ring] - slope @ ground), axis=0)
    bell = np.exp(-0.5 * (distance / (MIDDLE * r)) ** 2)
    return np.average(own.reshape(-1, 3), axis=0, weights=bell.ravel()) - ground[0], spread
