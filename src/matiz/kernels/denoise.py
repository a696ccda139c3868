"""Noise taken out of three planes whose noise is known, by shrinking the cosine transforms of their blocks of 8x8.

Blocks begin at every second px of every row, in odd rows between those of even ones: each px lies in 32 of them, whose
estimates are averaged, sure ones (few coefficients kept) with more weight. Half of all blocks do as well as all, within
0.01 dB. The first pass drops, plane by plane, what does not rise above the noise. The second weighs each coefficient by
what the first left of it (empirical Wiener), along the colours of the block itself: the three axes in which what the
first pass left of it varies most, less, and least, so that an edge between two colours is one thing, not three.
References: Yu and Sapiro 2011, "DCT image denoising: a simple and effective image denoising algorithm"; Guleryuz 2007,
"Weighted averaging for denoising with overcomplete dictionaries"; the two passes and the weights after Dabov, Foi,
Katkovnik and Egiazarian 2007; axes of colour found in the block as those of patches in Lebrun, Buades and Morel 2013,
"A nonlocal Bayesian image denoising algorithm". The axes by Jacobi's rotations (Golub and Van Loan, 8.5).
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .block_sizes import CHANNELS, MARGIN_PX, SIDE, TILE_X, TILE_Y
from .buffers import require
from .loader import kernel

LEAST_PX = 2 * max(TILE_X, TILE_Y) + 2 * MARGIN_PX
"""Side of a plane: a whole tile."""
SWEEPS = 2
"""Of rotations that find the axes of a block's colours."""
Planes = NDArray[np.float32]


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .blocks import HALF, LATTICES, TAIL, Stages, c, k, number, put_together, transformed, x, y
    from .pipeline import VECTOR

    colours = range(CHANNELS)

    def kept(name: str, lattices: tuple[int, ...]) -> tuple[str, Any, list[Any]]:
        planes, spread = hl.ImageParam(hl.Float(32), 3, "planes"), hl.ImageParam(hl.Float(32), 3, "spread")
        least = hl.Param(hl.Float(32), "least")
        stages, out = Stages("kept"), hl.Func(name)
        shrunk, weights = [], []
        for r in lattices:
            own = transformed(planes, "own", r, stages)
            gains, costs, weight = (stages.func(f"{name}{r}") for name in ("gains", "costs", "weight"))
            each = []
            for m in range(SIDE):
                limit = least * spread[k, m, c]
                gain = hl.select(hl.abs(own[x, y, k, c][m]) > limit, number(1.0), number(0.0))
                each.append(hl.select(k == 0, number(1.0), gain) if m == 0 else gain)
            gains[x, y, k, c] = tuple(each)
            costs[x, y, k, c] = sum(
                (gains[x, y, k, c][m] * spread[k, m, c] * spread[k, m, c] for m in range(SIDE)), number(0.0)
            )
            weight[x, y, c] = number(1.0) / sum((costs[x, y, n, c] for n in range(SIDE)), number(1e-6))
            of_sum = hl.Func(f"kept_of_sum{r}")
            of_sum[x, y, k, c] = tuple(gains[x, y, k, c][m] * own[x, y, k, c][m] * weight[x, y, c] for m in range(SIDE))
            shrunk.append(of_sum)
            weights.append(lambda u, v, weight=weight: weight[u, v, c])
        put_together(shrunk, weights, stages, out)
        stages.schedule(out, out.output_buffer(), is_joint=False)
        return name, out, [planes, spread, least]

    def block_axes() -> tuple[str, Any, list[Any]]:
        """Axes of the blocks' colours: how the guide's planes vary together within each, and Jacobi's rotations."""
        guide, even = hl.ImageParam(hl.Float(32), 3, "guide"), hl.ImageParam(hl.Float(32), 1, "even")
        n, r = hl.Var("n"), hl.Var("r")
        xi = hl.Var("xi")
        pairs = [(i, j) for i in colours for j in range(i, CHANNELS)]
        out, across, sums = hl.Func("block_axes"), hl.Func("axes_across"), hl.Func("axes_sums")
        row = hl.max(y, 0)
        scaled = [[guide[2 * x + r + i, row, each] * even[each] for each in colours] for i in range(SIDE)]
        across[x, y, r] = tuple(
            [sum((px[each] for px in scaled), number(0.0)) for each in colours]
            + [sum((px[i] * px[j] for px in scaled), number(0.0)) for i, j in pairs]
        )
        sums[x, y, r] = tuple(
            sum((across[x, 2 * y + r + j, r][each] for j in range(SIDE)), number(0.0)) for each in range(9)
        )
        held = [sums[x, y, r][each] for each in range(9)]
        share = number(1.0 / SIDE**2)
        state = {pair: held[3 + at] - share * held[pair[0]] * held[pair[1]] for at, pair in enumerate(pairs)}
        turned = [[number(float(i == j)) for j in colours] for i in colours]
        steps = []
        for turn, (i, j) in enumerate(((0, 1), (0, 2), (1, 2)) * SWEEPS):
            apart, twice = state[j, j] - state[i, i], number(2.0) * state[i, j]
            length = hl.abs(apart) + hl.sqrt(apart * apart + twice * twice) + number(1e-12)
            angle, rotated = hl.Func(f"axes_angle{turn}"), hl.Func(f"axes_rotated{turn}")
            slope = hl.select(apart < 0.0, -twice, twice) / length
            cosine = number(1.0) / hl.sqrt(number(1.0) + slope * slope)
            angle[x, y, r] = (cosine, slope * cosine, slope)
            co, si, ta = (angle[x, y, r][each] for each in range(3))
            other = CHANNELS - i - j
            with_i, with_j = (min(i, other), max(i, other)), (min(j, other), max(j, other))
            state = {
                **state,
                (i, i): state[i, i] - ta * state[i, j], (j, j): state[j, j] + ta * state[i, j], (i, j): number(0.0),
                with_i: co * state[with_i] - si * state[with_j], with_j: si * state[with_i] + co * state[with_j],
            }  # fmt: skip
            turned = [_rotated(row, i, j, co, si) for row in turned]
            rotated[x, y, r] = tuple([state[pair] for pair in pairs] + [v for row in turned for v in row])
            state = {pair: rotated[x, y, r][at] for at, pair in enumerate(pairs)}
            turned = [[rotated[x, y, r][len(pairs) + CHANNELS * a + b] for b in colours] for a in colours]
            steps += [angle, rotated]
        out[x, y, n, r] = hl.mux(n, [value for row in turned for value in row])
        yo, yi = hl.Var("yo"), hl.Var("yi")
        out.bound(n, 0, CHANNELS**2).reorder(n, x, y, r).unroll(n)
        out.split(x, x, xi, VECTOR, TAIL).split(y, yo, yi, TILE_Y, TAIL).reorder(n, xi, x, yi, yo, r)
        out.vectorize(xi).parallel(yo)
        across.store_at(out, yo).compute_at(out, yi).vectorize(x, VECTOR, TAIL)
        sums.compute_at(out, x).vectorize(x, VECTOR)
        for step in steps:
            step.compute_at(out, x).vectorize(x, VECTOR)
        return "block_axes", out, [guide, even]

    def weighed() -> tuple[str, Any, list[Any]]:
        planes, guide = hl.ImageParam(hl.Float(32), 3, "planes"), hl.ImageParam(hl.Float(32), 3, "guide")
        spread, rise = hl.ImageParam(hl.Float(32), 3, "spread"), hl.ImageParam(hl.Float(32), 3, "rise")
        worth, ways = hl.ImageParam(hl.Float(32), 2, "worth"), hl.ImageParam(hl.Float(32), 4, "ways")
        stages, out = Stages("weighed"), hl.Func("dct_weighed")
        shrunk, weights = [], []
        for r in LATTICES:
            sides = []
            for name, source in (("own", planes), ("led", guide)):
                raw = transformed(source, name, r, stages)
                even = hl.Func(f"weighed_{name}_even{r}")
                even[x, y, k, c] = tuple(raw[x, y, k, c][m] * rise[k, m, c] for m in range(SIDE))
                sides.append(even)
            own, led = sides
            way = [[ways[x + HALF, hl.max(y + HALF, 0), CHANNELS * i + a, r] for a in colours] for i in colours]
            gains, weight, back = (stages.func(f"{name}{r}") for name in ("gains", "weight", "back"))
            gained, cost = [], number(0.0)
            for m in range(SIDE):
                # along each axis: what is there of the block, and how much of it is no noise
                own_m, led_m = ([side[x, y, k, i][m] for i in colours] for side in (own, led))
                is_mean = k == 0 if m == 0 else None
                for a in colours:
                    power = sum((way[i][a] * led_m[i] for i in colours), number(0.0))
                    power = power * power
                    gain = power / (power + number(1.0))
                    gain = gain if is_mean is None else hl.select(is_mean, number(1.0), gain)
                    cost = cost + gain * gain * worth[k, m]
                    gained.append(gain * sum((way[i][a] * own_m[i] for i in colours), number(0.0)))
            gains[x, y, k] = (*gained, cost)
            weight[x, y] = number(1.0) / sum((gains[x, y, n][CHANNELS * SIDE] for n in range(SIDE)), number(1e-6))
            back[x, y, k, c] = tuple(
                hl.mux(c, [sum((way[i][a] * gains[x, y, k][CHANNELS * m + a] for a in colours), number(0.0))
                           for i in colours]) * spread[k, m, c] * weight[x, y]
                for m in range(SIDE)
            )  # fmt: skip
            stages.by_colour.append(back)
            shrunk.append(back)
            weights.append(lambda u, v, weight=weight: weight[u, v])
        put_together(shrunk, weights, stages, out)
        stages.schedule(out, out.output_buffer(), is_joint=True)
        return "dct_weighed", out, [planes, guide, ways, spread, rise, worth]

    return [kept("dct_kept", LATTICES), kept("dct_kept_sparsely", LATTICES[:1]), block_axes(), weighed()]


