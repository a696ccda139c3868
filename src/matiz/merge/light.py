"""How much more light one frame got than another."""

from collections.abc import Sequence

import cv2
import numpy as np

from ..develop.frame.alignment import Alignment
from ..develop.frame.laid import OUTSIDE, highest_within, places, remapped
from ..develop.frame.sensor import Sensor
from ..develop.frame.tiles import level_size
from ..raw.frame import Frame
from .align import light_of

LEVEL, LEAST_PX, AROUND_PX = 3, 200, 5
"""That is compared, of how many px, and over what surroundings each."""
MOST_OFF_EV = 0.5
"""By which an exposure differs from what the camera says of it. Common practice, no source: a sixth mostly, more where
a lens is focused near."""
DARK, LIGHT = 0.01, 0.85
"""Of white: between them values tell by how much the light differs."""


def expected_light(frames: Sequence[Frame]) -> list[float]:
    """How much light each got, by what the files say; by what they show where one does not say."""
    said = [frame.exposure.light_EV for frame in frames]
    if all(value is not None for value in said):
        return [2.0**value for value in said if value is not None]
    return [float(np.median(light_of(Sensor(frame), LEVEL))) + 1e-6 for frame in frames]


def measured_light(reference: Sensor, other: Sensor, alignment: Alignment, expected: float) -> float:
    """How much more light a frame got, by what both show; the expected ratio where too little is known in both, or what
    they show is further from it than cameras are."""
    level = LEVEL
    whole = (0, 0, *level_size(reference.frame.size, level))
    own, seen = (sensor.small(level, whole) for sensor in (reference, other))
    full, seen_full = (highest_within(sensor.frame, level) for sensor in (reference, other))
    at = places(alignment, whole, level)
    seen = remapped(seen, at, cv2.INTER_LINEAR, cv2.BORDER_REPLICATE)
    seen_full = remapped(seen_full, at, cv2.INTER_LINEAR, cv2.BORDER_CONSTANT, OUTSIDE)
    # beside what is cut off means are too low
    around = np.ones((AROUND_PX, AROUND_PX), np.uint8)
    cut = np.asarray((cv2.dilate(full, around) >= LIGHT) | (cv2.dilate(seen_full, around) >= LIGHT))
    # over a few px, since what was laid anew is softer
    own, seen = (cv2.blur(image, (AROUND_PX, AROUND_PX)) for image in (own, seen))
    # by both together, so that the noise of neither chooses
    both = (own * np.float32(expected) + seen) / 2.0
    known = (both > DARK * max(1.0, expected)) & ~cut[..., None]
    if known.sum() < LEAST_PX:
        return expected
    ratio = float(np.median(seen[known] / np.maximum(own[known], 1e-6)))
    return ratio if abs(np.log2(max(ratio, 1e-6) / expected)) < MOST_OFF_EV else expected
