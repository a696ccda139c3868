"""Faces as a photographer meters them: the zone of each, how far they lie apart, the side toward the light."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from ...masks.faces import Face
from ...masks.features import filled
from ...masks.parts import GREY_ZONE
from ..table.values import Outline

LEAST_PX = 12
"""Px of a face that must count, of the picture that is read, for it to be metered."""
LEAST_CERTAIN = 0.5
"""That it is a face. Of 39 looked at in the demo and in photographs 37 were over 0.7, two under 0.45."""


@dataclass(frozen=True)
class FaceReading:
    """One face."""

    n: int
    """Which one, the largest first, from 1."""
    x: float
    y: float
    w: float
    h: float
    """Its upright rectangle, px of the picture that was read."""
    zone: float
    """Median of its skin, 0..10; 5 is middle grey."""
    sides_EV: float
    """By how much its lighter half is lighter than its darker one."""
    lighter: str
    """Which half of it in the picture that is: "left" or "right"."""
    certainty: float
    """That it is a face, 0..1."""

    @property
    def outline(self) -> Outline:
        x, y, w, h = self.x, self.y, self.w, self.h
        return ((x, y), (x + w, y), (x + w, y + h), (x, y + h))


@dataclass(frozen=True)
class FacesReading:
    """All faces of a picture. Those that may be none count for nothing where faces are compared."""

    faces: tuple[FaceReading, ...]

    @property
    def sure(self) -> tuple[FaceReading, ...]:
        return tuple(face for face in self.faces if face.certainty >= LEAST_CERTAIN)

    @property
    def spread_EV(self) -> float:
        """From the darkest to the lightest; 0 for fewer than two."""
        zones = [face.zone for face in self.sure]
        return max(zones) - min(zones) if len(zones) > 1 else 0.0

    @property
    def middle_zone(self) -> float:
        return float(np.median([face.zone for face in self.sure])) if self.sure else GREY_ZONE


def read_faces(EV: Array, faces: Sequence[Face]) -> FacesReading:
    """EV: shown luminance from middle grey (height, width). faces: in px of it, the largest first."""
    out = []
    for n, face in enumerate(faces, 1):
        where = filled(face.features.oval, EV.shape)
        for line in face.features.not_skin:
            where &= ~filled(line, EV.shape)
        if where.sum() < LEAST_PX:
            continue
        left, right = (_side(EV, where, face, sign) for sign in (-1.0, 1.0))
        out.append(FaceReading(
            n, face.x, face.y, face.w, face.h, float(np.clip(np.median(EV[where]) + GREY_ZONE, 0.0, 10.0)),
            abs(left - right), "left" if left > right else "right", face.features.likely,
        ))  # fmt: skip
    return FacesReading(tuple(out))


def _side(EV: Array, where: NDArray[np.bool_], face: Face, sign: float) -> float:
    """The median of the half that lies left (-1) or right (1) of the line from between the eyes through the mouth."""
    eyes = (np.array(face.points[0]) + face.points[1]) / 2.0
    down = np.array(face.points[3]) - eyes
    y, x = np.nonzero(where)
    off = ((x - eyes[0]) * down[1] - (y - eyes[1]) * down[0]) * np.sign(down[1] or 1.0)
    own = EV[where][off * sign > 0.0]
    return float(np.median(own)) if len(own) else float(np.median(EV[where]))
