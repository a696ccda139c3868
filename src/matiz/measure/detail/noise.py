"""Readings of noise: signal-to-noise per zone."""

from dataclasses import dataclass

import numpy as np

from ...colour.types import Camera
from ...raw.noise import Noise

LEAST_SHARE = 2e-4
"""Of the picture in a zone, for its reading."""
LEAST_dB = 15.0
"""Signal over noise of a photosite below which noise is plain to see. Common practice, no source."""
SEEN_FROM_ZONE = 1.5
"""Noise in darker tones is not seen: here zone II begins. Common practice, no source."""
JUST_BELOW_EV = 0.05


@dataclass(frozen=True)
class NoiseReading:
    """The sensor's noise, and what is left of the signal in each zone."""

    noise: Noise
    zones_dB: tuple[float | None, ...]
    """Signal over noise of one photosite of green, 20 log10, in each zone 0..X at the recipe's exposure, before
    the ladder moves them; None where the picture has nothing."""

    def most_lift_EV(self, zone: int) -> float | None:
        """How far the ladder may lift a zone before its noise shows; None for a zone that has no limit."""
        left = self.zones_dB[zone]
        if left is None or left >= LEAST_dB:
            return None
        return max(SEEN_FROM_ZONE - JUST_BELOW_EV - zone, 0.0)


def noise_reading(noise: Noise, camera: Camera, zone: np.ndarray) -> NoiseReading:
    """camera: values (height, width, 3), 1 at the white level, at any level. zone: (height, width), 0..10."""
    green, which = camera[..., 1].ravel().astype(np.float64), zone.ravel()
    counts = np.bincount(which, minlength=11)
    sums = np.bincount(which, weights=green, minlength=11)
    out: list[float | None] = []
    for count, total in zip(counts, sums, strict=True):
        if count < max(1.0, LEAST_SHARE * green.size):
            out.append(None)
            continue
        signal = max(total / count, 1e-9)
        # uneven photosites are a pattern, which is always the same
        variance = noise.shot * signal + noise.read**2
        out.append(float(20.0 * np.log10(signal / np.sqrt(variance))))
    return NoiseReading(noise, tuple(out))
