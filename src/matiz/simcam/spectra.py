"""Reflectances (36 bands) of what stands in the scenes: smooth curves, values 0..1.

Shapes are invented after common knowledge of materials, no source: rock and sand rise to the red,
foliage has its green rise and far-red edge, skin its haemoglobin dips near 542 and 577 nm.
"""

from collections.abc import Callable
from functools import cache

import numpy as np

from ..colour.tables import WAVELENGTHS_NM, table
from ..colour.types import Array
from ..errors import ArgumentError

NM = WAVELENGTHS_NM.astype(np.float64)


def ramp(low: float, high: float, centre_nm: float, width_nm: float) -> Array:
    """From `low` in the blue to `high` in the red."""
    return low + (high - low) / (1.0 + np.exp(-(NM - centre_nm) / width_nm))


def bump(height: float, centre_nm: float, width_nm: float) -> Array:
    return height * np.exp(-0.5 * ((NM - centre_nm) / width_nm) ** 2)


_MATERIALS: dict[str, Callable[[], Array]] = {
    "grey": lambda: np.full(36, 0.18),
    "white": lambda: np.full(36, 0.92),
    "salt": lambda: ramp(0.70, 0.86, 470.0, 40.0),
    "wet_salt": lambda: ramp(0.34, 0.50, 520.0, 50.0),
    "brine": lambda: ramp(0.07, 0.30, 590.0, 25.0) + bump(0.03, 450.0, 30.0),
    "earth": lambda: ramp(0.05, 0.26, 580.0, 45.0),
    "basalt": lambda: ramp(0.045, 0.085, 560.0, 70.0),
    "rust": lambda: ramp(0.05, 0.33, 595.0, 22.0),
    "lichen": lambda: ramp(0.16, 0.38, 520.0, 25.0) + bump(0.05, 560.0, 40.0),
    "sand": lambda: ramp(0.15, 0.45, 560.0, 50.0),
    "leaves": lambda: 0.04 + bump(0.09, 550.0, 28.0) + ramp(0.0, 0.42, 705.0, 9.0),
    "wood": lambda: ramp(0.10, 0.46, 580.0, 45.0),
    "old_wood": lambda: ramp(0.06, 0.20, 580.0, 55.0),
    "plaster": lambda: ramp(0.48, 0.72, 520.0, 50.0),
    "linen": lambda: ramp(0.74, 0.86, 450.0, 25.0),
    "scale_dark": lambda: ramp(0.035, 0.11, 580.0, 40.0),
    "scale_pale": lambda: ramp(0.38, 0.68, 520.0, 45.0),
    "scale_teal": lambda: 0.05 + bump(0.20, 505.0, 40.0),
    "scale_red": lambda: ramp(0.05, 0.36, 600.0, 18.0),
    "hair": lambda: ramp(0.025, 0.075, 620.0, 50.0),
    "skin": lambda: ramp(0.18, 0.58, 570.0, 38.0) - bump(0.065, 542.0, 11.0) - bump(0.07, 577.0, 10.0),
    "skin_deep": lambda: ramp(0.06, 0.28, 590.0, 45.0) - bump(0.02, 542.0, 12.0) - bump(0.022, 577.0, 11.0),
    "cloth_blue": lambda: 0.05 + bump(0.20, 455.0, 35.0) + ramp(0.0, 0.10, 690.0, 12.0),
    "cloth_red": lambda: ramp(0.04, 0.42, 610.0, 14.0) + bump(0.03, 440.0, 25.0),
    "cloth_green": lambda: 0.05 + bump(0.14, 530.0, 35.0) + ramp(0.0, 0.12, 700.0, 10.0),
    "cloth_ochre": lambda: ramp(0.06, 0.46, 555.0, 20.0),
    "cloth_dark": lambda: ramp(0.03, 0.05, 600.0, 60.0),
    "water": lambda: 0.02 + bump(0.02, 490.0, 45.0),
}


@cache
def reflectance(name: str) -> Array:
    """Spectrum (36,) of a material, or of a patch of the 24-patch chart by its name."""
    if name in _MATERIALS:
        return np.asarray(np.clip(_MATERIALS[name](), 0.0, 1.0))
    chart = table("chart24")
    if name in chart and name != "nm":
        return chart[name]
    raise ArgumentError(f"material: one of {', '.join([*_MATERIALS, *chart])}; got {name!r}")


def chart_patches() -> list[str]:
    """The 24 patches, row by row from the upper left."""
    return [name for name in table("chart24") if name != "nm"]


def fitting_set() -> Array:
    """(n, 36) reflectances over which the camera's matrices are fitted."""
    return np.stack([reflectance(n) for n in (*chart_patches(), *_MATERIALS)])
