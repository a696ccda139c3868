"""The reading of an area of the picture."""

from dataclasses import dataclass

import numpy as np

from ...colour.spaces import REC2020_TO_XYZ_D50, Lab_to_LCh, XYZ_to_Lab
from ...colour.types import Array, Camera, SceneLinear
from ...errors import ArgumentError
from ...raw.frame import Frame
from ..table.values import LightValue
from .light import neutral_light


@dataclass(frozen=True)
class AreaReading:
    """Colours of an area's mean."""

    XYZ: Array
    """Scene-linear under the recipe's balance, adapted to D50, Y = 1 for diffuse white at its exposure."""
    Lab: Array
    LCh: Array
    light: LightValue | None
    """The light that would make the area neutral; None when no light would."""
    raw: Array
    """Mean camera values, black 0, white level 1."""


def read_area(frame: Frame, camera: Camera, working: SceneLinear, exposure_EV: float) -> AreaReading:
    """camera, working: the same area of the picture, (height, width, 3), at any level."""
    if camera.size == 0:
        raise ArgumentError("area: it holds no pixels")
    raw = camera.reshape(-1, 3).mean(axis=0, dtype=np.float64)
    mean = working.reshape(-1, 3).mean(axis=0, dtype=np.float64) * 2.0**exposure_EV
    XYZ = REC2020_TO_XYZ_D50 @ mean
    Lab = XYZ_to_Lab(XYZ)
    try:
        light = neutral_light(frame.colour, raw)
    except ArgumentError:
        light = None
    return AreaReading(XYZ, Lab, Lab_to_LCh(Lab), light, raw)
