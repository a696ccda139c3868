"""Tone in the scene: haze taken away, zones moved, local contrast changed, in one pass over the pixels.

What depends on the surroundings arrives as coefficients of guided filters on a coarse grid, so that a
region at any zoom needs nothing beyond its own pixels.
"""

from collections.abc import Callable
from dataclasses import dataclass
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


PARAMS = ("exposure", "haze", "fine_gain", "middle_gain", "broad_gain", "scale", "left", "top", "by_veil", "murk")
"""Numbers that the pipelines take after their images."""


@dataclass(frozen=True)
class ToneTables:
    """What decides the scene of a px: images and tables that a pipeline takes, and how much of each change is made
    there, which may be more than what its numbers say."""

    images: list[Any]
    """working, grid, zones, air, fine."""
    params: dict[str, Any]
    haze: Any
    gains: tuple[Any, Any, Any]


def toned_expr(
    x: Any, y: Any, of: ToneTables, more_EV: Callable[[Any, Any], Any] | None = None
) -> tuple[list[Any], Any]:
    """What is clear of haze, channel by channel, and its gain in stops. more_EV: what else is added, by the
    place in the zone table, an entry and how far the next is."""
    import halide as hl

    from .pipeline import luminance, on_grid

    params, (working, grid, zones, air, fine) = of.params, of.images
    around = on_grid(grid, x, y, params["scale"], params["left"], params["top"])
    hazy = [working[i, x, y] for i in range(3)]
    level = _log_luminance(hazy)
    veil = hl.clamp(hl.min(hl.min(hazy[0] / air[0], hazy[1] / air[1]), hazy[2] / air[2]), 0.0, 1.0)
    guide = hl.select(params["by_veil"] > 0.0, veil, level)
    through = hl.clamp(around(0) * guide + around(1), LEAST_TRANSMISSION, 1.0)
    cleared = hl.fast_exp(-of.haze * hl.fast_log(through))
    thick = of.haze != 0.0
    clear = [hl.select(thick, (v - air[i]) * cleared + air[i], v) for i, v in enumerate(hazy)]

    clear_level = _log_luminance(clear)
    middle, broad = around(2) * clear_level + around(3), around(4) * clear_level + around(5)
    position = hl.clamp((middle + params["exposure"] - LOWEST_EV) * STEPS_PER_EV, 0.0, float(TABLE_SIZE - 1))
    entry = hl.clamp(hl.i32(position), 0, TABLE_SIZE - 2)
    beyond = position - hl.f32(entry)
    moved = hl.lerp(zones[entry], zones[entry + 1], beyond)
    if more_EV is not None:
        moved = moved + more_EV(entry, beyond)

    def held(detail: Any) -> Any:
        return detail / (hl.f32(1.0) + hl.abs(detail) * hl.f32(1.0 / MOST_DETAIL_EV))

    # what is lifted out of the murk leaves there the colour that is noise more than light
    bright = luminance(*clear)
    murk = params["murk"] * params["murk"]
    sure = bright * bright / (bright * bright + murk + hl.f32(1e-12))
    lifted = hl.f32(1.0) - hl.fast_exp(hl.max(moved, 0.0) * hl.f32(-np.log(2.0)))
    kept = hl.f32(1.0) - lifted * (hl.f32(1.0) - sure)
    # the fine base is that of the picture as it came, with its haze
    moved += of.gains[0] * held(level - fine[x, y])
    moved += of.gains[1] * held(clear_level - middle)
    moved += of.gains[2] * held(middle - broad)
    return [hl.lerp(bright, value, kept) for value in clear], moved


def toning_inputs() -> tuple[list[Any], dict[str, Any]]:
    """Images, tables and numbers that a pipeline of toning takes: working, grid, zones, air, fine, then PARAMS."""
    import halide as hl

    from .pipeline import image, table

    fine = hl.ImageParam(hl.Float(32), 2, "fine")
    images = [image("working", 3), image("grid", GRID), table("zones"), table("air"), fine]
    return images, {name: hl.Param(hl.Float(32), name) for name in PARAMS}


def _define_toned() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    images, params = toning_inputs()
    gains = params["fine_gain"], params["middle_gain"], params["broad_gain"]
    clear, moved = toned_expr(x, y, ToneTables(images, params, params["haze"], gains))
    gain = hl.Func("scene_gain")
    gain[x, y] = hl.fast_exp(moved * hl.f32(np.log(2.0)))
    parts = [hl.Func(f"clear_{i}") for i in range(3)]
    for func, value in zip(parts, clear, strict=True):
        func[x, y] = value
    out = hl.Func("scene_toned")
    chosen = hl.select(c == 0, hl.Expr(parts[0][x, y]), c == 1, hl.Expr(parts[1][x, y]), hl.Expr(parts[2][x, y]))
    out[c, x, y] = chosen * gain[x, y]
    schedule_pixels(out, c, x, y, 3)
    return "scene_toned", out, [*images, *params.values()]


def log_luminance(working: NDArray[np.float32]) -> NDArray[np.float32]:
    """Luminance in EV from middle grey, float32 (height, width), of scene-linear Rec.2020 (height, width, 3)."""
    working = require("working", working, np.float32, (None, None, 3))
    result = np.empty(working.shape[:2], np.float32)
    kernel("log_luminance")(working, result)
    return result


@dataclass(frozen=True, eq=False)
class SceneTone:
    """How a picture is toned.

    grid: (rows, columns, GRID), see GRID; a pixel is `scale` of its steps, and the first pixel's corner lies at
    `corner` (x, y) on it. zones: (TABLE_SIZE,) offsets in EV at `table_EV()`. air: (3,) colour of haze too thick to see
    through; by_veil: whether the transmission goes by the least of a pixel's values over the air's, or by log
    luminance. haze: the power of the transmission that is taken away, 1 for all of it, negative to add. fine: (height,
    width) log luminance smoothed at the fine radius, wanted when its gain is not 0. murk: luminance at which half of a
    colour is noise: what zones lift loses chroma by it, at the same luminance. gains: what is added of the fine, middle
    and broad detail, 0 for none.
    """

    grid: NDArray[np.float32]
    zones: NDArray[np.float32]
    air: NDArray[np.float32]
    exposure_EV: float
    scale: float
    corner: tuple[float, float]
    haze: float = 0.0
    fine: NDArray[np.float32] | None = None
    gains: tuple[float, float, float] = (0.0, 0.0, 0.0)
    by_veil: bool = True
    murk: float = 0.0

    def given(self, working: Any) -> tuple[Any, ...]:
        """What a pipeline of toning takes for a picture, in its order; checked."""
        working = require("working", working, np.float32, (None, None, 3))
        grid = require("grid", self.grid, np.float32, (None, None, GRID))
        zones, air = (
            require("zones", self.zones, np.float32, (TABLE_SIZE,)), require("air", self.air, np.float32, (3,)),
        )  # fmt: skip
        fine = np.zeros(working.shape[:2], np.float32) if self.fine is None else self.fine
        fine = require("fine", fine, np.float32, working.shape[:2])
        numbers = (
            self.exposure_EV, self.haze, *self.gains, self.scale, *self.corner, 1.0 if self.by_veil else 0.0, self.murk,
        )  # fmt: skip
        return working, grid, zones, air, fine, *(float(n) for n in numbers)


def scene_toned(
    working: NDArray[np.float32], how: SceneTone, *, out: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """A picture (height, width, 3), scene-linear Rec.2020, with haze, zones and local contrast changed. float32."""
    given = how.given(working)
    result = output("out", out, np.float32, given[0].shape)
    kernel("scene_toned")(*given, result)
    return result
