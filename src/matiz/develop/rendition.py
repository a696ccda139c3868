"""The curve from scene to display: a rendition, then the tone curve, as one table.

A rendition maps scene-linear luminance to display-linear 0..1 with a sigmoid x^n / (x^n + k)
(Naka and Rushton 1966), scaled so that middle grey stays at 18 % and the white point reaches 1.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..colour.spaces import lightness, luminance
from ..colour.types import Array
from ..errors import ArgumentError
from ..kernels.display import PIVOT, TABLE_SIZE, table_positions
from ..recipe.fields import Points
from ..recipe.model import Tone

MIDDLE = 0.18


@dataclass(frozen=True)
class Sigmoid:
    """Contrast at middle grey (slope in log-log) and the white point in EV above it."""

    contrast: float
    white_EV: float


SIGMOIDS = {"soft": Sigmoid(1.12, 5.0), "standard": Sigmoid(1.32, 4.0), "strong": Sigmoid(1.60, 3.4)}


def rendered(rendition: str, scene: ArrayLike) -> Array:
    """Display-linear 0..1 of scene-linear values >= 0."""
    scene = np.maximum(np.asarray(scene, np.float64), 0.0)
    if rendition == "linear":
        return np.minimum(scene, 1.0)
    if rendition not in SIGMOIDS:
        raise ArgumentError(f"rendition: linear, {', '.join(SIGMOIDS)}; got {rendition!r}")
    n, k, white = _solved(SIGMOIDS[rendition])
    power = np.minimum(scene, white) ** n
    return np.minimum(power / (power + k) * (white**n + k) / white**n, 1.0)


def curve(points: Points, display_lightness: ArrayLike) -> Array:
    """The tone curve: lightness 0..1 to lightness 0..1, monotone cubic (Fritsch and Carlson 1980).

    Slopes at the points are weighted harmonic means of those beside them, as in SciPy's
    PchipInterpolator, against which it is tested; SciPy itself would double the time of a start.
    Before the first and after the last point the curve is level.
    """
    x, y = np.array(points, np.float64).T
    at = np.clip(np.asarray(display_lightness, np.float64), x[0], x[-1])
    step, rise = np.diff(x), np.diff(y) / np.diff(x)
    slope = _slopes(step, rise)
    i = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 2)
    t = (at - x[i]) / step[i]
    low = y[i] + t * step[i] * slope[i] * (1 - t) ** 2 + t**2 * (3 - 2 * t) * (y[i + 1] - y[i])
    return np.clip(low - t**2 * (1 - t) * step[i] * slope[i + 1], 0.0, 1.0)


def _slopes(step: Array, rise: Array) -> Array:
    """Slope at each point of a monotone cubic through stretches of length `step` and slope `rise`."""
    if len(rise) == 1:
        return np.array([rise[0], rise[0]])
    before, after = 2 * step[1:] + step[:-1], step[1:] + 2 * step[:-1]
    with np.errstate(divide="ignore"):
        inner = (before + after) / (before / rise[:-1] + after / rise[1:])
    return np.concatenate([[_end_slope(step[0], step[1], rise[0], rise[1])], inner,
                           [_end_slope(step[-1], step[-2], rise[-1], rise[-2])]])  # fmt: skip


def _end_slope(step_0: float, step_1: float, rise_0: float, rise_1: float) -> float:
    """One-sided slope at an end, held so that the curve does not overshoot."""
    slope = ((2 * step_0 + step_1) * rise_0 - step_0 * rise_1) / (step_0 + step_1)
    if slope <= 0.0 or rise_0 == 0.0:
        return 0.0
    return float(min(slope, 3 * rise_0) if rise_1 == 0.0 else slope)


@lru_cache(maxsize=64)
def display_table(tone: Tone) -> NDArray[np.float32]:
    """Rendition and curve of `tone` at `kernels.display.table_positions()`, (TABLE_SIZE,)."""
    shown = rendered(tone.rendition, table_positions())
    if tone.curve.lightness != ((0.0, 0.0), (1.0, 1.0)):
        shown = luminance(curve(tone.curve.lightness, lightness(shown) / 100.0) * 100.0)
    table = shown.astype(np.float32)
    table.flags.writeable = False
    return table


def shown_value(tone: Tone, scene: ArrayLike) -> Array:
    """Display-linear value of scene-linear grey at exposure 0, from the same table as the picture."""
    x = np.maximum(np.asarray(scene, np.float64), 0.0)
    return np.interp(x / (x + PIVOT), np.linspace(0.0, 1.0, TABLE_SIZE), display_table(tone))


def scene_value(tone: Tone, shown: float) -> float:
    """The brightest scene-linear grey that is shown no lighter than `shown`, display-linear."""
    table = display_table(tone)
    index = int(np.searchsorted(table, shown, side="right")) - 1
    if index < 0:
        return 0.0
    index = min(index, TABLE_SIZE - 2)
    rise = float(table[index + 1] - table[index])
    t = (index + ((shown - float(table[index])) / rise if rise > 0 else 0.0)) / (TABLE_SIZE - 1)
    return PIVOT * t / max(1.0 - t, 1e-9)


@lru_cache
def _solved(sigmoid: Sigmoid) -> tuple[float, float, float]:
    """Exponent n, constant k and white of the sigmoid that keeps middle grey."""
    white = MIDDLE * 2.0**sigmoid.white_EV

    def constant(n: float) -> float:
        # MIDDLE -> MIDDLE and white -> 1, solved for k
        a, w = MIDDLE**n, white**n
        return w * a * (1.0 - MIDDLE) / (MIDDLE * w - a)

    def contrast(n: float) -> float:
        k = constant(n)
        return n * k / (MIDDLE**n + k)

    # below the first exponent the white point cannot be reached; contrast rises with the exponent
    low, high = -np.log(MIDDLE) / (np.log(white) - np.log(MIDDLE)) * 1.001, 8.0
    for _ in range(60):
        n = (low + high) / 2
        low, high = (n, high) if contrast(n) < sigmoid.contrast else (low, n)
    return n, constant(n), white
