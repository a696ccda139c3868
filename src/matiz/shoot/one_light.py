"""Which pictures of a shoot were taken in one light, how that light went, and what they are balanced for.

Lights are counted in mired, in which equal steps look about alike.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from ..colour.illuminants import illuminant_xy
from ..colour.temperature import mired
from ..colour.types import Array
from ..measure.sort.brief import Brief
from ..measure.table.values import LightValue, value_of
from ..raw.frame import Exposure
from ..recipe.model import Light
from .sets import MOST_GAP_S, time_of

STEP_MIRED, STEP_EV = 60.0, 3.0
"""From one light to another: by what is measured, and by how much of it the exposures let in."""
AROUND = 3
"""Pictures on either side of a step that tell it, at most; one alone tells nothing."""
LEAST = 2
SURE = 0.15
"""Certainty of a light that counts."""
CALM, LEAST_CALM = 7, 5
"""Pictures that a trend is calmed over, and that it takes to tell one."""


@dataclass(frozen=True)
class PictureFacts:
    """What is known of a picture of a shoot."""

    path: Path
    exposure: Exposure
    brief: Brief | None = None
    balance: LightValue | None = None
    """What it is balanced for now."""
    sorted_as: str = ""


@dataclass(frozen=True)
class OneLight:
    """Pictures in one light, in the order of their taking; arrays are (n,), NaN where nothing is known."""

    pictures: tuple[Path, ...]
    minutes: Array
    """Since the first was taken."""
    measured_mired: Array
    balance_mired: Array

    @property
    def mired(self) -> float:
        """Of the light, in the middle; NaN where nothing is known."""
        return middle(self.measured_mired)

    def trend_mired(self) -> Array | None:
        """Of the light at each picture, calmed: what is measured of one is off by some. None where too little is
        known."""
        known = np.isfinite(self.measured_mired)
        minutes, values = self.minutes[known], self.measured_mired[known]
        if len(values) < LEAST_CALM:
            return None
        wide = min(CALM, len(values))
        firsts = [min(max(n - wide // 2, 0), len(values) - wide) for n in range(len(values))]
        calm = [_line(minutes[k : k + wide], values[k : k + wide], at) for k, at in zip(firsts, minutes, strict=True)]
        return np.interp(self.minutes, minutes, calm)


def _line(x: Array, y: Array, at: float) -> float:
    """The value at a place of the line through points that few of them can bend (Theil 1950, Sen 1968)."""
    one, other = np.triu_indices(len(x), 1)
    apart = x[other] - x[one]
    rises = ((y[other] - y[one])[apart > 0.0]) / apart[apart > 0.0]
    slope = float(np.median(rises)) if len(rises) else 0.0
    return float(np.median(y - slope * x) + slope * at)


def middle(values: Array) -> float:
    """The median of what is known; NaN where nothing is."""
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) else float("nan")


def in_one_light(pictures: Iterable[PictureFacts]) -> list[OneLight]:
    """Pictures parted where a break is long, or where what is measured or exposed says that the light is another."""
    timed = [(time, each) for each in pictures if (time := time_of(each.exposure.time_utc or "")) is not None]
    timed.sort(key=lambda one: (one[0], one[1].path.name))
    out: list[OneLight] = []
    first = 0
    for n in range(1, len(timed) + 1):
        if n == len(timed) or (timed[n][0] - timed[n - 1][0]).total_seconds() > MOST_GAP_S:
            out += [_as_one(part) for part in _parted(timed[first:n])]
            first = n
    return out


_Timed = tuple[datetime, PictureFacts]


def _parted(row: list[_Timed]) -> list[list[_Timed]]:
    light, level = (np.array([of(each) for _, each in row]) for of in (_measured, _level))
    out, first = [], 0
    for n in range(1, len(row)):
        before, after = slice(max(first, n - AROUND), n), slice(n, n + AROUND)
        if _steps(light[before], light[after], STEP_MIRED) or _steps(level[before], level[after], STEP_EV):
            out.append(row[first:n])
            first = n
    return [*out, row[first:]]


def _steps(before: Array, after: Array, least: float) -> bool:
    """Whether both sides agree among themselves, and differ."""
    a, b = (side[np.isfinite(side)] for side in (before, after))
    if min(len(a), len(b)) < LEAST:
        return False
    apart = max(a.min() - b.max(), b.min() - a.max())
    return bool(apart > 0.0 and abs(np.median(a) - np.median(b)) > least)


def _as_one(row: Sequence[_Timed]) -> OneLight:
    began = row[0][0]
    return OneLight(
        tuple(each.path for _, each in row),
        np.array([(time - began).total_seconds() / 60.0 for time, _ in row]),
        np.array([_measured(each) for _, each in row]),
        np.array([np.nan if each.balance is None else each.balance.mired for _, each in row]),
    )


def _measured(each: PictureFacts) -> float:
    light = None if each.brief is None else each.brief.light
    return float(mired(light.cct_K)) if light is not None and light.certainty >= SURE else float("nan")


def _level(each: PictureFacts) -> float:
    told = each.exposure.light_EV
    return float("nan") if told is None else float(told)


def balance_of(light: Light, brief: Brief | None) -> LightValue | None:
    """What a picture is balanced for; None where only its file knows, which was not looked at yet."""
    if light.source == "as_shot":
        return None if brief is None else brief.as_shot
    if light.source == "manual":
        return LightValue(light.cct_K, light.duv)
    return value_of(illuminant_xy(light.source))
