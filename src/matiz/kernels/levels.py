"""Sensor counts to balanced values: subtract black, scale, per place in the mosaic."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR, table

    x, y = hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.UInt(16), 2, "mosaic")
    black, gain = table("black", 2), table("gain", 2)
    out = hl.Func("levels")
    column, row = x % black.dim(0).extent(), y % black.dim(1).extent()
    out[x, y] = (hl.f32(mosaic[x, y]) - black[column, row]) * gain[column, row]
    out.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    out.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return [("levels", out, [mosaic, black, gain])]


def levels(
    mosaic: NDArray[np.uint16],
    black: NDArray[np.float32],
    gain: NDArray[np.float32],
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """(mosaic - black) * gain, with `black` and `gain` repeated over the mosaic.

    mosaic: (height, width) sensor counts. black, gain: the same (rows, columns), one period of the
    mosaic. Values under black stay negative: noise must not be cut. Returns float32 (height, width).
    """
    mosaic = require("mosaic", mosaic, np.uint16, (None, None))
    black = require("black", black, np.float32, (None, None))
    gain = require("gain", gain, np.float32, black.shape)
    result = output("out", out, np.float32, mosaic.shape)
    kernel("levels")(mosaic, black, gain, result)
    return result
