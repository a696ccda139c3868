"""How one frame lies on another.

Features (SIFT, Lowe 2004) tell it roughly, points that are followed from one to the other (Lucas and Kanade 1981) to a
small part of a px. What moved or lies nearer than the rest is left out as it does not fit (RANSAC, Fischler and Bolles
1981). A homography is fitted, then what a lens bends of it, as a polynomial of third degree. Both frames are looked at
with what they hold in common: their light on a logarithmic scale between the noise of the one and the white of the
other, against its surroundings, so that exposures do not matter.
"""

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array, Camera
from ..develop.frame.alignment import Alignment, terms
from ..develop.frame.sensor import Sensor
from ..develop.frame.tiles import Size, deepest
from ..errors import MatizError
from ..raw.frame import Frame
from ..raw.noise import noise_of

LONG_PX = 1000
"""Of the level at which features are looked for, at most."""
RATIO, LEAST_ALIKE, ROUGH_PX, FINE_PX = 0.75, 12, 3.0, 0.6
"""A feature counts whose best likeness is so much better than the next one; how many must fit; within how many px."""
LEAST_SHARE = 0.2
"""Of the features that found a likeness, that must fit."""
SURROUNDINGS_PX, CONTRAST = 12.0, 48.0
"""Of the plane that is looked at: what counts as surroundings, and codes per EV."""
CELLS, WINDOW, BACK_PX = (32, 22), 21, 0.15
"""Points are taken one in a cell; what is followed round each; how exactly it must be found on the way back."""
LEAST_BENT, MOST_BENT_PX, RIDGE = 120, 4.0, 3.0
"""Points that a bend needs, how much it may be, and how it is held back."""
STANDS_PX = 0.5
FULL, DARK = 0.9, 3.0
"""Of white, and times the read noise: between them a frame's values are looked at."""
LIGHT = np.array([0.25, 0.5, 0.25])

Plane = NDArray[np.uint8]


class AlignError(MatizError):
    """Frames of which nothing can be found to lie on each other."""


def light_of(sensor: Sensor, level: int) -> Camera:
    """The light of a frame at a level (height, width), 0..1 of white."""
    width, height = sensor.frame.size[0] >> level, sensor.frame.size[1] >> level
    camera = sensor.small(level, (0, 0, width, height))
    return np.asarray(camera @ (LIGHT / sensor.frame.colour.as_shot_neutral).astype(np.float32), np.float32)


def aligned(reference: Sensor, other: Sensor, ratio: float = 1.0) -> Alignment:
    """How `other` lies on `reference`. ratio: how much more light it got. Both frames are of one size.

    Raises AlignError where too little is alike.
    """
    size = reference.frame.size
    level = 0
    while max(size) >> level > LONG_PX:
        level += 1
    fine = min(level, 1)
    rough = _rough(*_planes(reference, other, ratio, level))
    scale = 2.0 ** (level - fine)
    at_fine = _scaled(rough, scale)
    own, found = _followed(*_planes(reference, other, ratio, fine), at_fine)
    full = 2.0**fine
    return fitted((own + 0.5) * full - 0.5, (found + 0.5) * full - 0.5, size, FINE_PX * full)


def standing_share(reference: Sensor, other: Sensor, ratio: float = 1.0) -> float:
    """Share of what can be followed from one frame to the other that did not move at all: much of it where both stood
    on something, whatever moved before them."""
    level = min(1, deepest(reference.frame.size))
    own, found = _followed(*_planes(reference, other, ratio, level), np.eye(3))
    return float((np.linalg.norm(found - own, axis=1) * 2.0**level < STANDS_PX).mean())


def _planes(reference: Sensor, other: Sensor, ratio: float, level: int) -> tuple[Plane, Plane]:
    """Both frames as they are looked at, (height, width)."""
    frames = ((reference, 1.0), (other, ratio))
    dark = max(_dark(sensor.frame) / gain for sensor, gain in frames)
    white = min(FULL / gain for _, gain in frames)
    out = []
    for sensor, gain in frames:
        light = np.log2(np.clip(light_of(sensor, level) / np.float32(gain), dark, max(white, 2.0 * dark)))
        beside = light - cv2.GaussianBlur(light, (0, 0), SURROUNDINGS_PX)
        out.append(np.clip(np.rint(128.0 + CONTRAST * beside), 0, 255).astype(np.uint8))
    return out[0], out[1]


def _dark(frame: Frame) -> float:
    noise = noise_of(frame)
    return DARK * max(noise.read, noise.shot)


