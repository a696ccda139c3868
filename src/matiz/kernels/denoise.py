"""Noise taken out of a plane whose noise is known, by shrinking the cosine transforms of all its blocks of 8x8.

Each px lies in 64 blocks, whose estimates are averaged, sure ones (few coefficients kept) with more weight. The first
pass drops what does not rise above the noise; the second weighs each coefficient by what the first left of it
(empirical Wiener). References: Yu and Sapiro 2011, "DCT image denoising: a simple and effective image denoising
algorithm"; Guleryuz 2007, "Weighted averaging for denoising with overcomplete dictionaries"; the two passes and the
weights after Dabov, Foi, Katkovnik and Egiazarian 2007.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel

SIDE = 8
MARGIN_PX = SIDE - 1
LEAST_PX = 2 * MARGIN_PX + 2
"""Side of a plane: compiled code takes no single row."""
TILE_X, TILE_Y = 128, 64
Plane = NDArray[np.float32]
_ANGLES = math.pi * np.outer(np.arange(SIDE), 2 * np.arange(SIDE) + 1) / (2 * SIDE)
BASIS = np.cos(_ANGLES) * np.sqrt(np.where(np.arange(SIDE) == 0, 1.0, 2.0) / SIDE)[:, None]
"""The cosine transform of length 8, orthonormal, (frequency, place)."""


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR

    x, y, k = hl.Var("x"), hl.Var("y"), hl.Var("k")
    tail = hl.TailStrategy.GuardWithIf
    half = SIDE // 2

    def number(value: float) -> Any:
        return hl.f32(float(value))

    def forward(at: list[Any]) -> list[Any]:
        """The transform of 8 values: even and odd frequencies apart."""
        pairs = [(at[i] + at[SIDE - 1 - i], at[i] - at[SIDE - 1 - i]) for i in range(half)]
        return [sum((number(BASIS[k, i]) * pairs[i][k % 2] for i in range(half)), number(0.0)) for k in range(SIDE)]

    def transformed(source: Any, name: str, inner: list[Any]) -> Any:
        """Coefficients of the block whose corner is (x, y): a func of the frequency across, of those down."""
        rows, columns = hl.Func(f"{name}_rows"), hl.Func(f"{name}_columns")
        rows[x, y, k] = hl.mux(k, forward([source(x + i, y) for i in range(SIDE)]))
        columns[x, y, k] = tuple(forward([rows[x, y + j, k] for j in range(SIDE)]))
        inner.extend((rows, columns))
        rows.bound(k, 0, SIDE).unroll(k)
        return columns

    def pipeline(name: str, is_second: bool) -> tuple[str, Any, list[Any]]:
        plane, spread = hl.ImageParam(hl.Float(32), 2, "plane"), hl.ImageParam(hl.Float(32), 2, "spread")
        guide, least = hl.ImageParam(hl.Float(32), 2, "guide"), hl.Param(hl.Float(32), "least")
        inner: list[Any] = []
        own = transformed(lambda u, v: plane[u + MARGIN_PX, v + MARGIN_PX], f"{name}_own", inner)
        led = transformed(lambda u, v: guide[u + MARGIN_PX, v + MARGIN_PX], f"{name}_led", inner) if is_second else own
        gains, costs = hl.Func(f"{name}_gains"), hl.Func(f"{name}_costs")
        each = []
        for m in range(SIDE):
            noise = spread[k, m] * spread[k, m]
            power = led[x, y, k][m] * led[x, y, k][m]
            if is_second:
                gain = power / (power + noise)
            else:
                gain = hl.select(power > least * least * noise, number(1.0), number(0.0))
            each.append(hl.select(k == 0, number(1.0), gain) if m == 0 else gain)
        gains[x, y, k] = tuple(each)
        costs[x, y, k] = sum(
            (gains[x, y, k][m] * gains[x, y, k][m] * spread[k, m] * spread[k, m] for m in range(SIDE)), number(0.0)
        )
        weight = hl.Func(f"{name}_weight")
        weight[x, y] = number(1.0) / sum((costs[x, y, n] for n in range(SIDE)), number(1e-6))
        shrunk, back = hl.Func(f"{name}_shrunk"), hl.Func(f"{name}_back")
        shrunk[x, y, k] = tuple(gains[x, y, k][m] * own[x, y, k][m] * weight[x, y] for m in range(SIDE))
        # what row y gets of the blocks that begin at most 7 rows above
        total = number(0.0)
        for j in range(SIDE):
            for m in range(SIDE):
                total = total + number(BASIS[m, j]) * shrunk[x, y - j, k][m]
        back[x, y, k] = total
        down, out = hl.Func(f"{name}_down"), hl.Func(name)
        down[x, y] = sum((weight[x, y - j] for j in range(SIDE)), number(0.0))
        inner.extend((gains, costs, weight, shrunk, back, down))
        total, weights = number(0.0), number(0.0)
        for i in range(SIDE):
            weights = weights + down[x - i, y]
            for n in range(SIDE):
                total = total + number(BASIS[n, i]) * back[x - i, y, n]
        out[x, y] = total / weights
        xo, yo, xi, yi = hl.Var("xo"), hl.Var("yo"), hl.Var("xi"), hl.Var("yi")
        out.tile(x, y, xo, yo, xi, yi, TILE_X, TILE_Y, tail).vectorize(xi, VECTOR // 2, tail).parallel(yo)
        for func in inner:
            func.store_at(out, xo).compute_at(out, yi).vectorize(x, VECTOR // 2, tail)
        return name, out, [plane, guide, spread] if is_second else [plane, spread, least]

    return [pipeline("dct_kept", False), pipeline("dct_weighed", True)]


def dct_kept(plane: Plane, spread: Plane, least: float) -> Plane:
    """The first pass.

    plane: (height + 14, width + 14), with MARGIN_PX beyond each side of what is wanted. spread: (8, 8), the noise's
    standard deviation in each coefficient, [down, across]. least: how many of them a coefficient must exceed.
    """
    plane, spread, result = _checked(plane, spread)
    if not least >= 0.0:
        raise ArgumentError(f"least: at least 0, got {least:g}")
    kernel("dct_kept")(plane, spread, float(least), result)
    return result


def dct_weighed(plane: Plane, guide: Plane, spread: Plane) -> Plane:
    """The second pass; guide: what the first left, of the shape of `plane`."""
    plane, spread, result = _checked(plane, spread)
    guide = require("guide", guide, np.float32, plane.shape)
    kernel("dct_weighed")(plane, guide, spread, result)
    return result


def _checked(plane: Plane, spread: Plane) -> tuple[Plane, Plane, Plane]:
    plane = require("plane", plane, np.float32, (None, None))
    if min(plane.shape) < LEAST_PX:
        raise ArgumentError(f"plane: at least {LEAST_PX} px to a side, got {plane.shape}")
    spread = require("spread", spread, np.float32, (SIDE, SIDE))
    return plane, spread, np.empty((plane.shape[0] - 2 * MARGIN_PX, plane.shape[1] - 2 * MARGIN_PX), np.float32)
