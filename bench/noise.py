"""Noise of a known sensor laid over photographs, and read back."""

import zlib

import numpy as np

from matiz.colour.types import Array
from matiz.kernels.units import MIDDLE_GREY
from matiz.measure.tone.tone import zone_of
from matiz.raw.frame import Mosaic
from matiz.raw.noise import Noise, common_noise, measure_noise

from .photographs import Photograph, linear

LONG_PX = 1600
PATTERN = np.array([[0, 1], [1, 2]], np.uint8)
SENSITIVITY = np.array([0.55, 1.0, 0.7]) * 0.85
"""Of the channels to white; a little below full."""
BLACK, WHITE = 512.0, 16_000.0
LEAST_SHARE = 1e-3


def zones_off_dB(photograph: Photograph, iso: int, wells: float) -> Array:
    """Signal over noise that is read less that which is true, for every zone that the photograph has.

    wells: the sensor's full well over the common one's.
    """
    camera = linear(photograph, LONG_PX) * SENSITIVITY
    height, width = (n // 2 * 2 for n in camera.shape[:2])
    camera = camera[:height, :width]
    common = common_noise(iso)
    true = Noise(common.shot / wells, common.read / wells * 1.3)
    places = np.tile(PATTERN, (height // 2, width // 2))[..., None].astype(np.int64)
    values = np.take_along_axis(camera, places, axis=2)[..., 0]
    rng = np.random.default_rng(zlib.crc32(f"{photograph.sha256} {iso}".encode()))
    noisy = values + rng.normal(size=values.shape) * np.sqrt(true.variance(values))
    counts = np.clip(noisy * (WHITE - BLACK) + BLACK, 0, 16_383).round().astype(np.uint16)
    mosaic = Mosaic(counts, PATTERN, np.full((2, 2), BLACK, np.float32), WHITE)
    found = measure_noise(mosaic, common) or common
    green = camera[..., 1]
    zone = zone_of(np.log2(np.maximum(green, 1e-6) / MIDDLE_GREY).astype(np.float32))
    signals = [green[zone == n].mean() for n in range(11) if (zone == n).mean() > LEAST_SHARE]
    return np.array([10.0 * np.log10(_random(true, s) / _random(found, s)) for s in signals])


def _random(noise: Noise, signal: float) -> float:
    return noise.shot * signal + noise.read**2
