"""Fixed patterns of a sensor, measured in the frame itself: columns and rows that lie off their neighbours."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ..kernels.stripes import stripe_sums
from .frame import Mosaic

LEAST_COUNTS = 3.0
"""Smaller offsets are not worth a correction that might be wrong."""
LEAST_SAMPLES = 60
SURE = 11.0
"""Standard deviations by which a column must be off."""
LEAST_SHARE = 0.003
"""Of the signal: a soft band in the picture is no fault."""
MOST_SPREAD = 0.3
"""Share of its offset that the columns beside it may have: a line in the picture is blurred, a fault is not."""
PARTS = 8
"""Stretches of a column that must agree."""

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
    of = {"shot": shot, "read": read, "black": black}
    columns = _offsets(mosaic.values, period_x, columns=True, **of)
    return FixedPattern(columns, _offsets(mosaic.values, period_y, columns=False, **of))


def _offsets(values: NDArray[np.uint16], period: int, *, columns: bool, **noise: float) -> Counts:
    """Offset of each column (or row) of `values`, in counts. noise: shot, read and black of `stripe_sums`."""
    along, across = values.shape if columns else values.shape[::-1]
    out = np.zeros(across, np.float32)
    if across < 6 * period or along < LEAST_SAMPLES:
        return out
    edges = [round(along * n / PARTS) for n in range(PARTS + 1)]
    parts = [stripe_sums(values, period, part, columns=columns, **noise) for part in pairwise(edges)]
    samples, weights, totals, signals, squares = np.moveaxis(np.array(parts, np.float64), -1, 0)
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
