"""2x2 mosaics to three channels: gradient-corrected linear interpolation, and the half-size path.

References: Malvar, He, Cutler 2004, "High-quality linear interpolation for demosaicing of
Bayer-patterned color images".
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import output, require
from .loader import kernel

MARGIN_PX = 2
"""How far the interpolation looks around a pixel."""


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_full(), _define_half()]


def _define_full() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.Float(32), 2, "mosaic")
    red_x, red_y = hl.Param(hl.Int(32), "red_x"), hl.Param(hl.Int(32), "red_y")
    scale = table("scale")

    # mirrored without repeating the border, so that the colour of a place is kept
    m = hl.BoundaryConditions.mirror_interior(mosaic)

    def cross(dx: int, dy: int) -> Any:
        return m[x + dx, y] + m[x - dx, y] if dy == 0 else m[x, y + dy] + m[x, y - dy]

    here = m[x, y]
    near_h, near_v = cross(1, 0), cross(0, 1)
    far_h, far_v = cross(2, 0), cross(0, 2)
    corners = m[x - 1, y - 1] + m[x + 1, y - 1] + m[x - 1, y + 1] + m[x + 1, y + 1]

    green = (4.0 * here + 2.0 * (near_h + near_v) - far_h - far_v) / 8.0
    along = (5.0 * here + 4.0 * near_h + 0.5 * far_v - far_h - corners) / 8.0
    across = (5.0 * here + 4.0 * near_v + 0.5 * far_h - far_v - corners) / 8.0
    diagonal = (6.0 * here + 2.0 * corners - 1.5 * (far_h + far_v)) / 8.0

    odd_x, odd_y = ((x - red_x) % 2) != 0, ((y - red_y) % 2) != 0
    at_red, at_blue = ~odd_x & ~odd_y, odd_x & odd_y
    in_red_row = odd_x & ~odd_y
    red = hl.select(at_red, here, at_blue, diagonal, in_red_row, along, across)
    blue = hl.select(at_blue, here, at_red, diagonal, in_red_row, across, along)
    out = hl.Func("demosaic")
    value = hl.select(c == 0, red, c == 1, hl.select(at_red | at_blue, green, here), blue)
    out[c, x, y] = value * scale[c]
    schedule_pixels(out, c, x, y, 3)
    return "demosaic", out, [mosaic, red_x, red_y, scale]


def _define_half() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.UInt(16), 2, "mosaic")
    black, gain = table("black", 2), table("gain", 2)
    red_x, red_y = hl.Param(hl.Int(32), "red_x"), hl.Param(hl.Int(32), "red_y")

    def at(column: Any, row: Any) -> Any:
        return (hl.f32(mosaic[2 * x + column, 2 * y + row]) - black[column, row]) * gain[column, row]

    red = at(red_x, red_y)
    green = (at(1 - red_x, red_y) + at(red_x, 1 - red_y)) * 0.5
    blue = at(1 - red_x, 1 - red_y)
    out = hl.Func("demosaic_half")
    out[c, x, y] = hl.select(c == 0, red, c == 1, green, blue)
    schedule_pixels(out, c, x, y, 3)
    return "demosaic_half", out, [mosaic, black, gain, red_x, red_y]


def demosaic(
    mosaic: NDArray[np.float32],
    red: tuple[int, int],
    scale: NDArray[np.float32],
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Three channels at every pixel of a 2x2 mosaic.

    mosaic: float32 (height, width), balanced so that grey gives equal values (the method assumes
    equal gradients), at least 4x4. red: (row, column) of red, 0 or 1. scale: (3,) factors put on
    the result, to take the balance back. Returns float32 (height, width, 3).
    """
    mosaic = require("mosaic", mosaic, np.float32, (None, None))
    if min(mosaic.shape) < 4:
        raise ArgumentError(f"mosaic: at least 4x4 pixels are needed, got {mosaic.shape}")
    scale = require("scale", scale, np.float32, (3,))
    row, column = _check_red(red)
    result = output("out", out, np.float32, (*mosaic.shape, 3))
    kernel("demosaic")(mosaic, column, row, scale, result)
    return result


def demosaic_half(
    mosaic: NDArray[np.uint16],
    black: NDArray[np.float32],
    gain: NDArray[np.float32],
    red: tuple[int, int],
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Half-size picture straight from sensor counts: one pixel from each 2x2 cell.

    mosaic: uint16 (height, width). black, gain: (2, 2). red: (row, column) of red.
    Returns float32 (height // 2, width // 2, 3).
    """
    mosaic = require("mosaic", mosaic, np.uint16, (None, None))
    black = require("black", black, np.float32, (2, 2))
    gain = require("gain", gain, np.float32, (2, 2))
    row, column = _check_red(red)
    height, width = mosaic.shape
    result = output("out", out, np.float32, (height // 2, width // 2, 3))
    kernel("demosaic_half")(mosaic, black, gain, column, row, result)
    return result


def _check_red(red: tuple[int, int]) -> tuple[int, int]:
    if red[0] not in (0, 1) or red[1] not in (0, 1):
        raise ArgumentError(f"red: (row, column) must each be 0 or 1, got {red}")
    return red
