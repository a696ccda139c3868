"""People, each by the face that was found, and their skin.

A person is what hangs together with a face, lies below and about it as bodies do, is the subject where the subject is
known there, and is coloured like the rest of it: a graph cut decides. Skin is what has the colours of the faces within
the people; how lightness changes those colours is read off the faces too.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from .cut import Picture, Share, graph_cut, smaller, softened
from .faces import Face
from .features import filled

HEAD = (0.75, 0.85)
"""Half the width and half the height of a head with its hair, in heights of the face's outline."""
WIDE, LONG = 1.5, 6.0
"""Half the width of shoulders, and how far down a body is looked for, in such heights. Common practice, no source."""
CHEST = 0.97
SURE, SURE_BODY = 0.9, 0.6
"""Share of the subject, and likeness to a body, at which a place surely belongs to it."""
COVERS = 0.5
"""Share of a face that the subject must cover to have a say about its person."""
ROUNDS = 4
NEAR_BODY = 0.35
"""How much more like a body a place must be for its colour alone to count."""
LEAST_SPREAD, MOST_SPREAD = (6.0, 4.0, 4.0), (14.0, 7.0, 7.0)
"""In L*, C*ab and degrees of hue: what the skin of one person is taken to vary by, at least and at most."""
LEAST_CHROMA = 6.0
"""Of a face: below it the picture has no colour by which skin could be told, and only faces are."""
REACH, SOFT = 2.2, 1.0
"""In spreads of a face's colours: what still is skin, and over how much more it ends."""
LEAST_SKIN_PX = 20
LEAST_OF_LARGEST = 0.02
"""Of the largest area of skin: what is smaller is none."""


