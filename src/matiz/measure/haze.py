"""Reading of haze: whether the picture shows any, and how much of things far away still arrives."""

from dataclasses import dataclass

import numpy as np

from ..colour.types import SceneLinear
from ..develop.haze import haze_of
from ..image.reduce import reduced

WORKING_PX = 300
"""Long side of the picture that is read."""
FAR = 0.05
"""Quantile of the transmission that stands for what is far away."""


@dataclass(frozen=True)
class HazeReading:
    """How clear the air of a picture is."""

    is_seen: bool
    """False where nothing far away shows any: in halls, close by, and in clear air."""
    transmission: float
    """Share of their own light that arrives from the furthest things, 0..1; 1 when no haze is seen."""


def read_haze(small: SceneLinear) -> HazeReading:
    """small: linear Rec.2020 (height, width, 3) of the whole picture, some hundred px long."""
    haze = haze_of(reduced(small, WORKING_PX))
    return HazeReading(haze.is_seen, float(np.quantile(haze.transmission, FAR)) if haze.is_seen else 1.0)
