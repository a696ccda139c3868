"""Colour filters before a lens, for black and white: what share of light of each wavelength they let through, and how
light the colours of a picture look through them.

Transmittances are idealised: a smooth step or band where dyed glass of that colour has its own. Edges are common
practice, from memory, no source; colours are those of the published chart of 24 patches under D65.
"""

from functools import cache

import numpy as np

from ..errors import ArgumentError
from .adaptation import adaptation_matrix
from .illuminants import daylight
from .spaces import D65_XY, LUMINANCE, XYZ_TO_REC2020, xy_to_XYZ
from .tables import WAVELENGTHS_NM, observer_bands, table
from .types import Array

SOFT_NM = 12.0
SUM_COUNTS = 100.0
DAYLIGHT_K = 6504.0
BANDS_NM = {"yellow": (485.0, 900.0), "orange": (550.0, 900.0), "red": (600.0, 900.0), "green": (495.0, 575.0),
            "blue": (300.0, 495.0)}  # fmt: skip
"""From where to where each lets light through."""


def transmittance(name: str) -> Array:
    """Share of light 0..1 that a filter lets through at `WAVELENGTHS_NM`; "none" lets all through."""
    if name == "none":
        return np.ones(len(WAVELENGTHS_NM))
    if name not in BANDS_NM:
        raise ArgumentError(f"filter: none, {', '.join(BANDS_NM)}; got {name!r}")
    low, high = BANDS_NM[name]
    rise, fall = (1.0 / (1.0 + np.exp(-(WAVELENGTHS_NM - edge) / SOFT_NM)) for edge in (low, high))
    return np.asarray(rise * (1.0 - fall))


@cache
def seen_through(name: str) -> Array:
    """Weights (3,) of linear Rec.2020 that come nearest to how light the patches of the chart look through a filter, to
    an eye that takes grey for as light as before: they sum to 1, and none is negative. Without one: luminance."""
    if name == "none":
        return LUMINANCE
    light, observer = daylight(DAYLIGHT_K), observer_bands()
    patches = np.stack([spectrum for patch, spectrum in table("chart24").items() if patch != "nm"])
    seen = patches * light
    XYZ = seen @ observer / (light @ observer[:, 1])
    white = light @ observer / (light @ observer[:, 1])
    RGB = XYZ @ adaptation_matrix(white, xy_to_XYZ(D65_XY)).T @ XYZ_TO_REC2020.T
    through = transmittance(name)
    wanted = (seen * through) @ observer[:, 1] / ((light * through) @ observer[:, 1])
    return _weights(RGB, wanted)


def _weights(RGB: Array, wanted: Array) -> Array:
    # imported here, since few pictures are black and white
    from scipy.optimize import nnls

    # that they sum to 1 counts for far more than any patch
    rows, values = np.vstack([RGB, np.full(3, SUM_COUNTS)]), np.append(wanted, SUM_COUNTS)
    weights = nnls(rows, values)[0]
    return np.asarray(weights / weights.sum())
