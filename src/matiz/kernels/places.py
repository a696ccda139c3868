"""The scene part of all places in one pass over the pixels: light and exposure as gains, then chroma."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import require
from .loader import kernel

CHANGES = 4
"""What a place changes: gains of red, green and blue in stops, and chroma as a share that is added."""


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR, image, luminance, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    working, masks, changes = image("working", 3), hl.ImageParam(hl.Float(32), 3, "masks"), table("changes")
    place = hl.RDom([(0, masks.dim(2).extent())])
    sums = [hl.Func(f"change_{n}") for n in range(CHANGES)]
    for n, func in enumerate(sums):
        func[x, y] = hl.f32(0.0)
        func[x, y] += masks[x, y, place.x] * changes[place.x * CHANGES + n]
    gained = [working[n, x, y] * hl.fast_exp(sums[n][x, y] * hl.f32(np.log(2.0))) for n in range(3)]
    chroma = hl.max(hl.f32(1.0) + sums[3][x, y], 0.0)
    bright = luminance(*gained)
    parts = [hl.Func(f"placed_{n}") for n in range(3)]
    for func, value in zip(parts, gained, strict=True):
        func[x, y] = bright + (value - bright) * chroma
    out = hl.Func("placed")
    out[c, x, y] = hl.select(c == 0, hl.Expr(parts[0][x, y]), c == 1, hl.Expr(parts[1][x, y]), hl.Expr(parts[2][x, y]))
    schedule_pixels(out, c, x, y, 3)
    for func in sums:
        func.compute_at(out, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
        func.update(0).reorder(x, place.x, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    for func in parts:
        func.compute_at(out, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    return [("placed", out, [working, masks, changes])]


def placed(
    working: NDArray[np.float32], masks: NDArray[np.float32], changes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """A picture with what several places change in it.

    working: float32 (height, width, 3), scene-linear Rec.2020. masks: (height, width, n), how much each px belongs to
    each place; above 1 for what is stronger than whole. changes: (n, CHANGES), see CHANGES. Stops and shares of places
    that lie over each other add up. Returns float32 (height, width, 3).
    """
    working = require("working", working, np.float32, (None, None, 3))
    changes = np.ascontiguousarray(changes, np.float32).reshape(-1, CHANGES)
    # place by place, as they are made
    masks = require("masks", np.moveaxis(masks, 2, 0), np.float32, (len(changes), *working.shape[:2]))
    result = np.empty(working.shape, np.float32)
    kernel("placed")(working, masks, changes.ravel(), result)
    return result
