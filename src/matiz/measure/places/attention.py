"""What draws the eye: an estimate of saliency, the subject's share of it, and what pulls away from it.

Contrast of centre against surround in lightness, in the two opponent colours and in the direction of edges, at three
sizes each, maps with one strong place counting for more than maps with many (Itti, Koch and Niebur 1998, "A model of
saliency-based visual attention for rapid scene analysis"); faces draw the eye too (Cerf, Harel, Einhäuser and Koch
2008, "Predicting human gaze using low-level saliency combined with face detection"). An estimate: nobody's gaze was
followed.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...masks.faces import Face
from ...masks.view import Mask, Pixels

LONG_SIDE = 256
CENTRES = (0.008, 0.016, 0.032)
"""Of the long side: sizes of the centre; the surround is four times as large."""
SURROUND = 4.0
FACE = 1.5
"""How much a face counts against the strongest of everything else."""
MOST_PULLS = 5
PULL = 0.09
"""Of the long side: half the size of a place that draws the eye."""
INSIDE, RIM = 0.35, 0.03
"""Share of the subject from which on a place belongs to it, and how far about it, of the long side, it draws the eye to
itself."""
STRONG, LEAST_SAY = 0.1, 0.05
"""Of the strongest place of a map: what stands beside it; and the weight of a map with many that are as strong."""
HELD = 0.35
"""Of its strongest place: what of its neighbourhood belongs to a pull."""
LIGHT = 0.9
LEAST_OF_TOP = 0.25
"""Of the strongest place of all: what is weaker pulls nobody."""
LEAST_PULL = 0.02
"""Of all attention: less is nothing to speak of."""
WHY = ("lightness", "colour", "direction", "face")

Map = NDArray[np.float32]


@dataclass(frozen=True)
class AttentionPull:
    """One place outside the subject that draws the eye; px of the picture that was read."""

    x: float
    y: float
    r: float
    share: float
    """Of all attention, 0..1."""
    why: str
    """What most of it is: one of WHY."""
    L: float
    """L* of its lightest tenth, at least."""
    lighter_L: float
    """By how much that is more than what lies about it has."""
    held: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Its middle and its radius in the frame, in units of its long side, once that is known."""


@dataclass(frozen=True)
class AttentionReading:
    """Shares are 0..1."""

    subject: float | None
    """Share that the subject holds; None where no subject is known."""
    subject_area: float | None
    """Of the picture."""
    pulls: tuple[AttentionPull, ...]
    """The strongest outside the subject, the strongest first."""


def read_attention(Lab: Pixels, subject: Mask | None, faces: Sequence[Face]) -> AttentionReading:
    """Lab: L*, a*, b* (height, width, 3) as shown. subject: (height, width); None where it is not known. faces: px."""
    height, width = Lab.shape[:2]
    scale = min(1.0, LONG_SIDE / max(height, width))
    size = max(16, round(width * scale)), max(16, round(height * scale))
    small = cv2.resize(np.asarray(Lab, np.float32), size, interpolation=cv2.INTER_AREA)
    long_side = max(size)
    ways = [_lightness(small, long_side), _colour(small, long_side), _direction(small[..., 0], long_side)]
    top = max(float(way.max()) for way in ways) or 1.0
    ways = [way / np.float32(top) for way in ways]
    own = None if subject is None else cv2.resize(np.asarray(subject, np.float32), size, interpolation=cv2.INTER_AREA)
    of_all, of_others = _faces(faces, scale, size, own)
    whole, beside = (_joined([*ways, each], long_side) for each in (of_all, of_others))
    # summed precisely: single precision adds up differently by where in memory it lies
    total = round(float(whole.sum(dtype=np.float64)), 4)
    # the subject's own face draws the eye to the subject, also just beside it
    pulls = _pulls(beside / total, [*ways, of_others], small[..., 0], own, scale)
    if own is None:
        return AttentionReading(None, None, pulls)
    held = float((whole * own).sum(dtype=np.float64) / total)
    return AttentionReading(held, float(own.mean()), pulls)


def _joined(ways: list[Map], long_side: int) -> Map:
    whole = cv2.GaussianBlur(np.sum(ways, axis=0), (0, 0), 0.015 * long_side)
    return np.asarray(whole + np.float32(1e-6), np.float32)


