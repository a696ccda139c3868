"""The sRGB encoding, IEC 61966-2-1, to 8 or 16 bit."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel


def encoded_expr(value: Any) -> Any:
    """Encoded 0..1 of a linear expression 0..1."""
    import halide as hl

    power = 1.055 * hl.fast_pow(hl.max(value, 1e-6), 1.0 / 2.4) - 0.055
    return hl.select(value <= 0.0031308, value * 12.92, power)


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_encode(8), _define_encode(16)]


def _define_encode(bits: int) -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    linear = image("linear", 3)
    out = hl.Func(f"encode_{bits}")
    value = encoded_expr(hl.clamp(linear[c, x, y], 0.0, 1.0)) * float(2**bits - 1) + 0.5
    out[c, x, y] = hl.cast(hl.UInt(bits), value)
    schedule_pixels(out, c, x, y, 3)
    return f"encode_{bits}", out, [linear]


def encode(linear: NDArray[np.float32], bits: int) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """sRGB encoding of float32 (height, width, 3), 0..1, to 8 or 16 bit."""
    if bits not in (8, 16):
        raise ArgumentError(f"bits: 8 or 16, got {bits}")
    linear = require("linear", linear, np.float32, (None, None, 3))
    result = np.empty(linear.shape, np.uint8 if bits == 8 else np.uint16)
    kernel(f"encode_{bits}")(linear, result)
    return result
