"""Faces found in a picture by a small network, in tiles, so that those at the end of a table are found too.

The network is the full-range face detector of @mediapipe/face_detection 0.4 (Apache-2.0; Bazarevsky and
others 2019, "BlazeFace"), run by OpenCV. Its anchors are the middles of a grid of 48x48 cells. A second network, which
finds eyes, brows and lips in a face, has to agree where the first is not sure.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from .cut import Picture
from .features import Features, features
from .small_network import answers

NETWORK = "faces/face_detection_full_range.tflite"
OUTPUTS = ("reshaped_regressor_face_4", "reshaped_classifier_face_4")
SIDE = 192
CELLS = 48
CERTAIN = 0.55
"""Least score of a face."""
SMALLEST = 0.075
"""Height of a face within a tile, in parts of its side, under which the network is not asked."""
SURE, LIKELY = 0.7, 0.6
"""Score from which on one network is enough, and how far the second must agree with less. Of 57 finds in photographs
that leaves 43, all of them faces; four faces, turned away or out of focus, are lost."""
ALIKE = 0.3
"""Overlap (intersection over union) at which two boxes are one face."""
Rows = NDArray[np.float64]


@dataclass(frozen=True)
class Face:
    """One face; px of the picture."""

    x: float
    y: float
    w: float
    h: float
    score: float
    """0..1."""
    points: tuple[tuple[float, float], ...]
    """The right eye, the left eye, nose, mouth, right ear, left ear of whoever is seen."""
    features: Features

    def moved(self, to: Callable[[Array], Array]) -> "Face":
        """With each point, (n, 2), moved: as it lies elsewhere."""
        corners = np.array([(x, y) for x in (self.x, self.x + self.w) for y in (self.y, self.y + self.h)])
        (left, top), (right, bottom) = (of(to(corners), axis=0) for of in (np.min, np.max))
        points = tuple((float(x), float(y)) for x, y in to(np.array(self.points)))
        return Face(
            float(left), float(top), float(right - left), float(bottom - top), self.score, points,
            self.features.moved(to),
        )  # fmt: skip


def faces(picture: Picture, *, least_px: float = 24.0) -> list[Face]:
    """Faces of at least `least_px` height in an sRGB picture (height, width, 3), the largest first."""
    height, width = picture.shape[:2]
    found: list[Rows] = []
    side = max(height, width)
    while True:
        for top, left in _tiles(height, width, side):
            found.append(_in_tile(picture, top, left, side))
        if side * SMALLEST <= least_px or side <= SIDE:
            break
        side = max(side // 2, SIDE)
    rows = np.concatenate(found)
    rows = rows[rows[:, 3] >= least_px]
    told = (_face(picture, row) for row in _one_each(rows))
    believed = (face for face in told if face.score > SURE or face.features.likely > LIKELY)
    return sorted(believed, key=lambda face: -face.h)


def _tiles(height: int, width: int, side: int) -> list[tuple[int, int]]:
    """Corners of tiles that overlap by a quarter, so that a face at a border is whole in the next."""
    step = max(1, side * 3 // 4)

    def starts(length: int) -> list[int]:
        return [0] if side >= length else [*range(0, length - side, step), length - side]

    return [(top, left) for top in starts(height) for left in starts(width)]


def _in_tile(picture: Picture, top: int, left: int, side: int) -> Rows:
    """(n, 17) box x, y, w, h, twelve places of points, and score, in px of the picture."""
    part = picture[top : top + side, left : left + side]
    scale = SIDE / side
    small = cv2.resize(part, (max(1, round(part.shape[1] * scale)), max(1, round(part.shape[0] * scale))),
                       interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)  # fmt: skip
    square = np.zeros((SIDE, SIDE, 3), np.float32)
    square[: small.shape[0], : small.shape[1]] = small[:SIDE, :SIDE]
    boxes, scores = answers(NETWORK, square / np.float32(127.5) - np.float32(1.0), OUTPUTS)
    score = 1.0 / (1.0 + np.exp(-np.clip(scores.reshape(-1).astype(np.float64), -50.0, 50.0)))
    sure = np.flatnonzero(score > CERTAIN)
    raw = boxes.reshape(-1, 16)[sure].astype(np.float64) / SIDE
    middle = (np.stack([sure % CELLS, sure // CELLS], axis=1) + 0.5) / CELLS
    places = raw.reshape(-1, 8, 2)
    places[:, 0] += middle
    places[:, 2:] += middle[:, None]
    places *= side
    places[:, 0] -= 0.5 * places[:, 1]
    places[:, [0, *range(2, 8)]] += (left, top)
    return np.concatenate([places.reshape(-1, 16), score[sure, None]], axis=1)


def _one_each(rows: Rows) -> list[Rows]:
    """Boxes that overlap are one face: their mean, weighted by score (Bazarevsky and others 2019)."""
    left = rows[np.argsort(-rows[:, 16])]
    out = []
    while len(left):
        alike = _overlap(left[0], left) > ALIKE
        alike[0] = True
        same = left[alike]
        mean = np.average(same[:, :16], axis=0, weights=same[:, 16])
        out.append(np.concatenate([mean, [same[:, 16].max()]]))
        left = left[~alike]
    return out


def _overlap(box: Rows, others: Rows) -> Rows:
    low = np.maximum(box[:2], others[:, :2])
    high = np.minimum(box[:2] + box[2:4], others[:, :2] + others[:, 2:4])
    both = np.prod(np.clip(high - low, 0.0, None), axis=1)
    return np.asarray(both / (box[2] * box[3] + others[:, 2] * others[:, 3] - both))


def _face(picture: Picture, row: Rows) -> Face:
    points = tuple((float(x), float(y)) for x, y in row[4:16].reshape(6, 2))
    x, y, w, h, score = (float(row[n]) for n in (0, 1, 2, 3, 16))
    own = features(picture, (x + w / 2.0, y + h / 2.0), max(w, h), points[0], points[1])
    return Face(x, y, w, h, score, points, own)
