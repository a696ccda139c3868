"""Blocks of 8x8 of planes on two lattices, as Halide describes them: transformed, and laid together again.

Imported by the build only. A px is (2 x + q, 2 y + t) of a plane c; blocks of lattice r begin at (2 x + r, 2 y + r).
"""

from typing import Any

import halide as hl

from .block_sizes import BASIS, CHANNELS, MARGIN_PX, SIDE, TILE_X, TILE_Y
from .pipeline import VECTOR

x, y, k, c, q, t = (hl.Var(name) for name in ("x", "y", "k", "c", "q", "t"))
TAIL = hl.TailStrategy.ShiftInwards
"""Tiles and vectors are moved inward at the end, so that none is cut: what is made twice is the same."""
HALF, LATTICES = SIDE // 2, (0, 1)


def number(value: float) -> Any:
    return hl.f32(float(value))


def forward(at: list[Any]) -> list[Any]:
    """The transform of 8 values: even and odd frequencies apart."""
    pairs = [(at[i] + at[SIDE - 1 - i], at[i] - at[SIDE - 1 - i]) for i in range(HALF)]
    return [sum((number(BASIS[n, i]) * pairs[i][n % 2] for i in range(HALF)), number(0.0)) for n in range(SIDE)]


def backward(of: list[Any]) -> list[Any]:
    """The transform of 8 values turned back."""
    even = [sum((number(BASIS[n, i]) * of[n] for n in range(0, SIDE, 2)), number(0.0)) for i in range(HALF)]
    odd = [sum((number(BASIS[n, i]) * of[n] for n in range(1, SIDE, 2)), number(0.0)) for i in range(HALF)]
    return [a + b for a, b in zip(even, odd, strict=True)] + [
        a - b for a, b in zip(reversed(even), reversed(odd), strict=True)
    ]


class Stages:
    """The stages between a source and a result, as they are scheduled."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.funcs: list[Any] = []
        self.rows: list[Any] = []
        self.by_colour: list[Any] = []

    def func(self, name: str) -> Any:
        made = hl.Func(f"{self.name}_{name}")
        self.funcs.append(made)
        return made

    def schedule(self, out: Any, buffer: Any, *, is_joint: bool) -> None:
        """is_joint: planes share their stages."""
        xo, yo, xi, yi = (hl.Var(name) for name in ("xo", "yo", "xi", "yi"))
        out.bound(q, 0, 2).bound(t, 0, 2).reorder(q, x, t, y, c).unroll(q).unroll(t)
        out.tile(x, y, xo, yo, xi, yi, TILE_X, TILE_Y, TAIL)
        out.reorder(q, xi, t, c, yi, xo, yo) if is_joint else out.reorder(q, xi, t, yi, xo, yo, c)
        out.vectorize(xi, VECTOR, TAIL).parallel(yo)
        buffer.dim(0).set_bounds(0, 2).set_stride(1)
        buffer.dim(1).set_stride(2)
        buffer.dim(2).set_bounds(0, 2)
        for func in self.funcs:
            func.store_at(out, xo).compute_at(out, yi).vectorize(x, VECTOR, TAIL)
        for func in self.rows:
            func.bound(k, 0, SIDE).unroll(k)
        for func in self.by_colour:
            func.bound(c, 0, CHANNELS).unroll(c)


def transformed(source: Any, name: str, r: int, stages: Stages) -> Any:
    """Coefficients of lattice r: a func of the block and the frequency across, of those down."""
    rows, columns = stages.func(f"{name}_rows{r}"), stages.func(f"{name}_columns{r}")
    stages.rows.append(rows)
    # windows that slide down begin to fill above the plane, with what nobody asks for
    at, row = 2 * x + r + MARGIN_PX, hl.max(y + MARGIN_PX, 0)
    rows[x, y, k, c] = hl.mux(k, forward([source[at + i, row, c] for i in range(SIDE)]))
    columns[x, y, k, c] = tuple(forward([rows[x, 2 * y + r + j, k, c] for j in range(SIDE)]))
    return columns


def put_together(shrunk: list[Any], weight: list[Any], stages: Stages, out: Any) -> None:
    """The mean of all estimates of each px: `shrunk` are coefficients times the block's weight, by lattice: of the
    first alone, or of both."""
    downs, totals = {}, {}
    for r in range(len(shrunk)):
        turned = stages.func(f"turned{r}")
        turned[x, y, k, c] = tuple(backward([shrunk[r][x, y, k, c][m] for m in range(SIDE)]))
        for s in range(2):
            # rows of parity s, those of s < r one pair further down: each b is a block that begins further up
            first = (s - r) % 2
            total, down = stages.func(f"total{r}{s}"), stages.func(f"down{r}{s}")
            total[x, y, k, c] = sum((turned[x, y - b, k, c][2 * b + first] for b in range(HALF)), number(0.0))
            down[x, y, c] = sum((weight[r](x, y - b) for b in range(HALF)), number(0.0))
            totals[r, s], downs[r, s] = total, down
    cells = []
    for s in range(2):
        for p in range(2):
            value, weights = number(0.0), number(0.0)
            for r in range(len(shrunk)):
                first, before, above = (p - r) % 2, int(p < r), int(s < r)
                for a in range(HALF):
                    at = (x - a - before, y - above)
                    weights = weights + downs[r, s][*at, c]
                    for n in range(SIDE):
                        value = value + number(BASIS[n, 2 * a + first]) * totals[r, s][*at, n, c]
            cells.append(value / weights)
    out[q, x, t, y, c] = hl.mux(t, [hl.mux(q, cells[:2]), hl.mux(q, cells[2:])])
