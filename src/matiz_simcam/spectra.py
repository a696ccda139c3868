"""Reflectances (36 bands) of what stands in the scenes: smooth curves, values 0..1.

Shapes are invented after common knowledge of materials, no source: rock and sand rise to the red,
foliage has its green rise and far-red edge, skin its haemoglobin dips near 542 and 577 nm.
"""

from collections.abc import Callable
from functools import cache

import numpy as np

from matiz.colour.tables import WAVELENGTHS_NM, table
from matiz.colour.types import Array
from matiz.errors import ArgumentError

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

_OXY_NM = (380, 390, 400, 410, 420, 430, 440, 450, 460, 470, 480, 490, 500, 510, 520, 530, 540, 550, 560, 570, 580,
           590, 600, 610, 620, 630, 640, 650, 700, 750)  # fmt: skip
_OXY = (138000, 167748, 266232, 467632, 480360, 246072, 102580, 62816, 44480, 33209, 26629, 23684, 20932, 20035, 24202,
        39956, 53236, 43016, 32613, 44496, 50104, 14400, 3200, 1506, 942, 610, 442, 368, 290, 518)  # fmt: skip
"""Molar extinction of oxyhaemoglobin in 1/cm per mol/l (Prahl 1999, tabulated optical absorption of
haemoglobin; values from memory)."""


def skin_spectrum(melanin: float, blood: float) -> Array:
    """Reflectance (36,) of skin by the shares of melanosomes in its epidermis and of blood in its dermis.

    A pigmented layer of 60 um over a dermis so thick that no light comes through (Kubelka and Munk 1931).
    Absorption and scattering after Jacques 1998, "Skin optics summary", and Jacques 2013, "Optical
    properties of biological tissues", coefficients from memory. 0.04 is sent back by the surface.
    """
    of_blood = 2.303 * np.interp(NM, _OXY_NM, _OXY) * 150.0 / 64_500.0
    bare = 0.244 + 85.3 * np.exp(-(NM - 154.0) / 66.2)
    ratio = 2.0 * (blood * of_blood + (1.0 - blood) * bare) / (0.75 * 46.0 * (NM / 500.0) ** -1.42)
    dermis = 1.0 + ratio - np.sqrt(ratio**2 + 2.0 * ratio)
    epidermis = np.exp(-2.0 * 0.006 * (melanin * 6.6e11 * NM**-3.33 + (1.0 - melanin) * bare))
    return np.asarray(0.04 + 0.96 * dermis * epidermis)


_OTHERS: dict[str, Callable[[], Array]] = {
    "skin_fair": lambda: skin_spectrum(0.03, 0.014),
    "skin_fair_red": lambda: skin_spectrum(0.03, 0.07),
    "skin_dark": lambda: skin_spectrum(0.30, 0.014),
    "skin_dark_red": lambda: skin_spectrum(0.30, 0.07),
    "wine": lambda: ramp(0.006, 0.055, 640.0, 16.0),
    "bottle": lambda: 0.012 + bump(0.035, 545.0, 30.0),
    "fruit_red": lambda: ramp(0.03, 0.38, 605.0, 16.0),
    "fruit_orange": lambda: ramp(0.04, 0.58, 560.0, 14.0),
    "fruit_green": lambda: 0.05 + bump(0.28, 555.0, 34.0) + ramp(0.0, 0.2, 700.0, 12.0),
}
"""What came later than the camera, whose matrices are fitted over the others."""


@cache
def reflectance(name: str) -> Array:
    """Spectrum (36,) of a material, or of a patch of the 24-patch chart by its name."""
    made = _MATERIALS.get(name) or _OTHERS.get(name)
    if made is not None:
        return np.asarray(np.clip(made(), 0.0, 1.0))
    chart = table("chart24")
    if name in chart and name != "nm":
        return chart[name]
    raise ArgumentError(f"material: one of {', '.join([*_MATERIALS, *_OTHERS, *chart])}; got {name!r}")


def chart_patches() -> list[str]:
    """The 24 patches, row by row from the upper left."""
    return [name for name in table("chart24") if name != "nm"]


def fitting_set() -> Array:
    """(n, 36) reflectances over which the camera's matrices are fitted."""
    return np.stack([reflectance(n) for n in (*chart_patches(), *_MATERIALS)])