def person(picture: Picture, faces: Sequence[Face], n: int, subject: Share) -> Share:
    """The person of one face in an sRGB picture (height, width, 3), over the whole of it.

    faces: all that were found, in units of the picture's long side; n: which of them. subject: (rows, columns) 0..1.
    """
    small = smaller(picture)
    long_side = max(small.shape[:2])
    prior = cv2.resize(subject, small.shape[1::-1], interpolation=cv2.INTER_AREA)
    bodies = [_body(face, small.shape[:2], long_side) for face in faces]
    own, others = bodies[n], [body for m, body in enumerate(bodies) if m != n]
    face = filled(faces[n].features.oval, small.shape[:2], long_side)
    rest = np.max(others, axis=0) if others else np.zeros_like(own)
    labels = np.where((own > NEAR_BODY) & (own >= rest), cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    if face.any() and prior[face].mean() > COVERS:
        labels[(prior > 0.5) & (own > 0.08) & (own >= rest)] = cv2.GC_PR_FGD
        labels[prior < 0.1] = cv2.GC_BGD
        labels[(prior > SURE) & (own > SURE_BODY) & (own > 2.0 * rest)] = cv2.GC_FGD
    else:
        # with nothing else to go by, what lies right below a face is its chest
        labels[(own > CHEST) & (own >= rest)] = cv2.GC_FGD
    labels[(own < 0.02) | (rest > 3.0 * own + 0.1)] = cv2.GC_BGD
    for m, other in enumerate(faces):
        if m != n:
            labels[filled(other.features.oval, small.shape[:2], long_side)] = cv2.GC_BGD
    labels[face] = cv2.GC_FGD
    cut = graph_cut(small, labels, ROUNDS)
    return softened(_hanging_together(cut, face))


def skin(picture: Picture, faces: Sequence[Face], people: Sequence[Share]) -> Share:
    """Skin of all people; faces and people in the same order."""
    shape = people[0].shape if people else smaller(picture).shape[:2]
    small = cv2.resize(picture, shape[1::-1], interpolation=cv2.INTER_AREA)
    long_side = max(shape)
    Lab = cv2.cvtColor(small.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    out = np.zeros(shape, np.float32)
    for face, body in zip(faces, people, strict=True):
        where = filled(face.features.oval, shape, long_side)
        for line in face.features.not_skin:
            where &= ~filled(line, shape, long_side, grow=1)
        if where.sum() < LEAST_SKIN_PX:
            continue
        off = _off(Lab, Lab[where])
        alike = np.clip((REACH + SOFT - off) / SOFT, 0.0, 1.0)
        # within the outline what is no feature is skin, but for gleams and hair far off
        alike = np.where(where, np.clip((2.0 * REACH - off) / SOFT, 0.0, 1.0), alike)
        out = np.maximum(out, (alike * np.maximum(body, where)).astype(np.float32))
    for face in faces:
        for line in face.features.not_skin:
            out[filled(line, shape, long_side)] = 0.0
    return np.asarray(cv2.GaussianBlur(_without_specks(out), (0, 0), 0.6), np.float32)


def _body(face: Face, shape: tuple[int, ...], long_side: int) -> Array:
    """How likely each px is a part of the body of a face, by where it lies, (height, width) 0..1."""
    outline = np.array(face.features.oval) * long_side
    middle, tall = outline.mean(axis=0), float(np.ptp(outline[:, 1])) + 1e-6
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    across, down = (x - middle[0]) / tall, (y - middle[1]) / tall
    head = np.exp(-((across / HEAD[0]) ** 4) - ((down + 0.1) / HEAD[1]) ** 4)
    wide = np.interp(down, (0.4, 0.7, 1.3, 2.5), (0.35, 0.5, 1.2, WIDE))
    trunk = np.exp(-((np.abs(across) / wide) ** 3)) * np.interp(
        down, (0.3, 0.5, 0.6 * LONG, LONG), (0.0, 1.0, 0.8, 0.0)
    )
    return np.asarray(np.maximum(head, trunk))


def _without_specks(share: Share) -> Share:
    """Lines along edges and spots are no skin."""
    calm = cv2.medianBlur(np.round(share * 255.0).astype(np.uint8), 5)
    _, labels, found, _ = cv2.connectedComponentsWithStats((calm > 127).astype(np.uint8))
    areas = found[:, cv2.CC_STAT_AREA].copy()
    areas[0] = 0
    keep = cv2.dilate((areas > LEAST_OF_LARGEST * areas.max())[labels].astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.asarray(keep * (calm / np.float32(255.0)), np.float32)


def _hanging_together(cut: NDArray[np.bool_], face: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Of what was cut out, the part that has the face."""
    _, labels = cv2.connectedComponents(cut.astype(np.uint8), connectivity=4)
    counts = np.bincount(labels[face & cut], minlength=1)
    counts[0] = 0
    return np.asarray(cut & (labels == int(np.argmax(counts)))) if counts.any() else cut


def _off(Lab: NDArray[np.float32], own: NDArray[np.float32]) -> Array:
    """How far each px is off the colours of skin, in their spreads, (height, width)."""
    middle, spread = _middle_and_spread(_LCh(own, float(np.median(_LCh(own, 0.0)[:, 2]))))
    L, chroma, hue = np.moveaxis(_LCh(Lab, float(middle[2])), -1, 0)
    if middle[1] < LEAST_CHROMA:
        return np.full(L.shape, np.inf)
    # in shade skin has less chroma, in about the same hue
    expected = middle[1] * np.clip(L / max(float(middle[0]), 1.0), 0.4, 1.2)
    off = ((L - middle[0]) / (2.0 * spread[0])), (chroma - expected) / spread[1], (hue - middle[2]) / spread[2]
    return np.asarray(np.sqrt(sum(each * each for each in off)))


def _middle_and_spread(values: Array) -> tuple[Array, Array]:
    middle = np.median(values, axis=0)
    return middle, np.clip(1.4826 * np.median(np.abs(values - middle), axis=0), LEAST_SPREAD, MOST_SPREAD)


def _LCh(Lab: Array, near_deg: float) -> Array:
    """L*, C*ab and hue in degrees, that within half a turn of `near_deg`."""
    hue = np.degrees(np.arctan2(Lab[..., 2], Lab[..., 1]))
    hue = near_deg + (hue - near_deg + 180.0) % 360.0 - 180.0
    return np.stack([Lab[..., 0], np.hypot(Lab[..., 1], Lab[..., 2]), hue], axis=-1)
