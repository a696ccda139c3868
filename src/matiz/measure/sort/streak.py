"""The longest straight streak in a picture of the night: a satellite, a plane, a meteor.

What is brighter than its surroundings by many times the noise and thin is marked, and straight lines are looked for in
the marks by the probabilistic Hough transform (Matas, Galambos and Kittler 2000).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

LONG_SIDE = 1500
"""Least long side of the picture that is looked through: at half of it a faint satellite is gone."""
NIGHT_S, DARK = 1.0, 0.1
"""Exposure from which on it may be night, and the light in its middle up to which it is."""
AROUND_PX, NOISES = 11, 6.0
MOST_MARKED = 0.02
"""Of the picture: more is no sky with a few lights."""
LEAST_SHARE, VOTES, GAP_PX = 0.04, 40, 6
"""Of the long side: a shorter line is a trail of a star. GAP_PX: wider ones part a line in two."""
CODES = 255.0


def streak_share(light: NDArray[np.float32], exposure_s: float | None) -> float | None:
    """Length over the long side, 0 for none; None where it is no night. light: (height, width), linear, of white."""
    if exposure_s is None or exposure_s < NIGHT_S or float(np.median(light)) > DARK:
        return None
    # on a scale on which eight bits are enough for what is dark
    code = np.sqrt(np.clip(light, 0.0, 1.0)) * np.float32(CODES)
    ground = cv2.medianBlur(np.rint(code).astype(np.uint8), AROUND_PX).astype(np.float32)
    over = cv2.GaussianBlur(code - ground, (0, 0), 0.7)
    noise = 1.48 * float(np.median(np.abs(over))) + 0.05
    marked = (over > NOISES * noise).astype(np.uint8)
    if marked.mean() > MOST_MARKED:
        return 0.0
    long_side = max(light.shape)
    found = cv2.HoughLinesP(marked, 1.0, np.pi / 720.0, VOTES, minLineLength=LEAST_SHARE * long_side, maxLineGap=GAP_PX)
    if found is None:
        return 0.0
    x, y, x2, y2 = found.reshape(-1, 4).T
    return round(float(np.hypot(x2 - x, y2 - y).max()) / long_side, 3)
