"""Tone in the scene: haze taken away, zones moved, local contrast changed, in one pass over the pixels.

What depends on the surroundings arrives as coefficients of guided filters on a coarse grid, so that a
region at any zoom needs nothing beyond its own pixels.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel
from .units import MIDDLE_GREY

GRID = 6
"""Channels of the grid: a and b of the transmission, of the middle base and of the broad base."""
LOWEST_EV, HIGHEST_EV, STEPS_PER_EV = -14.0, 10.0, 32
TABLE_SIZE = round((HIGHEST_EV - LOWEST_EV) * STEPS_PER_EV) + 1

MOST_DETAIL_EV = 3.0
"""Detail is compressed towards this, so that strong local contrast draws no rims around strong edges."""
LEAST_TRANSMISSION = 0.08


def table_EV() -> NDArray[np.float64]:
    """Luminance in EV from middle grey of each entry of the zone table."""
    return np.linspace(LOWEST_EV, HIGHEST_EV, TABLE_SIZE)


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_toned(), _define_log_luminance()]


def _log_luminance(colour: list[Any]) -> Any:
    """EV from middle grey."""
    import halide as hl

    from .pipeline import luminance

    return hl.fast_log(hl.max(luminance(*colour), hl.f32(1e-6)) / MIDDLE_GREY) * hl.f32(1.0 / np.log(2.0))


def _define_log_luminance() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR, image

    x, y = hl.Var("x"), hl.Var("y")
    working = image("working", 3)
    out = hl.Func("log_luminance")
    out[x, y] = _log_luminance([working[i, x, y] for i in range(3)])
    out.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf).parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return "log_luminance", out, [working]


def _define_toned() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, luminance, on_grid, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    working, grid, zones, air = image("working", 3), image("grid", GRID), table("zones"), table("air")
    fine = hl.ImageParam(hl.Float(32), 2, "fine")
    names = ("exposure", "haze", "fine_gain", "middle_gain", "broad_gain", "scale", "left", "top", "by_veil", "murk")
    params = {name: hl.Param(hl.Float(32), name) for name in names}

    around = on_grid(grid, x, y, params["scale"], params["left"], params["top"])
    hazy = [working[i, x, y] for i in range(3)]
    level = _log_luminance(hazy)
    veil = hl.clamp(hl.min(hl.min(hazy[0] / air[0], hazy[1] / air[1]), hazy[2] / air[2]), 0.0, 1.0)
    guide = hl.select(params["by_veil"] > 0.0, veil, level)
    through = hl.clamp(around(0) * guide + around(1), LEAST_TRANSMISSION, 1.0)
    cleared = hl.fast_exp(-params["haze"] * hl.fast_log(through))
    thick = params["haze"] != 0.0
    clear = [hl.select(thick, (v - air[i]) * cleared + air[i], v) for i, v in enumerate(hazy)]

    clear_level = _log_luminance(clear)
    middle, broad = around(2) * clear_level + around(3), around(4) * clear_level + around(5)
    position = hl.clamp((middle + params["exposure"] - LOWEST_EV) * STEPS_PER_EV, 0.0, float(TABLE_SIZE - 1))
    entry = hl.clamp(hl.i32(position), 0, TABLE_SIZE - 2)
    moved = hl.lerp(zones[entry], zones[entry + 1], position - hl.f32(entry))

    def held(detail: Any) -> Any:
        return detail / (hl.f32(1.0) + hl.abs(detail) * hl.f32(1.0 / MOST_DETAIL_EV))

    # what is lifted out of the murk leaves there the colour that is noise more than light
    bright = luminance(*clear)
    murk = params["murk"] * params["murk"]
    sure = bright * bright / (bright * bright + murk + hl.f32(1e-12))
    lifted = hl.f32(1.0) - hl.fast_exp(hl.max(moved, 0.0) * hl.f32(-np.log(2.0)))
    kept = hl.f32(1.0) - lifted * (hl.f32(1.0) - sure)
    # the fine base is that of the picture as it came, with its haze
    moved += params["fine_gain"] * held(level - fine[x, y])
    moved += params["middle_gain"] * held(clear_level - middle)
    moved += params["broad_gain"] * held(middle - broad)
    gain = hl.Func("scene_gain")
    gain[x, y] = hl.fast_exp(moved * hl.f32(np.log(2.0)))
    parts = [hl.Func(f"clear_{i}") for i in range(3)]
    for func, value in zip(parts, clear, strict=True):
        func[x, y] = hl.lerp(bright, value, kept)
    out = hl.Func("scene_toned")
    chosen = hl.select(c == 0, hl.Expr(parts[0][x, y]), c == 1, hl.Expr(parts[1][x, y]), hl.Expr(parts[2][x, y]))
    out[c, x, y] = chosen * gain[x, y]
    schedule_pixels(out, c, x, y, 3)
    return "scene_toned", out, [working, grid, zones, air, fine, *params.values()]


def log_luminance(working: NDArray[np.float32]) -> NDArray[np.float32]:
    """Luminance in EV from middle grey, float32 (height, width), of scene-linear Rec.2020 (height, width, 3)."""
    working = require("working", working, np.float32, (None, None, 3))
    result = np.empty(working.shape[:2], np.float32)
    kernel("log_luminance")(working, result)
    return result


def scene_toned(
    working: NDArray[np.float32],
    grid: NDArray[np.float32],
    zones: NDArray[np.float32],
    air: NDArray[np.float32],
    *,
    exposure_EV: float,
    haze: float = 0.0,
    fine: NDArray[np.float32] | None = None,
    gains: tuple[float, float, float] = (0.0, 0.0, 0.0),
    scale: float,
    corner: tuple[float, float],
    by_veil: bool = True,
    murk: float = 0.0,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """A picture with haze, zones and local contrast changed.

    working: float32 (height, width, 3), scene-linear Rec.2020. grid: (rows, columns, GRID), see GRID; a pixel
    is `scale` of its steps, and the first pixel's corner lies at `corner` (x, y) on it. zones: (TABLE_SIZE,)
    offsets in EV at `table_EV()`. air: (3,) colour of haze too thick to see through; by_veil: whether
    the transmission goes by the least of a pixel's values over the air's, or by log luminance. haze: the power of the
    transmission that is taken away, 1 for all of it, negative to add. fine: (height, width) log luminance
    smoothed at the fine radius, wanted when its gain is not 0. murk: luminance at which half of a colour is noise: what
    zones lift loses chroma by it, at the same luminance. gains: what is added of the fine, middle and
    broad detail, 0 for none. Returns float32 (height, width, 3).
    """
    working = require("working", working, np.float32, (None, None, 3))
    grid = require("grid", grid, np.float32, (None, None, GRID))
    zones, air = require("zones", zones, np.float32, (TABLE_SIZE,)), require("air", air, np.float32, (3,))
    fine = np.zeros(working.shape[:2], np.float32) if fine is None else fine
    fine = require("fine", fine, np.float32, working.shape[:2])
    result = output("out", out, np.float32, working.shape)
    numbers = (exposure_EV, haze, *gains, scale, *corner, 1.0 if by_veil else 0.0, murk)
    kernel("scene_toned")(working, grid, zones, air, fine, *(float(n) for n in numbers), result)
    return result
