"""Layers of a picture by depth, for the blur of a lens: cut one out, and fill one in behind others."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from matiz.kernels.buffers import output, require

from . import kernel


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_cut(), _define_fill()]


def _define_cut() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from matiz.kernels.pipeline import image, schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    light = image("light", 3)
    place = hl.ImageParam(hl.Float(32), 2, "place")
    number = hl.Param(hl.Float(32), "number")
    share = hl.Func("share")
    share[x, y] = hl.max(hl.f32(1.0) - hl.abs(place[x, y] - number), hl.f32(0.0))
    out = hl.Func("cut_layer")
    out[c, x, y] = share[x, y] * hl.select(c < 3, light[hl.min(c, 2), x, y], hl.f32(1.0))
    schedule_pixels(out, c, x, y, 4)
    return "cut_layer", out, [light, place, number]


def _define_fill() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from matiz.kernels.pipeline import image, schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    before, layer = image("before", 4), image("layer", 4)
    share = hl.Func("share_left")
    share[x, y] = hl.min(layer[3, x, y], hl.f32(1.0) - before[3, x, y]) / hl.max(layer[3, x, y], hl.f32(1e-6))
    out = hl.Func("fill_behind")
    out[c, x, y] = before[c, x, y] + layer[c, x, y] * share[x, y]
    schedule_pixels(out, c, x, y, 4)
    return "fill_behind", out, [before, layer]


def cut_layer(light: NDArray[np.float32], place: NDArray[np.float32], number: float) -> NDArray[np.float32]:
    """What of `light` (height, width, 3) belongs to a layer, and its share as a fourth channel.

    place: (height, width), which layer each pixel lies in; between two it belongs to both in part.
    """
    light = require("light", light, np.float32, (None, None, 3))
    place = require("place", place, np.float32, light.shape[:2])
    result = np.empty((*place.shape, 4), np.float32)
    kernel("cut_layer")(light, place, float(number), result)
    return result


def fill_behind(
    before: NDArray[np.float32], layer: NDArray[np.float32], *, out: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """`layer` put where `before` leaves room; both (height, width, 4), the fourth channel being the share filled."""
    before = require("before", before, np.float32, (None, None, 4))
    layer = require("layer", layer, np.float32, before.shape)
    result = output("out", out, np.float32, before.shape)
    kernel("fill_behind")(before, layer, result)
    return result