def _rough(own: Plane, other: Plane) -> Array:
    sift = cv2.SIFT.create(nfeatures=4000, contrastThreshold=0.02)
    (a, likenesses), (b, others) = (sift.detectAndCompute(plane, None) for plane in (own, other))
    if min(len(a), len(b)) < LEAST_ALIKE:
        raise AlignError("there is too little detail in them to align them")
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(likenesses, others, k=2)
    good = [pair[0] for pair in pairs if len(pair) == 2 and pair[0].distance < RATIO * pair[1].distance]
    if len(good) < LEAST_ALIKE:
        raise AlignError("too little in them matches to align them")
    source = np.array([a[each.queryIdx].pt for each in good])
    target = np.array([b[each.trainIdx].pt for each in good])
    found, fits = cv2.findHomography(source, target, cv2.USAC_MAGSAC, ROUGH_PX, maxIters=5000, confidence=0.9999)
    if found is None or fits.sum() < max(LEAST_ALIKE, LEAST_SHARE * len(good)):
        raise AlignError("too little in them matches to align them")
    return np.asarray(found)


def _scaled(homography: Array, scale: float) -> Array:
    """The same for px that are smaller by `scale`."""
    half = (scale - 1.0) / 2.0
    up = np.array([[scale, 0.0, half], [0.0, scale, half], [0.0, 0.0, 1.0]])
    return np.asarray(up @ homography @ np.linalg.inv(up))


def _followed(own: Plane, other: Plane, rough: Array) -> tuple[Array, Array]:
    """Points of the one plane (n, 2), and where they are in the other."""
    height, width = own.shape
    laid = cv2.warpPerspective(other, rough, (width, height), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    starts = _corners(own)
    if not len(starts):
        raise AlignError("there is too little detail in them to align them")
    track = partial(cv2.calcOpticalFlowPyrLK, winSize=(WINDOW, WINDOW), maxLevel=2, criteria=(3, 40, 0.003))
    there, ok, _ = track(own, laid, starts, None)
    back, ok_back, _ = track(laid, own, there, None)
    sure = (ok & ok_back).astype(bool).ravel() & (np.linalg.norm(back - starts, axis=-1).ravel() < BACK_PX)
    if sure.sum() < LEAST_ALIKE:
        raise AlignError("too little in them matches to align them")
    start, to = starts[sure].reshape(-1, 2).astype(np.float64), there[sure].reshape(-1, 1, 2).astype(np.float64)
    return start, cv2.perspectiveTransform(to, rough).reshape(-1, 2)


def _corners(plane: Plane) -> NDArray[np.float32]:
    """The best corner of each cell, (n, 1, 2)."""
    response = cv2.cornerMinEigenVal(plane, 5)
    edge = WINDOW
    response[:edge], response[-edge:], response[:, :edge], response[:, -edge:] = 0.0, 0.0, 0.0, 0.0
    height, width = plane.shape
    found = []
    columns, rows = CELLS
    for top, bottom in zip(*_cuts(height, rows), strict=True):
        for left, right in zip(*_cuts(width, columns), strict=True):
            cell = response[top:bottom, left:right]
            y, x = np.unravel_index(int(cell.argmax()), cell.shape)
            if cell[y, x] > 1e-5:
                found.append((left + x, top + y))
    return np.array(found, np.float32).reshape(-1, 1, 2)


def _cuts(length: int, parts: int) -> tuple[list[int], list[int]]:
    edges = [round(length * n / parts) for n in range(parts + 1)]
    return edges[:-1], edges[1:]


def fitted(own: Array, found: Array, size: Size, within_px: float) -> Alignment:
    """Of points (n, 2) of the reference and where they are in the other frame, px of the full size; some may be wrong.
    AlignError where too few agree within about `within_px`."""
    homography, fits = cv2.findHomography(
        own, found, cv2.USAC_MAGSAC, 2.0 * within_px, maxIters=5000, confidence=0.9999
    )
    if homography is None or fits.sum() < LEAST_ALIKE:
        raise AlignError("too little in them matches to align them")
    good = fits.astype(bool).ravel()
    plain = Alignment(homography, size=size)
    missed = found - plain.at(own[:, 0], own[:, 1])
    near = np.linalg.norm(missed, axis=1) < MOST_BENT_PX
    bend: Array = np.zeros((10, 2))
    used = good
    if near.sum() >= LEAST_BENT:
        bend = _bent(own[near], missed[near], size)
        used = near
    alignment = Alignment(homography, bend, size)
    rest = np.linalg.norm(found - alignment.at(own[:, 0], own[:, 1]), axis=1)[used]
    return Alignment(homography, bend, size, int(used.sum()), float(np.median(rest)))


def _bent(own: Array, missed: Array, size: Size) -> Array:
    """(10, 2), least squares by which what does not fit counts for ever less."""
    at: Array = terms(own[:, 0], own[:, 1], size)
    out: Array = np.zeros((10, 2))
    weight: Array
    for _ in range(8):
        rest = np.linalg.norm(missed - at @ out, axis=1)
        spread = max(1.48 * float(np.median(rest)), 0.02)
        weight = 1.0 / (1.0 + (rest / (2.0 * spread)) ** 2) ** 2
        held = (at * weight[:, None]).T @ at + RIDGE * np.diag([0.0] * 3 + [1.0] * 7)
        out = np.asarray(np.linalg.solve(held, (at * weight[:, None]).T @ missed))
    return out
