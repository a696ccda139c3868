"""Reading of haze: whether the picture shows any, and how much of things far away still arrives."""

from dataclasses import dataclass

import numpy as np

from ...develop.stages.haze import Haze

FAR = 0.05
"""Quantile of the transmission that stands for what is far away."""


@dataclass(frozen=True)
class HazeReading:
    """How clear the air of a picture is."""

    is_seen: bool
    """False where nothing far away shows any, as in halls and in clear air: then none is taken away."""
    transmission: float
    """Share of their own light that arrives from the furthest things, 0..1; 1 when no haze is seen."""


def read_haze(haze: Haze) -> HazeReading:
    """haze: the one that the picture is developed with."""
    return HazeReading(haze.is_seen, float(np.quantile(haze.transmission, FAR)))
