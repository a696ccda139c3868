"""Lightness sharpened where it rises above the noise, with what it may overshoot held to a limit.

Unsharp masking of L* alone, gated by the local activity of what is added against its noise, and held between the
darkest and the lightest about each px. Common practice, no source; the gate as in Polesel, Ramponi and Mathews 2000,
"Image enhancement via adaptive unsharp masking", simplified.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel

BINS = 64
"""Of lightness 0..100, for the noise."""
LEAST_SIGMA, MOST_SIGMA = 0.3, 6.0
REACH = 2.5
"""Of sigma: how far the blur looks."""
ACTIVE = 2
"""Px to each side over which activity is averaged."""
MARGIN_PX = int(REACH * MOST_SIGMA) + 1 + ACTIVE
NOISE, CLEAR = 1.4, 2.6
"""Times its noise at which the gate opens, and is open."""
TILE_X, TILE_Y = 128, 32


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR, interleave, luminance

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    shown = hl.ImageParam(hl.Float(32), 3, "shown")
    interleave(shown, 3)
    noise = hl.ImageParam(hl.Float(32), 1, "noise")
    amount = hl.ImageParam(hl.Float(32), 2, "amount")
    sigma, halo = (hl.Param(hl.Float(32), name) for name in ("sigma", "halo"))
    gated = hl.Param(hl.Float(32), "gated")
    at = hl.BoundaryConditions.mirror_image(shown, [(0, 3), (0, shown.dim(1).extent()), (0, shown.dim(2).extent())])
    tail = hl.TailStrategy.GuardWithIf

    def number(value: float) -> Any:
        return hl.f32(float(value))

    Y, L = hl.Func("sharp_Y"), hl.Func("sharp_L")
    Y[x, y] = hl.max(luminance(at[0, x, y], at[1, x, y], at[2, x, y]), number(0.0))
    L[x, y] = hl.select(
        Y[x, y] > number(216.0 / 24389.0),
        number(116.0) * hl.fast_pow(hl.max(Y[x, y], number(1e-6)), number(1.0 / 3.0)) - number(16.0),
        Y[x, y] * number(24389.0 / 27.0),
    )
    reach = hl.clamp(hl.i32(hl.ceil(sigma * number(REACH))), 1, int(REACH * MOST_SIGMA) + 1)
    r = hl.RDom([(-reach, 2 * reach + 1)])
    bell = hl.Func("sharp_bell")
    bell[x] = hl.exp(-hl.f32(x * x) / (number(2.0) * sigma * sigma))
    total = hl.Func("sharp_total")
    total[()] = number(0.0)
    total[()] += bell[r.x]
    across, blurred = hl.Func("sharp_across"), hl.Func("sharp_blurred")
    across[x, y] = number(0.0)
    across[x, y] += L[x + r.x, y] * bell[r.x]
    blurred[x, y] = number(0.0)
    blurred[x, y] += across[x, y + r.x] * bell[r.x]
    added, square, active = hl.Func("sharp_added"), hl.Func("sharp_square"), hl.Func("sharp_active")
    added[x, y] = L[x, y] - blurred[x, y] / (total[()] * total[()])
    near = range(-ACTIVE, ACTIVE + 1)
    square[x, y] = sum((added[x + i, y] * added[x + i, y] for i in near), number(0.0))
    active[x, y] = hl.sqrt(sum((square[x, y + i] for i in near), number(0.0)) / number(len(near) ** 2))
    low_x, high_x = hl.Func("sharp_low"), hl.Func("sharp_high")
    low_x[x, y] = hl.min(hl.min(L[x - 1, y], L[x, y]), L[x + 1, y])
    high_x[x, y] = hl.max(hl.max(L[x - 1, y], L[x, y]), L[x + 1, y])
    low = hl.min(hl.min(low_x[x, y - 1], low_x[x, y]), low_x[x, y + 1])
    high = hl.max(hl.max(high_x[x, y - 1], high_x[x, y]), high_x[x, y + 1])
    place = hl.clamp(blurred[x, y] / (total[()] * total[()]) * number((BINS - 1) / 100.0), 0.0, float(BINS - 1))
    own = noise[hl.clamp(hl.i32(place + number(0.5)), 0, BINS - 1)]
    t = hl.clamp((active[x, y] / own - number(NOISE)) / number(CLEAR - NOISE), 0.0, 1.0)
    # what is softened may well be noise
    taken = hl.Func("sharp_amount")
    taken[x, y] = amount[x, y]
    opened = hl.lerp(number(1.0), t * t * (number(3.0) - number(2.0) * t), gated)
    gate = hl.select(taken[x, y] < number(0.0), number(1.0), opened)
    signed = hl.Func("sharp_signed")
    moved = L[x, y] + taken[x, y] * gate * added[x, y]
    signed[x, y] = hl.clamp(moved, low - halo, high + halo) - L[x, y]
    lighter = hl.clamp(L[x, y] + signed[x, y], 0.0, 200.0)
    cube = (lighter + number(16.0)) / number(116.0)
    wanted = hl.select(lighter > number(8.0), cube * cube * cube, lighter * number(27.0 / 24389.0))
    factor = hl.Func("sharp_factor")
    factor[x, y] = wanted / hl.max(Y[x, y], number(1e-6))
    out = hl.Func("sharpened")
    out[c, x, y] = shown[c, x, y] * factor[x, y]
    interleave(out.output_buffer(), 3)
    xo, yo, xi, yi = hl.Var("xo"), hl.Var("yo"), hl.Var("xi"), hl.Var("yi")
    out.bound(c, 0, 3).tile(x, y, xo, yo, xi, yi, TILE_X, TILE_Y, tail).reorder(c, xi, yi, xo, yo).unroll(c)
    out.vectorize(xi, VECTOR // 2, tail).parallel(yo)
    bell.compute_root()
    total.compute_root()
    for func in (Y, L, across, blurred, added, square, active, low_x, high_x, factor):
        func.compute_at(out, xo).vectorize(x, VECTOR // 2, tail)
    for func in (across, blurred):
        func.update(0).reorder(x, r.x, y).vectorize(x, VECTOR // 2, tail)
    return [("sharpened", out, [shown, noise, amount, sigma, halo, gated])]


def sharpened(
    shown: NDArray[np.float32],
    noise: NDArray[np.float32],
    *,
    sigma: float,
    amount: float | NDArray[np.float32],
    halo: float,
    gated: bool = True,
) -> NDArray[np.float32]:
    """Display-linear Rec.2020 (height, width, 3) sharpened; it looks at most MARGIN_PX far.

    noise: (BINS,) standard deviation that noise has in what would be added, L*, by lightness 0..100. sigma: px of the
    blur, LEAST_SIGMA..MOST_SIGMA. amount: -1..6 times what differs from
    the blur, one for all or (height, width); negative softens. halo: by how many L* a px may go
    beyond the darkest and the lightest beside it. gated: whether what does not rise above the noise is left.
    """
    if not LEAST_SIGMA <= sigma <= MOST_SIGMA:
        raise ArgumentError(f"sigma: {LEAST_SIGMA}..{MOST_SIGMA}, got {sigma:g}")
    shown = require("shown", shown, np.float32, (None, None, 3))
    each = np.broadcast_to(np.asarray(amount, np.float32), shown.shape[:2])
    if not (each.min() >= -1.0 and each.max() <= 6.0 and halo >= 0.0):
        raise ArgumentError(f"amount and halo: -1..6 and at least 0, got {each.min():g}..{each.max():g} and {halo:g}")
    noise = require("noise", noise, np.float32, (BINS,))
    result = np.empty(shown.shape, np.float32)
    own = np.ascontiguousarray(each)
    kernel("sharpened")(shown, noise, own, float(sigma), float(halo), float(gated), result)
    return result
