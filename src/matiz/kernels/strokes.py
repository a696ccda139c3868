"""Strokes of a brush laid on a mask, one upon the other."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import require
from .loader import kernel
from .masks import smooth_expr

COLUMNS = (
    "x", "y", "radius", "weight", "to_x", "to_y", "to_radius", "to_weight", "soft", "strength", "limit", "ends",
    "L", "a", "b", "likeness",
)  # fmt: skip
"""Of a piece of a stroke: where it begins and ends, how far it reaches there and how much it weighs; the share of the
reach that is fall-off; how much of the way to its limit the stroke goes, below 0 for one that wipes off; whether the
stroke ends with it; the colour that it keeps to, and 1 over the square of how far off one may be, 0 for any."""


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR, image, table

    x, y = hl.Var("x"), hl.Var("y")
    before, px, py = (hl.ImageParam(hl.Float(32), 2, name) for name in ("before", "px", "py"))
    lab, pieces = image("lab", 3), table("pieces", 2)
    n = hl.RDom([(0, pieces.dim(1).extent())])
    of = {name: pieces[k, n.x] for k, name in enumerate(COLUMNS)}
    along_x, along_y = of["to_x"] - of["x"], of["to_y"] - of["y"]
    off_x, off_y = px[x, y] - of["x"], py[x, y] - of["y"]
    length = hl.max(along_x * along_x + along_y * along_y, 1e-14)
    t = hl.clamp((off_x * along_x + off_y * along_y) / length, 0.0, 1.0)
    off_x, off_y = off_x - t * along_x, off_y - t * along_y
    reach = hl.max(hl.lerp(of["radius"], of["to_radius"], t), 1e-7)
    far = hl.sqrt(off_x * off_x + off_y * off_y) / reach
    here = smooth_expr((1.0 - far) / of["soft"]) * hl.lerp(of["weight"], of["to_weight"], t)
    unlike = ((lab[0, x, y] - of["L"]) ** 2 + (lab[1, x, y] - of["a"]) ** 2 + (lab[2, x, y] - of["b"]) ** 2) * of[
        "likeness"
    ]
    here = hl.select(of["likeness"] > 0.0, here * hl.fast_exp(-unlike), here)

    laid = hl.Func("laid_strokes")
    laid[x, y] = (before[x, y], hl.f32(0.0))
    mask, own = laid[x, y][0], hl.max(laid[x, y][1], here)
    share = own * hl.abs(of["strength"])
    painted = hl.select(of["strength"] < 0.0, mask * (1.0 - share), hl.max(mask, mask + (of["limit"] - mask) * share))
    ends = of["ends"] > 0.0
    laid[x, y] = (hl.select(ends, painted, mask), hl.select(ends, hl.f32(0.0), own))
    out = hl.Func("strokes")
    out[x, y] = laid[x, y][0]
    tail = hl.TailStrategy.GuardWithIf
    out.vectorize(x, VECTOR, tail).parallel(y, 8, tail)
    laid.compute_at(out, y).vectorize(x, VECTOR, tail)
    laid.update(0).reorder(x, n.x, y).vectorize(x, VECTOR, tail)
    return [("strokes", out, [before, px, py, lab, pieces])]


def laid_on(
    before: NDArray[np.float32], x: NDArray[np.float32], y: NDArray[np.float32], lab: NDArray[np.float32] | None,
    pieces: NDArray[np.float32],
) -> NDArray[np.float32]:  # fmt: skip
    """A mask (height, width), 0..1, with strokes laid on it in their order.

    x, y: where each px lies, (height, width), in the units of the pieces. lab: L*a*b* (height, width, 3), or None where
    no stroke keeps to a colour. pieces: (n, len(COLUMNS)), see COLUMNS; those of one stroke follow each other, and the
    furthest that any of them goes counts. A stroke goes its strength times its weight of the way from what is there to
    its limit, never down; one that wipes off takes that share of it away.
    """
    before = require("before", before, np.float32, (None, None))
    x, y = (require(name, each, np.float32, before.shape) for name, each in (("x", x), ("y", y)))
    lab = np.zeros((*before.shape, 3), np.float32) if lab is None else lab
    lab = require("lab", lab, np.float32, (*before.shape, 3))
    if not len(pieces):
        return before.copy()
    pieces = require("pieces", np.concatenate([_NOTHING, pieces]), np.float32, (None, len(COLUMNS)))
    result = np.empty_like(before)
    kernel("strokes")(before, x, y, lab, pieces, result)
    return result


_NOTHING = np.zeros((1, len(COLUMNS)), np.float32)
_NOTHING[0, COLUMNS.index("soft")] = _NOTHING[0, COLUMNS.index("ends")] = 1.0
_NOTHING[0, COLUMNS.index("x")] = _NOTHING[0, COLUMNS.index("to_x")] = 1e6
