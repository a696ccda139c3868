"""The luminances of a picture as one fine count, from which medians, zones and distributions follow at once."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, SceneLinear
from ...kernels.tone import log_luminance

LOWEST_EV, HIGHEST_EV, STEPS_PER_EV = -20.0, 12.0, 256
COUNT = round((HIGHEST_EV - LOWEST_EV) * STEPS_PER_EV)


@dataclass(frozen=True, eq=False)
class Luminances:
    """How often each luminance occurs, in steps of 1/256 EV from middle grey; the ends take the rest."""

    counts: NDArray[np.int64]

    @classmethod
    def of(cls, EV: NDArray[np.float32]) -> "Luminances":
        """Of luminances in EV from middle grey, of any shape."""
        steps = (EV.ravel() - np.float32(LOWEST_EV)) * np.float32(STEPS_PER_EV)
        np.clip(steps, 0, COUNT - 1, out=steps)
        return cls(np.bincount(steps.astype(np.int32), minlength=COUNT))

    @cached_property
    def EV(self) -> Array:
        """The middle of each step."""
        return (np.arange(COUNT) + 0.5) / STEPS_PER_EV + LOWEST_EV

    @cached_property
    def _below(self) -> Array:
        """Share of the picture below the upper end of each step."""
        return np.cumsum(self.counts) / max(int(self.counts.sum()), 1)

    def quantile(self, share: float) -> float:
        """The luminance in EV that `share` of the picture lies below."""
        return float(self.EV[min(int(np.searchsorted(self._below, share)), COUNT - 1)])

    def zones(self) -> tuple[float, ...]:
        """Share of each zone 0..X: 1 EV wide, zone V about middle grey; the ends take the rest."""
        edges = np.round((np.arange(-4.5, 5.0) - LOWEST_EV) * STEPS_PER_EV).astype(int)
        return tuple(float(v) for v in np.diff([0.0, *self._below[edges - 1], 1.0]))


def luminance_EV(working: SceneLinear, exposure_EV: float) -> NDArray[np.float32]:
    """Luminance in EV from middle grey, (height, width), at an exposure."""
    return log_luminance(working) + np.float32(exposure_EV)
