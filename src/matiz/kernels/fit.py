"""Display-referred colours to an output space: what falls outside its gamut is drawn toward its own luminance."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel
from .rendition import AFTER_FIT, Curves, checked_curves, curved_expr


def fitted_expr(shown: list[Any], matrix: Any) -> list[Any]:
    """Output-linear channels 0..1 of display-linear ones in the working primaries, each an expression."""
    import halide as hl

    from .pipeline import luminance, row_product

    wanted = [row_product(matrix, row, shown) for row in range(3)]
    grey = luminance(*shown)
    over = hl.max(wanted[0], hl.max(wanted[1], wanted[2]))
    under = hl.min(wanted[0], hl.min(wanted[1], wanted[2]))
    keep = hl.min(
        hl.select(under < 0.0, grey / hl.max(grey - under, 1e-9), 1.0),
        hl.select(over > 1.0, (1.0 - grey) / hl.max(over - grey, 1e-9), 1.0),
    )
    return [hl.clamp(grey + (value - grey) * keep, 0.0, 1.0) for value in wanted]


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    shown, matrix, curves = image("shown", 3), table("matrix", 2), table("curves", 2)
    when = hl.Param(hl.Int(32), "when")
    channels = fitted_expr([shown[i, x, y] for i in range(3)], matrix)
    channels = curved_expr(channels, curves, when == AFTER_FIT)
    out = hl.Func("fitted")
    out[c, x, y] = hl.select(c == 0, channels[0], c == 1, channels[1], channels[2])
    schedule_pixels(out, c, x, y, 3)
    out.specialize(when != AFTER_FIT)
    return [("fitted", out, [shown, matrix, curves, when])]


def fitted(
    shown: NDArray[np.float32],
    matrix: NDArray[np.float32],
    curves: Curves | None = None,
    *,
    when: int = AFTER_FIT,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """The picture in an output space.

    shown: float32 (height, width, 3), display-linear Rec.2020. matrix: (3, 3) from linear Rec.2020 to the linear
    output space. curves, when: as for `rendition.rendered`; here only AFTER_FIT acts. Returns float32
    (height, width, 3), 0..1.
    """
    shown = require("shown", shown, np.float32, (None, None, 3))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    result = output("out", out, np.float32, shown.shape)
    kernel("fitted")(shown, matrix, *checked_curves(curves, when), result)
    return result
