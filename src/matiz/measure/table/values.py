"""What readings of light share: a light as a value, and a camera's colour as a cache key."""

from dataclasses import dataclass

import numpy as np

from ...colour.temperature import cct_to_xy, mired, xy_to_cct
from ...colour.types import Chromaticity
from ...raw.frame import CameraColour

Outline = tuple[tuple[float, float], ...]
"""A line of points, px of the upright full-size picture; one round an area ends where it begins without saying so."""


@dataclass(frozen=True)
class LightValue:
    """A light: CCT in K, Duv, and how certain the reading is, 0..1."""

    cct_K: float
    duv: float
    certainty: float = 1.0

    @property
    def mired(self) -> float:
        return float(mired(self.cct_K))

    @property
    def xy(self) -> Chromaticity:
        return cct_to_xy(float(np.clip(self.cct_K, 1000.0, 100_000.0)), self.duv)


def value_of(xy: Chromaticity, certainty: float = 1.0) -> LightValue:
    cct_K, duv = xy_to_cct(xy)
    return LightValue(float(cct_K), float(duv), certainty)


class ColourKey:
    """A camera's colour as a cache key: equal when its matrices are."""

    def __init__(self, colour: CameraColour) -> None:
        self.colour = colour
        self._key = tuple((c.cct_K, c.color_matrix.tobytes()) for c in colour.calibrations)

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ColourKey) and self._key == other._key
