"""How much more light one frame got than another."""

from collections.abc import Sequence

import cv2
import numpy as np

from ..develop.sensor import Sensor
from ..raw.frame import Frame
from .align import Alignment, light_of
from .laid import places, remapped

LEVEL, LEAST_PX = 3, 200
"""That is compared, and of how many px."""
DARK, LIGHT = 0.01, 0.85
"""Of white: between them values tell by how much the light differs."""


def expected_light(frames: Sequence[Frame]) -> list[float]:
    """How much light each got, by what the files say; by what they show where one does not say."""
    said = [frame.exposure.light_EV for frame in frames]
    if all(value is not None for value in said):
        return [2.0**value for value in said if value is not None]
    return [float(np.median(light_of(Sensor(frame), LEVEL))) + 1e-6 for frame in frames]


def measured_light(reference: Sensor, other: Sensor, alignment: Alignment, expected: float) -> float:
    """How much more light a frame got, by what both show; the expected ratio where too little is known in both."""
    level = LEVEL
    width, height = (length >> level for length in reference.frame.size)
    own, seen = (sensor.small(level, (0, 0, width, height)) for sensor in (reference, other))
    seen = remapped(seen, places(alignment, (0, 0, width, height), level), cv2.INTER_LINEAR, cv2.BORDER_CONSTANT, 9.0)
    known = (own > max(DARK, DARK / expected)) & (own < LIGHT) & (seen > DARK) & (seen < LIGHT)
    # beside what is cut off means are too low
    for image in (own, seen):
        known &= (cv2.dilate(image.max(axis=2), np.ones((3, 3), np.uint8)) < LIGHT)[..., None]
    if known.sum() < LEAST_PX:
        return expected
    return float(np.median(seen[known] / own[known]))
