"""How far the columns, or the rows, of a mosaic lie off those beside them: weighted sums in one pass."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel

SUMS = 5
"""How many photosites count, their weights, the weighted sums of their differences, of their signal, and of
the weighted differences squared."""
TILE, LANES = 256, 16
MOST_APART, MOST_OFF = 18.0, 600.0
"""In variances: the two beside may differ by three standard deviations of a difference of two; what lies
between them may be far off."""


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_columns(), _define_rows()]


def _inputs() -> tuple[Any, dict[str, Any]]:
    import halide as hl

    params: dict[str, Any] = {name: hl.Param(hl.Int(32), name) for name in ("period", "begin", "count")}
    params |= {name: hl.Param(hl.Float(32), name) for name in ("shot", "read", "black")}
    return hl.ImageParam(hl.UInt(16), 2, "mosaic"), params


def _terms(before: Any, here: Any, after: Any, params: dict[str, Any], counts: Any) -> list[Any]:
    """What one photosite adds to the SUMS; `counts` False for one beyond the end."""
    import halide as hl

    before, here, after = hl.f32(before), hl.f32(here), hl.f32(after)
    mean = 0.5 * (before + after)
    above = hl.max(mean - params["black"], 0.0)
    variance = params["shot"] * above + params["read"] * params["read"]
    off, apart = here - mean, before - after
    alike = counts & (apart * apart < MOST_APART * variance) & (off * off < MOST_OFF * variance)
    weight = hl.select(alike, 1.0 / variance, hl.f32(0.0))
    pull = weight * off
    return [hl.select(alike, hl.f32(1.0), hl.f32(0.0)), weight, pull, weight * above, pull * pull]


def _define_columns() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import VECTOR

    mosaic, params = _inputs()
    x, k, xo, xi = hl.Var("x"), hl.Var("k"), hl.Var("xo"), hl.Var("xi")
    period = params["period"]
    row = hl.RDom([(0, params["count"])], "row")
    sums = hl.Func("column_sums_of")
    sums[x] = tuple(hl.f32(0.0) for _ in range(SUMS))
    y = params["begin"] + row.x
    terms = _terms(mosaic[x, y], mosaic[x + period, y], mosaic[x + 2 * period, y], params, hl.Expr(True))
    sums[x] = tuple(sums[x][n] + term for n, term in enumerate(terms))
    out = hl.Func("column_sums")
    out[k, x] = hl.mux(k, [sums[x][n] for n in range(SUMS)])
    tail = hl.TailStrategy.GuardWithIf
    out.bound(k, 0, SUMS).split(x, xo, xi, TILE, tail).reorder(k, xi, xo).unroll(k).parallel(xo)
    sums.compute_at(out, xo).vectorize(x, VECTOR, tail)
    sums.update().reorder(x, row.x).vectorize(x, VECTOR, tail)
    return "column_sums", out, [mosaic, *params.values()]


def _define_rows() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK

    mosaic, params = _inputs()
    y, k, lane = hl.Var("y"), hl.Var("k"), hl.Var("lane")
    period, count = params["period"], params["count"]
    step = hl.RDom([(0, (count + LANES - 1) / LANES)], "step")
    sums = hl.Func("row_sums_of")
    sums[lane, y] = tuple(hl.f32(0.0) for _ in range(SUMS))
    n = step.x * LANES + lane
    x = params["begin"] + hl.min(n, count - 1)
    terms = _terms(mosaic[x, y], mosaic[x, y + period], mosaic[x, y + 2 * period], params, n < count)
    sums[lane, y] = tuple(sums[lane, y][i] + term for i, term in enumerate(terms))
    out = hl.Func("row_sums")

    def total(i: int) -> Any:
        value = sums[0, y][i]
        for other in range(1, LANES):
            value = value + sums[other, y][i]
        return value

    out[k, y] = hl.mux(k, [total(i) for i in range(SUMS)])
    out.bound(k, 0, SUMS).reorder(k, y).unroll(k).parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    sums.compute_at(out, y).bound(lane, 0, LANES).vectorize(lane, LANES)
    sums.update().vectorize(lane, LANES)
    return "row_sums", out, [mosaic, *params.values()]


def stripe_sums(
    mosaic: NDArray[np.uint16],
    period: int,
    part: tuple[int, int],
    *,
    columns: bool,
    shot: float,
    read: float,
    black: float,
) -> NDArray[np.float32]:
    """Each column (or row) against the mean of those of its colour on both sides, along a part of it.

    mosaic: uint16 (height, width). period: to the next of the same colour. part: begin and end along the column
    (or row). A photosite counts where the two beside it agree within the noise, variance = shot * signal +
    read ** 2 in counts, and weighs the reciprocal of that variance: the darks tell most. Returns float32
    (width - 2 * period, SUMS), or (height - 2 * period, SUMS): the first is that of column (or row) `period`.
    """
    mosaic = require("mosaic", mosaic, np.uint16, (None, None))
    height, width = mosaic.shape
    along, across = (height, width) if columns else (width, height)
    begin, end = part
    if not 0 <= begin < end <= along:
        raise ArgumentError(f"part: {part} does not lie within 0..{along}")
    if period < 1 or across <= 2 * period + 1:
        raise ArgumentError(f"period: {period} does not fit a mosaic of {width}x{height}")
    result = np.empty((across - 2 * period, SUMS), np.float32)
    kernel("column_sums" if columns else "row_sums")(mosaic, period, begin, end - begin, shot, read, black, result)
    return result
