"""Colour difference.

Reference: Sharma, Wu, Dalal 2005, "The CIEDE2000 color-difference formula: implementation notes".
"""

import numpy as np
from numpy.typing import ArrayLike

from .types import Array


def delta_E_2000(Lab_1: ArrayLike, Lab_2: ArrayLike) -> Array:
    """CIEDE2000 between Lab colours (..., 3), k factors 1."""
    L1, a1, b1 = np.moveaxis(np.asarray(Lab_1, np.float64), -1, 0)
    L2, a2, b2 = np.moveaxis(np.asarray(Lab_2, np.float64), -1, 0)
    mean_C7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2.0) ** 7
    stretch = 1.5 - 0.5 * np.sqrt(mean_C7 / (mean_C7 + 25.0**7))
    a1, a2 = a1 * stretch, a2 * stretch
    C1, C2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360.0, np.degrees(np.arctan2(b2, a2)) % 360.0
    grey = C1 * C2 == 0.0

    turn = h2 - h1
    turn = np.where(turn > 180.0, turn - 360.0, np.where(turn < -180.0, turn + 360.0, turn))
    turn = np.where(grey, 0.0, turn)
    dL, dC = L2 - L1, C2 - C1
    dH = 2.0 * np.sqrt(C1 * C2) * np.sin(np.radians(turn / 2.0))

    L, C = (L1 + L2) / 2.0, (C1 + C2) / 2.0
    total = h1 + h2
    across = np.where(total < 360.0, total + 360.0, total - 360.0) / 2.0
    h = np.where(np.abs(h1 - h2) <= 180.0, total / 2.0, across)
    h = np.radians(np.where(grey, total, h))
    T = (
        1.0
        - 0.17 * np.cos(h - np.radians(30.0))
        + 0.24 * np.cos(2.0 * h)
        + 0.32 * np.cos(3.0 * h + np.radians(6.0))
        - 0.20 * np.cos(4.0 * h - np.radians(63.0))
    )
    SL = 1.0 + 0.015 * (L - 50.0) ** 2 / np.sqrt(20.0 + (L - 50.0) ** 2)
    SC, SH = 1.0 + 0.045 * C, 1.0 + 0.015 * C * T
    angle = 60.0 * np.exp(-(((np.degrees(h) - 275.0) / 25.0) ** 2))
    RT = -2.0 * np.sqrt(C**7 / (C**7 + 25.0**7)) * np.sin(np.radians(angle))
    light, chroma, hue = dL / SL, dC / SC, dH / SH
    return np.asarray(np.sqrt(np.maximum(light**2 + chroma**2 + hue**2 + RT * chroma * hue, 0.0)))
