"""The scene part of all places in one pass over the pixels: what each adds, times its mask, is summed and then made."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel
from .tone import TABLE_SIZE, SceneTone, ToneTables, toned_expr, toning_inputs

LIGHT_CHANGES = ("stops", "chroma")
"""What a place changes by itself: exposure in stops, and chroma as a share that is added."""
CHANGES = (*LIGHT_CHANGES, "haze", "fine", "middle", "broad")
"""And of its tone: the power of the haze's transmission and gains of local contrast that are added."""
LEAST_LIGHT = 0.02
"""Of a channel: what is divided by is held to it."""


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_placed(), _define_scene_placed()]


@dataclass(frozen=True)
class Owned:
    """Inputs of a pipeline: a table, whose places its rows are, and how many there are."""

    table: Any
    owner: Any
    count: Any

    @classmethod
    def inputs(cls, name: str) -> "Owned":
        import halide as hl

        owner, count = hl.ImageParam(hl.Int(32), 1, f"{name}_owner"), hl.Param(hl.Int(32), f"{name}_count")
        return cls(hl.ImageParam(hl.Float(32), 2, name), owner, count)

    def given(self) -> list[Any]:
        return [self.table, self.owner, self.count]

    def domain(self, x: Any, y: Any, masks: Any) -> tuple[Any, Any]:
        """The domain of its rows, and the mask of each at a px."""
        import halide as hl

        row = hl.RDom([(0, self.count)])
        return row, masks[x, y, hl.clamp(self.owner[row.x], 0, masks.dim(2).extent() - 1)]


def sums_expr(x: Any, y: Any, masks: Any, changes: Owned, columns: int) -> tuple[list[Any], Any]:
    """What all places add at a px, change by change, as functions, and the domain of the places."""
    import halide as hl

    row, mask = changes.domain(x, y, masks)
    sums = [hl.Func(f"change_{columns}_{n}") for n in range(columns)]
    for n, func in enumerate(sums):
        func[x, y] = hl.f32(0.0)
        func[x, y] += mask * changes.table[n, row.x]
    return sums, row


def _lights(x: Any, y: Any, masks: Any, lights: Owned) -> tuple[list[Any], Any]:
    """The light of all places, channel by channel, as functions: where a mask is its share, each makes a mixture of
    its light with the one of the whole."""
    import halide as hl

    row, mask = lights.domain(x, y, masks)
    mixtures = [hl.Func(f"mixture_{n}") for n in range(3)]
    for n, func in enumerate(mixtures):
        func[x, y] = hl.f32(1.0)
        func[x, y] *= hl.f32(1.0) + mask * lights.table[n, row.x]
    return mixtures, row


def _lit(x: Any, y: Any, pixels: list[Any], sums: list[Any], mixtures: list[Any]) -> list[Any]:
    """Exposure and light, then chroma about what they left."""
    import halide as hl

    from .pipeline import luminance

    gain = hl.fast_exp(sums[0][x, y] * hl.f32(np.log(2.0)))
    gained = [value * gain / hl.max(light[x, y], LEAST_LIGHT) for value, light in zip(pixels, mixtures, strict=True)]
    chroma = hl.max(hl.f32(1.0) + sums[1][x, y], 0.0)
    bright = luminance(*gained)
    return [bright + (value - bright) * chroma for value in gained]


def finish(name: str, values: list[Any], sums: list[Any], places: list[Any], x: Any, y: Any) -> Any:
    """The pipeline of channels that follow from sums over places, row by row."""
    import halide as hl

    from .pipeline import VECTOR, schedule_pixels

    c = hl.Var("c")
    tail = hl.TailStrategy.GuardWithIf
    parts = [hl.Func(f"{name}_{n}") for n in range(3)]
    for func, value in zip(parts, values, strict=True):
        func[x, y] = value
    out = hl.Func(name)
    out[c, x, y] = hl.select(c == 0, hl.Expr(parts[0][x, y]), c == 1, hl.Expr(parts[1][x, y]), hl.Expr(parts[2][x, y]))
    schedule_pixels(out, c, x, y, 3)
    by_row(out, sums, places, x, y)
    for func in parts:
        func.compute_at(out, y).vectorize(x, VECTOR, tail)
    return out


def by_row(out: Any, sums: list[Any], places: list[Any], x: Any, y: Any) -> None:
    """Sums over places worked out once a row of what follows from them."""
    import halide as hl

    from .pipeline import VECTOR

    tail = hl.TailStrategy.GuardWithIf
    for func, place in zip(sums, places, strict=True):
        func.compute_at(out, y).vectorize(x, VECTOR, tail)
        func.update(0).reorder(x, place.x, y).vectorize(x, VECTOR, tail)


def _define_placed() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    x, y = hl.Var("x"), hl.Var("y")
    working, masks = image("working", 3), hl.ImageParam(hl.Float(32), 3, "masks")
    changes, lights = Owned.inputs("changes"), Owned.inputs("lights")
    sums, row = sums_expr(x, y, masks, changes, len(LIGHT_CHANGES))
    mixtures, of_light = _lights(x, y, masks, lights)
    values = _lit(x, y, [working[n, x, y] for n in range(3)], sums, mixtures)
    out = finish("placed", values, [*sums, *mixtures], [*[row] * len(sums), *[of_light] * 3], x, y)
    return "placed", out, [working, masks, *changes.given(), *lights.given()]


