"""The blur in which the texture of a place just vanishes: what is finer is texture, what is coarser light and shade.

By how much a picture changes from one blur to the next wider one, texture is strong at its own size, then weaker, until
light and shade take over: it vanishes where that is weakest between them.
"""

from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

LEAST_PX, STEP, COUNT = 0.7, 2.0**0.5, 10
"""Spreads of the blurs that are compared."""
TURNS = 0.97
"""Of the next blur's change: what a weakest one must be under."""
GONE = 0.25
"""Of the strongest change, at which texture is gone where nothing takes over."""


def vanishing_px(values: NDArray[np.float32], counts: NDArray[np.bool_]) -> float | None:
    """Standard deviation of that Gaussian blur, px; None where there is no texture to be told.

    values: (height, width), on a scale on which noise is even. counts: which px count, as many.
    """
    spreads = LEAST_PX * STEP ** np.arange(COUNT)
    blurred = [cv2.GaussianBlur(values, (0, 0), float(spread)) for spread in spreads]
    if not counts.any():
        return None
    changes = np.array([float((one - two)[counts].std()) for one, two in pairwise(blurred)])
    between = np.sqrt(spreads[:-1] * spreads[1:])
    strongest = 0.0
    for k, change in enumerate(changes[:-1]):
        strongest = max(strongest, change)
        if change < strongest and (change < TURNS * changes[k + 1] or change < GONE * strongest):
            return float(between[k])
    return None
