"""Fixed patterns of a sensor, measured in the frame itself: columns and rows that lie off their neighbours."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from .frame import Mosaic

LEAST_COUNTS = 3.0
"""Smaller offsets are not worth a correction that might be wrong."""
LEAST_SAMPLES = 60
SURE = 8.0
"""Standard deviations by which a column must be off."""
LEAST_SHARE = 0.003
"""Of the signal: a soft band in the picture is no fault."""
MOST_SPREAD = 0.3
"""Share of its offset that the columns beside it may have: a line in the picture is blurred, a fault is not."""
PARTS = 8
"""Stretches of a column that must agree."""
STRIP_ROWS = 128

Counts = NDArray[np.float32]


@dataclass(frozen=True)
class FixedPattern:
    """Counts to take away per column (width,) and per row (height,); zero for most."""

    columns: Counts
    rows: Counts


def fixed_pattern(mosaic: Mosaic, noise: tuple[float, float]) -> FixedPattern:
    """What is off in single columns and rows. noise: variance per signal and read noise, signal 0..1.

    A column is compared with the mean of its colour on both sides, where those two agree within the
    noise, so that the picture's own detail does not count. It is off when the mean difference is well
    beyond its error, alike all along the column, and not shared by the columns beside it.
    """
    period_y, period_x = mosaic.pattern.shape
    span = mosaic.white - float(mosaic.black.mean())
    shot, read, black = noise[0] * span, noise[1] * span, float(mosaic.black.mean())
    with ThreadPoolExecutor(2) as pool:
        columns = pool.submit(_offsets, mosaic.values, period_x, shot, read, black)
        rows = pool.submit(_offsets, mosaic.values.T, period_y, shot, read, black)
        return FixedPattern(columns.result(), rows.result())


def _offsets(values: NDArray[np.uint16], period: int, shot: float, read: float, black: float) -> Counts:
    """Offset of each column of `values`, in counts; variance = shot * signal + read ** 2."""
    height, width = values.shape
    out = np.zeros(width, np.float32)
    if width < 6 * period or height < LEAST_SAMPLES:
        return out
    edges = [round(height * n / PARTS) for n in range(PARTS + 1)]
    parts = [_sums(values[a:b], period, shot, read, black) for a, b in pairwise(edges)]
    samples, weights, totals, signals, squares = (np.stack(sums) for sums in zip(*parts, strict=True))
    weight = weights.sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        off = totals.sum(axis=0) / weight
        # as the differences scatter, which is more than the noise where the picture has detail
        error = np.sqrt(squares.sum(axis=0)) / weight
        alike = np.abs(totals / weights - off) < 0.3 * np.abs(off) + 2.0 * error * PARTS**0.5
        least = np.maximum(LEAST_COUNTS, np.maximum(SURE * error, LEAST_SHARE * signals.sum(axis=0) / weight))
    sure = (samples.sum(axis=0) > LEAST_SAMPLES) & alike.all(axis=0) & (np.abs(off) > least)
    off = np.nan_to_num(off)
    beside = np.maximum(np.abs(np.roll(off, 1)), np.abs(np.roll(off, -1)))
    found = np.where(sure & (beside < MOST_SPREAD * np.abs(off) + 2.0 * np.nan_to_num(error)), off, 0.0)
    # a column that is off by d makes those of its colour beside it look off by -d / 2
    stronger = np.maximum(np.abs(np.roll(off, period)), np.abs(np.roll(off, -period)))
    found[np.abs(found) < 0.75 * stronger] = 0.0
    out[period:-period] = found
    return out


def _sums(
    values: NDArray[np.uint16], period: int, shot: float, read: float, black: float
) -> tuple[NDArray[np.float64], ...]:
    """Per column: how many photosites count, their weights, the weighted sums of their differences and of
    their signal, and the sum of the weighted differences squared. The weight is the reciprocal of the
    noise's variance: the darks tell most."""
    width = values.shape[1] - 2 * period
    samples, weight, total, signal, squares = (np.zeros(width) for _ in range(5))
    # every other photosite of each colour is enough, and half the work
    rows = np.arange(values.shape[0])
    rows = rows[(rows // period) % 2 == 0]
    for start in range(0, len(rows), STRIP_ROWS):
        some = np.ascontiguousarray(values[rows[start : start + STRIP_ROWS]], np.float32)
        left, right = some[:, : -2 * period], some[:, 2 * period :]
        mean = 0.5 * (left + right)
        above = np.maximum(mean - np.float32(black), 0.0)
        variance = shot * above + read**2
        off = some[:, period:-period] - mean
        # three standard deviations of the difference of two; what lies between them may be far off
        counts = ((left - right) ** 2 < 18.0 * variance) & (off**2 < 600.0 * variance)
        weights = counts / variance
        samples += counts.sum(axis=0)
        weight += weights.sum(axis=0)
        pull = weights * off
        total += pull.sum(axis=0)
        squares += (pull * pull).sum(axis=0)
        signal += (weights * above).sum(axis=0)
    return samples, weight, total, signal, squares
