"""Scene to screen in one pass: the same expressions as rendition, fit and encoding one after the other."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .encoding import encoded_expr
from .fit import fitted_expr
from .loader import kernel
from .rendition import AFTER_FIT, BEFORE_FIT, NO_CURVES, TABLE_SIZE, Curves, checked_curves, curved_expr, rendered_expr


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_screen(), _define_coded()]


def _define_screen() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, table

    x, y = hl.Var("x"), hl.Var("y")
    working, curve, curves, matrix = image("working", 3), table("curve"), table("curves", 2), table("matrix", 2)
    gain, when = hl.Param(hl.Float(32), "gain"), hl.Param(hl.Int(32), "when")
    shown = rendered_expr([working[i, x, y] * gain for i in range(3)], curve)
    shown = curved_expr(shown, curves, when == BEFORE_FIT)
    shown = curved_expr(fitted_expr(shown, matrix), curves, when == AFTER_FIT)
    out = codes("screen", shown, x, y)
    out.specialize(when == NO_CURVES)
    out.specialize(when == BEFORE_FIT)
    return "screen", out, [working, curve, curves, matrix, gain, when]


def _define_coded() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, table

    x, y = hl.Var("x"), hl.Var("y")
    shown, curves, matrix = image("shown", 3), table("curves", 2), table("matrix", 2)
    when = hl.Param(hl.Int(32), "when")
    fitted = curved_expr(fitted_expr([shown[i, x, y] for i in range(3)], matrix), curves, when == AFTER_FIT)
    out = codes("coded", fitted, x, y)
    out.specialize(when != AFTER_FIT)
    return "coded", out, [shown, curves, matrix, when]


def codes(name: str, fitted: list[Any], x: Any, y: Any) -> Any:
    """The pipeline of blue, green, red, 255 of output-linear channels."""
    import halide as hl

    from .pipeline import schedule_pixels

    c = hl.Var("c")
    funcs = [hl.Func(f"{name}_{i}") for i in range(3)]
    for func, value in zip(funcs, fitted, strict=True):
        func[x, y] = hl.u8(encoded_expr(value) * 255.0 + 0.5)
    red, green, blue = (func[x, y] for func in funcs)
    out = hl.Func(name)
    out[c, x, y] = hl.select(c == 0, blue, c == 1, green, c == 2, red, hl.u8(255))
    schedule_pixels(out, c, x, y, 4)
    return out


def screen(
    working: NDArray[np.float32],
    curve: NDArray[np.float32],
    matrix: NDArray[np.float32],
    gain: float,
    *,
    curves: Curves | None = None,
    when: int = BEFORE_FIT,
    out: NDArray[np.uint8] | None = None,
) -> NDArray[np.uint8]:
    """The picture for the screen.

    working, curve, curves, gain, when: as for `rendition.rendered`, and `fit.fitted` for curves AFTER_FIT. matrix:
    (3, 3) from linear Rec.2020 to linear sRGB. Returns uint8 (height, width, 4), blue, green, red, 255, sRGB-encoded.
    """
    working = require("working", working, np.float32, (None, None, 3))
    curve = require("curve", curve, np.float32, (TABLE_SIZE,))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    result = output("out", out, np.uint8, (*working.shape[:2], 4))
    bends, where = checked_curves(curves, when)
    kernel("screen")(working, curve, bends, matrix, float(gain), where, result)
    return result


def coded(
    shown: NDArray[np.float32], matrix: NDArray[np.float32], *, curves: Curves | None = None, when: int = BEFORE_FIT
) -> NDArray[np.uint8]:
    """The same of what is shown already, display-linear Rec.2020 (height, width, 3): fit and encoding alone."""
    shown = require("shown", shown, np.float32, (None, None, 3))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    result = np.empty((*shown.shape[:2], 4), np.uint8)
    bends, where = checked_curves(curves, when)
    kernel("coded")(shown, bends, matrix, where, result)
    return result