def _faces(faces: Sequence[Face], scale: float, size: tuple[int, int], subject: Map | None) -> tuple[Map, Map]:
    """How all faces draw the eye, and those that are not the subject's; maps of `size`."""
    y, x = np.mgrid[0 : size[1], 0 : size[0]]
    of_all, of_others = (np.zeros(size[::-1], np.float32) for _ in range(2))
    for face in faces:
        at_x, at_y = ((at + extent / 2.0) * scale for at, extent in ((face.x, face.w), (face.y, face.h)))
        reach = max(0.5 * face.h * scale, 2.0)
        drawn = FACE * np.exp(-((x - at_x) ** 2 + (y - at_y) ** 2) / (2.0 * reach**2))
        np.maximum(of_all, drawn, out=of_all)
        row, column = (min(max(int(at), 0), length - 1) for at, length in ((at_y, size[1]), (at_x, size[0])))
        if subject is None or subject[row, column] < INSIDE:
            np.maximum(of_others, drawn, out=of_others)
    return of_all, of_others


def _lightness(Lab: Pixels, long_side: int) -> Map:
    return _alone([_against(Lab[..., 0], c * long_side) for c in CENTRES])


def _colour(Lab: Pixels, long_side: int) -> Map:
    return _alone([_against(Lab[..., n], c * long_side) for n in (1, 2) for c in CENTRES])


def _direction(L: Map, long_side: int) -> Map:
    """How far the direction of edges differs from that about it."""
    calm = cv2.GaussianBlur(L, (0, 0), 0.7)
    across, down = (cv2.Sobel(calm, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=0.25) for dx in (1, 0))
    strength = across * across + down * down + np.float32(1e-6)
    out = []
    for turn in np.arange(4) * np.pi / 4.0:
        along = across * np.float32(np.cos(turn)) + down * np.float32(np.sin(turn))
        energy = (along * along) ** 2 / (strength * np.sqrt(strength))
        out += [_against(energy, c * long_side) for c in CENTRES[1:]]
    return _alone(out)


def _against(plane: Map, centre: float) -> Map:
    near, far = (cv2.GaussianBlur(plane, (0, 0), max(s, 0.6)) for s in (centre, SURROUND * centre))
    return np.asarray(np.abs(near - far), np.float32)


def _alone(maps: list[Map]) -> Map:
    """Their sum, each by how far its strongest place stands out from its other strong ones."""
    out = np.zeros_like(maps[0])
    for each in maps:
        top = float(each.max())
        if top <= 1e-6:
            continue
        peaks = each[(each >= cv2.dilate(each, np.ones((15, 15), np.uint8))) & (each > STRONG * top)]
        others = np.sort(peaks)[:-1]
        beside = float(others.mean(dtype=np.float64)) if len(others) else 0.0
        out += each * np.float32((1.0 - beside / top) ** 2 + LEAST_SAY)
    return out


def _pulls(share: Map, ways: list[Map], L: Map, subject: Map | None, scale: float) -> tuple[AttentionPull, ...]:
    """The strongest places that are not the subject's, each apart from the others."""
    height, width = share.shape
    radius = PULL * max(share.shape)
    left = share.copy()
    if subject is not None:
        side = 2 * round(RIM * max(share.shape)) + 1
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
        left[cv2.dilate(subject, disc) >= INSIDE] = 0.0
    y, x = np.mgrid[0:height, 0:width]
    out = []
    for _ in range(MOST_PULLS):
        at = np.unravel_index(int(np.argmax(left)), left.shape)
        near = (y - at[0]) ** 2 + (x - at[1]) ** 2 < radius**2
        held = near & (left > HELD * left[at])
        own = round(float(left[held].sum(dtype=np.float64)), 6)
        if own < LEAST_PULL or left[at] < LEAST_OF_TOP * share.max():
            break
        middle = [float((v[held] * left[held]).sum(dtype=np.float64)) / own for v in (x, y)]
        reach = float(np.sqrt(((x - middle[0]) ** 2 + (y - middle[1]) ** 2)[held].mean())) * 1.5 + 1.0
        why = WHY[int(np.argmax([float(way[held].sum(dtype=np.float64)) for way in ways]))]
        about = near & ~held
        light = float(np.quantile(L[held], LIGHT))
        lighter = light - float(np.median(L[about])) if about.any() else 0.0
        at_x, at_y = ((v + 0.5) / scale - 0.5 for v in middle)
        out.append(AttentionPull(at_x, at_y, reach / scale, own, why, light, lighter))
        left[near] = 0.0
    return tuple(sorted(out, key=lambda pull: -pull.share))
