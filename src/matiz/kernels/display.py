"""Scene to display in one pass: exposure, rendition and curve, output space, encoding.

The rendition and the curve arrive as one table. It is applied to the largest and the smallest
channel, and the one between keeps its proportion, so that hue stays (a common construction for
tone curves, documented in the DNG specification's reference renderer). What falls outside the
output gamut is drawn toward its own luminance.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import output, require
from .loader import kernel

PIVOT = 0.18
TABLE_SIZE = 4131
"""Entries at t = x / (x + PIVOT): dense in the darks, open towards the brightest light. With 4131,
middle grey and diffuse white fall on entries, so that a kink at white stays exact."""


def table_positions() -> NDArray[np.float64]:
    """Scene-linear value of each table entry, (TABLE_SIZE,); the last stands for infinity."""
    t = np.linspace(0.0, 1.0, TABLE_SIZE)
    t[-1] = 1.0 - 1e-9
    return PIVOT * t / (1.0 - t)


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_screen(), _define_linear(), _define_encode(8), _define_encode(16)]


def _rendered() -> tuple[list[Any], list[Any], tuple[Any, Any, Any]]:
    """The three display-linear channels of the output space, and the inputs they need."""
    import halide as hl

    from .pipeline import image, luminance, row_product, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    working, curve, matrix = image("working", 3), table("curve"), table("matrix", 2)
    gain = hl.Param(hl.Float(32), "gain")

    scene = [hl.max(working[i, x, y] * gain, 0.0) for i in range(3)]
    high = hl.max(scene[0], hl.max(scene[1], scene[2]))
    low = hl.min(scene[0], hl.min(scene[1], scene[2]))

    def looked_up(value: Any) -> Any:
        position = value / (value + PIVOT) * float(TABLE_SIZE - 1)
        index = hl.clamp(hl.i32(position), 0, TABLE_SIZE - 2)
        return hl.lerp(curve[index], curve[index + 1], position - hl.f32(index))

    low_out, high_out = looked_up(low), looked_up(high)
    slope = (high_out - low_out) / hl.max(high - low, 1e-9)
    toned = [low_out + (value - low) * slope for value in scene]
    shown = [row_product(matrix, row, toned) for row in range(3)]
    grey = luminance(*toned)
    over = hl.max(shown[0], hl.max(shown[1], shown[2]))
    under = hl.min(shown[0], hl.min(shown[1], shown[2]))
    keep = hl.min(
        hl.select(under < 0.0, grey / hl.max(grey - under, 1e-9), 1.0),
        hl.select(over > 1.0, (1.0 - grey) / hl.max(over - grey, 1e-9), 1.0),
    )
    fitted = [hl.clamp(grey + (value - grey) * keep, 0.0, 1.0) for value in shown]
    return fitted, [working, curve, matrix, gain], (c, x, y)


def _encoded(value: Any) -> Any:
    """sRGB encoding, IEC 61966-2-1."""
    import halide as hl

    power = 1.055 * hl.fast_pow(hl.max(value, 1e-6), 1.0 / 2.4) - 0.055
    return hl.select(value <= 0.0031308, value * 12.92, power)


def _define_screen() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import schedule_pixels

    fitted, inputs, (c, x, y) = _rendered()
    funcs = [hl.Func(f"screen_{i}") for i in range(3)]
    for func, value in zip(funcs, fitted, strict=True):
        func[x, y] = hl.u8(_encoded(value) * 255.0 + 0.5)
    red, green, blue = (func[x, y] for func in funcs)
    out = hl.Func("display_screen")
    out[c, x, y] = hl.select(c == 0, blue, c == 1, green, c == 2, red, hl.u8(255))
    schedule_pixels(out, c, x, y, 4)
    return "display_screen", out, inputs


def _define_linear() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import schedule_pixels

    fitted, inputs, (c, x, y) = _rendered()
    out = hl.Func("display_linear")
    out[c, x, y] = hl.select(c == 0, fitted[0], c == 1, fitted[1], fitted[2])
    schedule_pixels(out, c, x, y, 3)
    return "display_linear", out, inputs


def _define_encode(bits: int) -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    linear = image("linear", 3)
    out = hl.Func(f"encode_{bits}")
    value = _encoded(hl.clamp(linear[c, x, y], 0.0, 1.0)) * float(2**bits - 1) + 0.5
    out[c, x, y] = hl.cast(hl.UInt(bits), value)
    schedule_pixels(out, c, x, y, 3)
    return f"encode_{bits}", out, [linear]


def display_screen(
    working: NDArray[np.float32],
    curve: NDArray[np.float32],
    matrix: NDArray[np.float32],
    gain: float,
    *,
    out: NDArray[np.uint8] | None = None,
) -> NDArray[np.uint8]:
    """The picture for the screen.

    working: float32 (height, width, 3), scene-linear Rec.2020. curve: (TABLE_SIZE,) display-linear
    values at `table_positions()`. matrix: (3, 3) from linear Rec.2020 to the linear output space.
    gain: factor of exposure. Returns uint8 (height, width, 4), blue, green, red, 255, sRGB-encoded.
    """
    working, curve, matrix = _check(working, curve, matrix)
    result = output("out", out, np.uint8, (*working.shape[:2], 4))
    kernel("display_screen")(working, curve, matrix, float(gain), result)
    return result


def display_linear(
    working: NDArray[np.float32],
    curve: NDArray[np.float32],
    matrix: NDArray[np.float32],
    gain: float,
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """The same picture before encoding: float32 (height, width, 3), red first, 0..1."""
    working, curve, matrix = _check(working, curve, matrix)
    result = output("out", out, np.float32, working.shape)
    kernel("display_linear")(working, curve, matrix, float(gain), result)
    return result


def encode(linear: NDArray[np.float32], bits: int) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """sRGB encoding of float32 (height, width, 3), 0..1, to 8 or 16 bit."""
    if bits not in (8, 16):
        raise ArgumentError(f"bits: 8 or 16, got {bits}")
    linear = require("linear", linear, np.float32, (None, None, 3))
    result = np.empty(linear.shape, np.uint8 if bits == 8 else np.uint16)
    kernel(f"encode_{bits}")(linear, result)
    return result


def _check(working: Any, curve: Any, matrix: Any) -> tuple[Any, Any, Any]:
    return (
        require("working", working, np.float32, (None, None, 3)),
        require("curve", curve, np.float32, (TABLE_SIZE,)),
        require("matrix", matrix, np.float32, (3, 3)),
    )
