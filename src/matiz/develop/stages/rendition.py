"""The curve from scene to display: a rendition, then the tone curve, as one table.

A rendition maps scene-linear luminance to display-linear 0..1 with a sigmoid x^n / (x^n + k)
(Naka and Rushton 1966), scaled so that middle grey stays at 18 % and the white point reaches 1.
"""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ...colour.spaces import lightness, luminance
from ...colour.types import Array
from ...errors import ArgumentError
from ...kernels.rendition import TABLE_SIZE, curve_positions, table_positions
from ...kernels.units import MIDDLE_GREY
from ...recipe.leaves import Points
from ...recipe.model import Curve, Tone

NO_BLACK_EV = -12.0
STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))
ROOM = 0.04
"""Least distance of a point that is put on a curve from those that stay, in lightness 0..1."""


@dataclass(frozen=True)
class Sigmoid:
    """Contrast at middle grey (slope in log-log) and the white point in EV above it."""

    contrast: float
    white_EV: float


SIGMOIDS = {"soft": Sigmoid(1.12, 5.0), "standard": Sigmoid(1.32, 4.0), "strong": Sigmoid(1.60, 3.4)}


def rendered(rendition: str, scene: ArrayLike, *, white_EV: float = 0.0, black_EV: float = NO_BLACK_EV) -> Array:
    """Display-linear 0..1 of scene-linear values >= 0.

    white_EV: how much later than the rendition's own the white point comes. black_EV: the scene value, in EV
    from middle grey, that is shown black; none at NO_BLACK_EV. Middle grey stays where it is.
    """
    light: Array = np.maximum(np.asarray(scene, np.float64), 0.0)
    if black_EV > NO_BLACK_EV:
        black = MIDDLE_GREY * 2.0**black_EV
        light = np.maximum(light - black, 0.0) * (MIDDLE_GREY / (MIDDLE_GREY - black))
    if rendition in ("linear", "as_delivered"):
        # up to middle grey as it is; above, straight in the logarithm of what is left to white
        return np.minimum(light if white_EV == 0.0 else _stretched(light, 2.0**white_EV), 1.0)
    if rendition not in SIGMOIDS:
        raise ArgumentError(f"rendition: linear, {', '.join(SIGMOIDS)} or as_delivered; got {rendition!r}")
    sigmoid = SIGMOIDS[rendition]
    n, k, white = _solved(replace(sigmoid, white_EV=sigmoid.white_EV + white_EV) if white_EV else sigmoid)
    power = np.minimum(light, white) ** n
    return np.minimum(power / (power + k) * (white**n + k) / white**n, 1.0)


def _stretched(scene: Array, white: float) -> Array:
    """Straight up to middle grey; above it a power that reaches 1 at `white`."""
    power = np.log(1.0 / MIDDLE_GREY) / np.log(white / MIDDLE_GREY)
    above = MIDDLE_GREY * (np.maximum(scene, MIDDLE_GREY) / MIDDLE_GREY) ** power
    return np.where(scene <= MIDDLE_GREY, scene, above)


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


def through(points: Points, x: float, y: float) -> Points:
    """A tone curve that passes through (x, y) besides its points, but for those too near or in the way.

    The ends stay; y is held between them, so that the curve never falls.
    """
    first, *inner, last = points
    x = min(max(x, first[0] + ROOM), last[0] - ROOM)
    y = min(max(y, first[1]), last[1])
    kept = [(a, b) for a, b in inner if abs(a - x) >= ROOM and (b <= y if a < x else b >= y)]
    return tuple(sorted((first, *kept, (round(x, 4), round(y, 4)), last)))


def s_curve(contrast: float) -> Points:
    """A tone curve `contrast` times as steep at middle grey, L* 50, easing into both ends."""
    rise = 0.15 * contrast
    return ((0.0, 0.0), (0.35, round(0.5 - rise, 4)), (0.5, 0.5), (0.65, round(0.5 + rise, 4)), (1.0, 1.0))


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
    """Rendition and curve of `tone` at `kernels.rendition.table_positions()`, (TABLE_SIZE,)."""
    shown = rendered(tone.rendition, table_positions(), white_EV=tone.white_EV, black_EV=tone.black_EV)
    if tone.curve.lightness != STRAIGHT:
        shown = luminance(curve(tone.curve.lightness, lightness(shown) / 100.0) * 100.0)
    table = shown.astype(np.float32)
    table.flags.writeable = False
    return table


@lru_cache(maxsize=64)
def channel_curves(curves: Curve) -> NDArray[np.float32] | None:
    """(3, CURVE_SIZE) display-linear values of red, green and blue at `kernels.rendition.curve_positions()`, each
    channel's curve on its own lightness; None when all are straight."""
    channels = (curves.red, curves.green, curves.blue)
    if all(points == STRAIGHT for points in channels):
        return None
    positions = curve_positions()
    own = lightness(positions) / 100.0
    tables = [positions if points == STRAIGHT else luminance(curve(points, own) * 100.0) for points in channels]
    table = np.array(tables, np.float32)
    table.flags.writeable = False
    return table


def shown_value(tone: Tone, scene: ArrayLike) -> Array:
    """Display-linear value of scene-linear grey at exposure 0, from the same table as the picture."""
    x = np.maximum(np.asarray(scene, np.float64), 0.0)
    return np.interp(x / (x + MIDDLE_GREY), np.linspace(0.0, 1.0, TABLE_SIZE), display_table(tone))


def scene_value(tone: Tone, shown: float) -> float:
    """The brightest scene-linear grey that is shown no lighter than `shown`, display-linear."""
    table = display_table(tone)
    index = int(np.searchsorted(table, shown, side="right")) - 1
    if index < 0:
        return 0.0
    index = min(index, TABLE_SIZE - 2)
    rise = float(table[index + 1] - table[index])
    t = (index + ((shown - float(table[index])) / rise if rise > 0 else 0.0)) / (TABLE_SIZE - 1)
    return MIDDLE_GREY * t / max(1.0 - t, 1e-9)


@lru_cache
def _solved(sigmoid: Sigmoid) -> tuple[float, float, float]:
    """Exponent n, constant k and white of the sigmoid that keeps middle grey."""
    white = MIDDLE_GREY * 2.0**sigmoid.white_EV

    def constant(n: float) -> float:
        # MIDDLE_GREY -> MIDDLE_GREY and white -> 1, solved for k
        a, w = MIDDLE_GREY**n, white**n
        return w * a * (1.0 - MIDDLE_GREY) / (MIDDLE_GREY * w - a)

    def contrast(n: float) -> float:
        k = constant(n)
        return n * k / (MIDDLE_GREY**n + k)

    # below the first exponent the white point cannot be reached; contrast rises with the exponent
    low, high = -np.log(MIDDLE_GREY) / (np.log(white) - np.log(MIDDLE_GREY)) * 1.001, 8.0
    for _ in range(60):
        n = (low + high) / 2
        low, high = (n, high) if contrast(n) < sigmoid.contrast else (low, n)
    return n, constant(n), white
