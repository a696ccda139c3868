"""Scene to display: exposure, then rendition and curve as one table, then the curves of single channels.

The table is applied to the largest and the smallest channel, and the one between keeps its proportion, so that hue
stays (a common construction for tone curves, documented in the DNG specification's reference renderer). What comes out
is in the working primaries, and may lie outside any output gamut.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel
from .units import MIDDLE_GREY

TABLE_SIZE = 4131
"""Entries at t = x / (x + middle grey): dense in the darks, open towards the brightest light. With 4131,
middle grey and diffuse white fall on entries, so that a kink at white stays exact."""
CURVE_SIZE = 4096
"""Entries of a channel's curve, evenly by the square root of the display-linear value: dense in the darks."""
NO_CURVES, BEFORE_FIT, AFTER_FIT = 0, 1, 2
"""Where the curves of single channels act."""

Curves = NDArray[np.float32]


def table_positions() -> NDArray[np.float64]:
    """Scene-linear value of each table entry, (TABLE_SIZE,); the last stands for infinity."""
    t = np.linspace(0.0, 1.0, TABLE_SIZE)
    t[-1] = 1.0 - 1e-9
    return MIDDLE_GREY * t / (1.0 - t)


def curve_positions() -> NDArray[np.float64]:
    """Display-linear value of each entry of a channel's curve, (CURVE_SIZE,)."""
    return np.linspace(0.0, 1.0, CURVE_SIZE) ** 2


def rendered_expr(scene: list[Any], table: Any) -> list[Any]:
    """Display-linear channels of scene-linear ones, each an expression."""
    import halide as hl

    scene = [hl.max(value, 0.0) for value in scene]
    high = hl.max(scene[0], hl.max(scene[1], scene[2]))
    low = hl.min(scene[0], hl.min(scene[1], scene[2]))

    def looked_up(value: Any) -> Any:
        position = value / (value + MIDDLE_GREY) * float(TABLE_SIZE - 1)
        index = hl.clamp(hl.i32(position), 0, TABLE_SIZE - 2)
        return hl.lerp(table[index], table[index + 1], position - hl.f32(index))

    low_out, high_out = looked_up(low), looked_up(high)
    slope = (high_out - low_out) / hl.max(high - low, 1e-9)
    return [low_out + (value - low) * slope for value in scene]


def curved_expr(channels: list[Any], curves: Any, on: Any) -> list[Any]:
    """Display-linear channels, each through its own curve where `on` is true; curves[entry, channel]."""
    import halide as hl

    out = []
    for channel, value in enumerate(channels):
        position = hl.sqrt(hl.clamp(value, 0.0, 1.0)) * float(CURVE_SIZE - 1)
        index = hl.clamp(hl.i32(position), 0, CURVE_SIZE - 2)
        bent = hl.lerp(curves[index, channel], curves[index + 1, channel], position - hl.f32(index))
        out.append(hl.select(on, bent, value))
    return out


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    working, curve, curves = image("working", 3), table("curve"), table("curves", 2)
    gain, when = hl.Param(hl.Float(32), "gain"), hl.Param(hl.Int(32), "when")
    shown = rendered_expr([working[i, x, y] * gain for i in range(3)], curve)
    shown = curved_expr(shown, curves, when == BEFORE_FIT)
    out = hl.Func("rendered")
    out[c, x, y] = hl.select(c == 0, shown[0], c == 1, shown[1], shown[2])
    schedule_pixels(out, c, x, y, 3)
    out.specialize(when != BEFORE_FIT)
    return [("rendered", out, [working, curve, curves, gain, when])]


def rendered(
    working: NDArray[np.float32],
    curve: NDArray[np.float32],
    curves: Curves | None,
    gain: float,
    *,
    when: int = BEFORE_FIT,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """The display-referred picture in the working primaries.

    working: float32 (height, width, 3), scene-linear Rec.2020. curve: (TABLE_SIZE,) display-linear values at
    `table_positions()`. curves: (3, CURVE_SIZE) those of single channels at `curve_positions()`, or None. gain:
    factor of exposure. when: where single channels' curves act; here only BEFORE_FIT does. Returns float32
    (height, width, 3), display-linear Rec.2020, 0..1.
    """
    working = require("working", working, np.float32, (None, None, 3))
    curve = require("curve", curve, np.float32, (TABLE_SIZE,))
    result = output("out", out, np.float32, working.shape)
    bends, where = checked_curves(curves, when)
    kernel("rendered")(working, curve, bends, float(gain), where, result)
    return result


def checked_curves(curves: Curves | None, when: int) -> tuple[Curves, int]:
    """The curves as the pipelines take them, and where they act: nowhere when there are none."""
    if curves is None:
        return _STRAIGHT, NO_CURVES
    return require("curves", curves, np.float32, (3, CURVE_SIZE)), int(when)


_STRAIGHT = np.tile(curve_positions().astype(np.float32), (3, 1))
