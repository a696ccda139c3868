"""Where eyes, brows and lips lie in a face, and its outline, so that skin can be told from them.

The network is the face landmark model of @mediapipe/face_mesh 0.4 (Apache-2.0; Kartynnik and others 2019, "Real-time
facial surface geometry from monocular video on mobile GPUs"), run by OpenCV. Which of its 468 points make which outline
is that package's own list of contours.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from .cut import Picture
from .small_network import answers

Point = tuple[float, float]
Line = tuple[Point, ...]

NETWORK = "faces/face_landmark.tflite"
SIDE = 192
MARGIN = 1.5
"""Side of the square that the network looks at, in heights of the face."""
OVAL = (
    10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377, 152, 148, 176, 149, 150,
    136, 172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67, 109,
)  # fmt: skip
LIPS = (61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 409, 270, 269, 267, 0, 37, 39, 40, 185)
EYES = (
    (33, 7, 163, 144, 145, 153, 154, 155, 133, 173, 157, 158, 159, 160, 161, 246),
    (263, 249, 390, 373, 374, 380, 381, 382, 362, 398, 384, 385, 386, 387, 388, 466),
)
BROWS = ((70, 63, 105, 66, 107, 55, 65, 52, 53, 46), (300, 293, 334, 296, 336, 285, 295, 282, 283, 276))


@dataclass(frozen=True)
class Features:
    """Outlines in the picture of one face, each closed."""

    oval: Line
    """From the hairline to the chin."""
    lips: Line
    eyes: tuple[Line, Line]
    """The right one of whoever is seen, and the left one."""
    brows: tuple[Line, Line]
    likely: float
    """0..1: whether a face was there at all."""

    def moved(self, to: Callable[[Array], Array]) -> "Features":
        """With each point, (n, 2), moved."""

        def each(line: Line) -> Line:
            return tuple((float(x), float(y)) for x, y in to(np.array(line)))

        pairs = [(each(two[0]), each(two[1])) for two in (self.eyes, self.brows)]
        return Features(each(self.oval), each(self.lips), pairs[0], pairs[1], self.likely)

    @property
    def not_skin(self) -> tuple[Line, ...]:
        return (self.lips, *self.eyes, *self.brows)


def features(picture: Picture, middle: Point, height: float, right_eye: Point, left_eye: Point) -> Features:
    """The features of a face in an sRGB picture (height, width, 3), by where its middle and its eyes lie, px."""
    turn = math.atan2(left_eye[1] - right_eye[1], left_eye[0] - right_eye[0])
    scale = SIDE / (MARGIN * height)
    cos, sin = math.cos(turn) * scale, math.sin(turn) * scale
    # upright, its middle in the middle
    way = np.array([[cos, sin, 0.0], [-sin, cos, 0.0]])
    way[:, 2] = SIDE / 2.0 - way[:, :2] @ middle
    how = cv2.INTER_AREA if scale < 1.0 else cv2.INTER_LINEAR
    crop = cv2.warpAffine(picture, way, (SIDE, SIDE), flags=how, borderMode=cv2.BORDER_REPLICATE)
    told = answers(NETWORK, crop.astype(np.float32) / np.float32(255.0))
    likely, points = sorted(told, key=lambda each: each.size)
    found = points.reshape(-1, 3)[:, :2].astype(np.float64)
    found = (found - way[:, 2]) @ np.linalg.inv(way[:, :2]).T
    raw = float(np.clip(likely.ravel()[0], -50.0, 50.0))
    return Features(
        _line(found, OVAL), _line(found, LIPS), (_line(found, EYES[0]), _line(found, EYES[1])),
        (_line(found, BROWS[0]), _line(found, BROWS[1])), 1.0 / (1.0 + math.exp(-raw)),
    )  # fmt: skip


def filled(line: Line, shape: tuple[int, ...], scale: float = 1.0, *, grow: int = 0) -> NDArray[np.bool_]:
    """What an outline holds, (height, width) of a shape; scale: px of it to a unit of the outline's; grow: px more."""
    out = np.zeros(shape[:2], np.uint8)
    cv2.fillPoly(out, [np.rint(np.array(line) * scale - 0.5).astype(np.int32)], 1)
    if grow:
        out = cv2.dilate(out, np.ones((2 * grow + 1, 2 * grow + 1), np.uint8))
    return np.asarray(out > 0)


def _line(points: Array, which: tuple[int, ...]) -> Line:
    return tuple((float(x), float(y)) for x, y in points[list(which)])