def _define_scene_placed() -> tuple[str, Any, list[Any]]:
    import halide as hl

    x, y = hl.Var("x"), hl.Var("y")
    images, params = toning_inputs()
    masks = hl.ImageParam(hl.Float(32), 3, "masks")
    changes, lights, moves = Owned.inputs("changes"), Owned.inputs("lights"), Owned.inputs("moves")
    sums, row = sums_expr(x, y, masks, changes, len(CHANGES))
    mixtures, of_light = _lights(x, y, masks, lights)
    of_zone, mask = moves.domain(x, y, masks)
    moved_there = hl.Func("moved_there")

    def more_EV(entry: Any, beyond: Any) -> Any:
        moved_there[x, y] = hl.f32(0.0)
        moved_there[x, y] += mask * hl.lerp(moves.table[entry, of_zone.x], moves.table[entry + 1, of_zone.x], beyond)
        return moved_there[x, y]

    haze = params["haze"] + sums[2][x, y]
    gains = tuple(params[f"{name}_gain"] + sums[3 + n][x, y] for n, name in enumerate(("fine", "middle", "broad")))
    clear, moved = toned_expr(x, y, ToneTables(images, params, haze, gains), more_EV)
    gain = hl.fast_exp(moved * hl.f32(np.log(2.0)))
    values = _lit(x, y, [value * gain for value in clear], sums, mixtures)
    domains = [*[row] * len(sums), of_zone, *[of_light] * 3]
    out = finish("scene_placed", values, [*sums, moved_there, *mixtures], domains, x, y)
    given = [*changes.given(), *lights.given(), *moves.given()]
    return "scene_placed", out, [*images, *params.values(), masks, *given]


def placed(
    working: NDArray[np.float32],
    masks: NDArray[np.float32],
    changes: NDArray[np.float32],
    lights: NDArray[np.float32],
) -> NDArray[np.float32]:
    """A picture with the light of several places changed.

    working: float32 (height, width, 3), scene-linear Rec.2020. masks: (height, width, n), how much each px belongs to
    each place. changes: (n, len(LIGHT_CHANGES)), see there. lights: (n, 3) colour of the light, red, green and blue,
    that each takes for white, 1 where it takes that of the whole; a px of which a mask is the share m is divided by 1 -
    m + m times it, as if its light were so mixed. Stops and shares of places that lie over each other add up, lights
    multiply. Returns float32 (height, width, 3).
    """
    working = require("working", working, np.float32, (None, None, 3))
    own = checked_masks(working, masks)
    tables = those_of(changes, len(own), len(LIGHT_CHANGES)), those_of(np.asarray(lights) - 1.0, len(own), 3)
    result = np.empty(working.shape, np.float32)
    kernel("placed")(working, own, *tables[0], *tables[1], result)
    return result


def scene_placed(
    working: NDArray[np.float32],
    how: SceneTone,
    masks: NDArray[np.float32],
    changes: NDArray[np.float32],
    lights: NDArray[np.float32],
    moves: NDArray[np.float32],
) -> NDArray[np.float32]:
    """A picture toned, with what several places add to its tone and its light.

    working, how: as for `tone.scene_toned`; `how.fine` is wanted when any place changes fine contrast. masks, lights:
    as for `placed`. changes: (n, len(CHANGES)), see there. moves: (n, TABLE_SIZE) how each moves the zones, at
    `tone.table_EV()`. Returns float32 (height, width, 3).
    """
    given = how.given(working)
    own = checked_masks(given[0], masks)
    count = len(own)
    changed, lit = those_of(changes, count, len(CHANGES)), those_of(np.asarray(lights) - 1.0, count, 3)
    zones = those_of(moves, count, TABLE_SIZE)
    result = np.empty(given[0].shape, np.float32)
    kernel("scene_placed")(*given, own, *changed, *lit, *zones, result)
    return result


def checked_masks(pixels: Any, masks: Any) -> Any:
    """Masks place by place, as they are made; checked."""
    masks = np.moveaxis(masks, 2, 0)
    return require("masks", masks, np.float32, (len(masks), *pixels.shape[:2]))


def those_of(table: Any, places: int, columns: int) -> tuple[NDArray[np.float32], NDArray[np.int32], int]:
    """The rows of a table (places, columns) that are not all nothing, whose they are, and how many: what a place does
    not do costs nothing then. There are two rows at least, since compiled code takes no single one."""
    table = np.asarray(table, np.float32)
    if table.shape != (places, columns):
        raise ArgumentError(f"a table of places: expected shape {(places, columns)}, got {table.shape}")
    own = np.flatnonzero(table.any(axis=1)).astype(np.int32)
    rows = np.zeros((max(2, len(own)), columns), np.float32)
    rows[: len(own)] = table[own]
    return rows, np.resize(np.append(own, 0), len(rows)).astype(np.int32), len(own)
