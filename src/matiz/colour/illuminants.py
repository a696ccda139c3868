"""Lights: named chromaticities, and spectra at the 36 bands of `tables.WAVELENGTHS_NM`.

References: CIE 015:2018 (daylight formula, FL and LED series, high-pressure sodium).
"""

from functools import cache

import numpy as np

from ..errors import ArgumentError
from .tables import WAVELENGTHS_NM, observer_bands, table
from .temperature import planck
from .types import Array, Chromaticity, Kelvin

NAMES = {
    "A": "Incandescent, A",
    "D50": "Daylight D50",
    "D55": "Daylight D55",
    "D65": "Daylight D65",
    "D75": "Daylight D75",
    **{f"FL{i}": f"Fluorescent FL{i}" for i in range(1, 13)},
    **{f"LED-B{i}": f"White LED B{i}" for i in range(1, 6)},
    "LED-BH1": "White LED BH1",
    "LED-RGB1": "Three-colour LED RGB1",
    "LED-V1": "Violet-pumped LED V1",
    "LED-V2": "Violet-pumped LED V2",
    "HP1": "Sodium, high pressure HP1",
}
"""Illuminants that a picture can be balanced for, and how they are called in the window."""


def illuminant_xy(name: str) -> Chromaticity:
    """Chromaticity (2,) of a named illuminant."""
    if name not in NAMES:
        raise ArgumentError(f"illuminant: one of {', '.join(NAMES)}; got {name!r}")
    return table("illuminants")[name].copy()


def daylight_xy(cct_K: Kelvin) -> Chromaticity:
    """Chromaticity (2,) of CIE daylight, 4,000..25,000 K."""
    if not 4000.0 <= cct_K <= 25_000.0:
        raise ArgumentError(f"daylight exists from 4,000 to 25,000 K, got {cct_K}")
    if cct_K <= 7000.0:
        coefficients = (-4.6070e9, 2.9678e6, 0.09911e3, 0.244063)
    else:
        coefficients = (-2.0064e9, 1.9018e6, 0.24748e3, 0.237040)
    x = float(np.polyval(coefficients, 1.0 / cct_K))
    return np.array([x, -3.0 * x**2 + 2.87 * x - 0.275])


def daylight(cct_K: Kelvin) -> Array:
    """Spectrum (36,) of CIE daylight, luminance 1."""
    x, y = daylight_xy(cct_K)
    scale = 0.0241 + 0.2562 * x - 0.7341 * y
    m1 = (-1.3515 - 1.7703 * x + 5.9114 * y) / scale
    m2 = (0.0300 - 31.4424 * x + 30.0717 * y) / scale
    basis = table("daylight")
    return _unit(basis["S0"] + m1 * basis["S1"] + m2 * basis["S2"])


def black_body(cct_K: Kelvin) -> Array:
    """Spectrum (36,) of a Planckian radiator, luminance 1."""
    return _unit(planck(WAVELENGTHS_NM, cct_K))


@cache
def lamp(name: str) -> Array:
    """Spectrum (36,) of a tabulated light, luminance 1."""
    columns = table("lights")
    if name not in columns or name == "nm":
        raise ArgumentError(f"lamp: one of {', '.join(k for k in columns if k != 'nm')}; got {name!r}")
    return _unit(columns[name])


def _unit(spectrum: Array) -> Array:
    return np.asarray(spectrum / (spectrum @ observer_bands()[:, 1]))