def _rotated(row: list[Any], i: int, j: int, cosine: Any, sine: Any) -> list[Any]:
    """A row of the matrix of axes, after a rotation of its columns i and j."""
    out = list(row)
    out[i], out[j] = cosine * row[i] - sine * row[j], sine * row[i] + cosine * row[j]
    return out


def dct_kept(planes: Planes, spread: Planes, least: float) -> Planes:
    """The first pass.

    planes: (n, height + 16, width + 16), with MARGIN_PX beyond each side of what is wanted; sides are even and at
    least LEAST_PX. spread: (n, 8, 8), the noise's standard deviation in each coefficient, [down, across]. least: how
    many of them a coefficient must exceed.
    """
    return _kept("dct_kept", planes, spread, least)


def dct_kept_sparsely(planes: Planes, spread: Planes, least: float) -> Planes:
    """The same by blocks that begin at every second px of every second row: half as many."""
    return _kept("dct_kept_sparsely", planes, spread, least)


def _kept(name: str, planes: Planes, spread: Planes, least: float) -> Planes:
    planes, spread, result = _checked(planes, spread, None)
    if not least >= 0.0:
        raise ArgumentError(f"least: at least 0, got {least:g}")
    kernel(name)(planes, spread, float(least), _cells(result))
    return result


def dct_weighed(planes: Planes, guide: Planes, spread: Planes) -> Planes:
    """The second pass; guide: what the first left, of the shape of `planes`. spread is over 0 everywhere."""
    planes, spread, result = _checked(planes, spread)
    guide = require("guide", guide, np.float32, planes.shape)
    if not spread.min() > 0.0:
        raise ArgumentError("spread: over 0 everywhere")
    rows, columns = ((length - SIDE) // 2 for length in planes.shape[1:])
    ways = np.empty((2, CHANNELS**2, rows, columns), np.float32)
    power = (spread**2).mean(axis=(1, 2))
    kernel("block_axes")(guide, 1.0 / np.sqrt(power), ways)
    worth = (spread**2).mean(axis=0)
    kernel("dct_weighed")(planes, guide, ways, spread, 1.0 / spread, worth / worth.mean(), _cells(result))
    return result


def _cells(plane: Planes) -> NDArray[np.float32]:
    """The same memory as pairs of rows and of columns: (3, height / 2, 2, width / 2, 2)."""
    channels, height, width = plane.shape
    return plane.reshape(channels, height // 2, 2, width // 2, 2)


def _checked(planes: Planes, spread: Planes, count: int | None = CHANNELS) -> tuple[Planes, Planes, Planes]:
    planes = require("planes", planes, np.float32, (count, None, None))
    height, width = planes.shape[1:]
    if min(height, width) < LEAST_PX or height % 2 or width % 2:
        raise ArgumentError(f"planes: an even number of px to a side, at least {LEAST_PX}, got {height}x{width}")
    spread = require("spread", spread, np.float32, (len(planes), SIDE, SIDE))
    made = (len(planes), height - 2 * MARGIN_PX, width - 2 * MARGIN_PX)
    return planes, spread, np.empty(made, np.float32)
