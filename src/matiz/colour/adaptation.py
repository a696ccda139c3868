"""Chromatic adaptation between white points.

References: Bradford as in ICC.1:2022 annex E; CAT16 as in CIE 248:2022.
"""

import numpy as np
from numpy.typing import ArrayLike

from ..errors import ArgumentError
from .types import Array

_CONES = {
    "Bradford": [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]],
    "CAT16": [
        [0.401288, 0.650173, -0.051461],
        [-0.250268, 1.204414, 0.045854],
        [-0.002079, 0.048952, 0.953127],
    ],
}


def adaptation_matrix(source: ArrayLike, target: ArrayLike, *, method: str = "Bradford") -> Array:
    """(3, 3) taking XYZ seen under white `source` to XYZ under white `target`.

    source, target: XYZ (3,) of the whites. method: "Bradford" or "CAT16".
    """
    if method not in _CONES:
        raise ArgumentError(f"method: one of {', '.join(_CONES)}, got {method!r}")
    cones = np.array(_CONES[method])
    source_cones = cones @ np.asarray(source, np.float64)
    target_cones = cones @ np.asarray(target, np.float64)
    return np.asarray(np.linalg.solve(cones, np.diag(target_cones / source_cones) @ cones))
