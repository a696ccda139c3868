"""Sensor counts to balanced values: subtract black and fixed patterns, scale, mend hot and dead photosites."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel

LEAST_EXCESS = 9.0
"""In standard deviations of the noise: a photosite that sticks out by less may be noise."""
MOST_SPREAD = 0.10
"""Share of a photosite's excess that its neighbours of other colours may have: light from a lens, even
that of a star, spreads over a quarter or more; a fault of the sensor does not spread."""


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_levels(), _define_mended()]


def _define_levels() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR, table

    x, y = hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.UInt(16), 2, "mosaic")
    black, gain = table("black", 2), table("gain", 2)
    columns, rows = table("columns"), table("rows")
    out = hl.Func("levels")
    column, row = x % black.dim(0).extent(), y % black.dim(1).extent()
    out[x, y] = (hl.f32(mosaic[x, y]) - black[column, row] - columns[x] - rows[y]) * gain[column, row]
    out.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    out.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return "levels", out, [mosaic, black, gain, columns, rows]


def _define_mended() -> tuple[str, Any, list[Any]]:
    """On balanced values of a 2x2 mosaic: the same colour comes again two places on."""
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR

    x, y = hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.Float(32), 2, "balanced")
    shot, read = hl.Param(hl.Float(32), "shot"), hl.Param(hl.Float(32), "read")
    m = hl.BoundaryConditions.mirror_interior(mosaic)

    def mean(places: list[tuple[int, int]]) -> Any:
        return sum((m[x + dx, y + dy] for dx, dy in places), hl.f32(0.0)) / float(len(places))

    ring = [(dx, dy) for dx in (-2, 0, 2) for dy in (-2, 0, 2) if dx or dy]
    beside = [(1, 0), (-1, 0), (0, 1), (0, -1)]
    # of the same two colours as those beside, one step further out
    around = [(dx, dy) for dx in (-1, 1) for dy in (-2, 2)] + [(dx, dy) for dx in (-2, 2) for dy in (-1, 1)]
    value, level = hl.Expr(m[x, y]), mean(ring)
    high, low = hl.Expr(m[x - 2, y]), hl.Expr(m[x - 2, y])
    for dx, dy in ring:
        high, low = hl.max(high, m[x + dx, y + dy]), hl.min(low, m[x + dx, y + dy])
    noise = hl.sqrt(hl.max(high, hl.f32(0.0)) * shot + read * read)
    excess = value - level
    spread = hl.abs(mean(beside) - mean(around))
    lone = spread < hl.abs(excess) * MOST_SPREAD + noise
    out_of_line = hl.max(value - high, low - value) > noise * LEAST_EXCESS + (high - low) * hl.f32(0.5)
    out = hl.Func("mended")
    out[x, y] = hl.select(lone & out_of_line, level, value)
    out.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    out.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return "mended", out, [mosaic, shot, read]


def levels(
    mosaic: NDArray[np.uint16],
    black: NDArray[np.float32],
    gain: NDArray[np.float32],
    *,
    columns: NDArray[np.float32] | None = None,
    rows: NDArray[np.float32] | None = None,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """(mosaic - black - columns - rows) * gain, with `black` and `gain` repeated over the mosaic.

    mosaic: (height, width) sensor counts. black, gain: the same (rows, columns), one period of the
    mosaic. columns, rows: (width,) and (height,) counts of a fixed pattern; none when not given.
    Values under black stay negative: noise must not be cut. Returns float32 (height, width).
    """
    mosaic = require("mosaic", mosaic, np.uint16, (None, None))
    black = require("black", black, np.float32, (None, None))
    gain = require("gain", gain, np.float32, black.shape)
    height, width = mosaic.shape
    columns = require("columns", np.zeros(width, np.float32) if columns is None else columns, np.float32, (width,))
    rows = require("rows", np.zeros(height, np.float32) if rows is None else rows, np.float32, (height,))
    result = output("out", out, np.float32, mosaic.shape)
    kernel("levels")(mosaic, black, gain, columns, rows, result)
    return result


def mended(
    balanced: NDArray[np.float32],
    *,
    shot: float,
    read: float,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Hot and dead photosites of a balanced 2x2 mosaic replaced by the mean of their colour around them.

    balanced: (height, width), at least 8x8. shot, read: the noise's variance is shot * value + read ** 2.
    """
    balanced = require("balanced", balanced, np.float32, (None, None))
    result = output("out", out, np.float32, balanced.shape)
    kernel("mended")(balanced, float(shot), float(read), result)
    return result
