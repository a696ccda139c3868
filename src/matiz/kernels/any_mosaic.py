"""Mosaics of any period to three channels: green along edges, red and blue by their difference from it.

Green is interpolated along rows and along columns from what green there is (normalised convolution,
Knutsson and Westin 1993), and mixed so that no interpolation runs across an edge. Differences of red
and blue from green are smooth, so they are interpolated evenly; a median takes lone false colours
away. Green at red and blue places is then mended once from those differences. As for 2x2 mosaics, all
of it works on square roots, in which edges are steps of even height at any brightness.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import output, require
from .demosaic import TOE, median_of_nine
from .loader import kernel

MARGIN_PX = 18
"""How far the interpolation looks around a pixel."""

LEAST_CHANGE = 2e-4
LONG, SHORT, EVEN, DIFFERENCE = (7, 0.7), (3, 0.35), (7, 0.8), (9, 1.3)
"""Size in px and sigma of the windows: of green along a direction and across it, of both, and of differences."""
TILE_X, TILE_Y = 256, 128

Window = tuple[int, float]


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR, interleave, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    mosaic = hl.ImageParam(hl.Float(32), 2, "mosaic")
    pattern = hl.ImageParam(hl.UInt(8), 2, "pattern")
    scale = table("scale")
    stored: list[Any] = []

    def keep(name: str, value: Any) -> Any:
        """A function that is worked out once for a tile."""
        func = hl.Func(name)
        func[x, y] = value
        stored.append(func)
        return func

    above = hl.BoundaryConditions.mirror_interior(mosaic)[x, y] + TOE
    root = hl.sqrt(hl.abs(above))
    m = keep("encoded", hl.select(above < 0.0, -root, root))
    size = [(0, mosaic.dim(0).extent()), (0, mosaic.dim(1).extent())]
    place = hl.Func("place")
    place[x, y] = pattern[x % pattern.dim(0).extent(), y % pattern.dim(1).extent()]
    colour = hl.BoundaryConditions.mirror_interior(place, size)
    red, green, blue = (keep(f"is_{n}", hl.f32(hl.select(colour[x, y] == n, 1.0, 0.0))) for n in range(3))

    def total(terms: Any) -> Any:
        return sum(terms, hl.f32(0.0))

    def weighed(name: str, values: Any, window_x: Window, window_y: Window) -> Any:
        """Gaussian means of a function, not yet normalised."""
        rows = keep(f"{name}_rows", total(values[x + i, y] * w for i, w in _taps(window_x)))
        return keep(name, total(rows[x, y + i] * w for i, w in _taps(window_y)))

    def spread(name: str, values: Any, mask: Any, window_x: Window, window_y: Window) -> Any:
        """Means of the values given where the mask is 1, at every place (an expression)."""
        sums = weighed(f"{name}_sum", values, window_x, window_y)
        return sums[x, y] / hl.max(weighed(f"{name}_weight", mask, window_x, window_y)[x, y], 1e-5)

    known = keep("known_green", m[x, y] * green[x, y])
    along, across = spread("along", known, green, LONG, SHORT), spread("across", known, green, SHORT, LONG)
    even = keep("even", spread("evenly", known, green, EVEN, EVEN))

    def change(name: str, dx: int, dy: int) -> Any:
        """Mean over 3x3 places of the absolute Sobel derivative in one direction (an expression)."""
        beside = ((-1, 1.0), (0, 2.0), (1, 1.0))
        slope = total((even[x + dx + k * dy, y + dy + k * dx] - even[x - dx + k * dy, y - dy + k * dx]) * w
                     for k, w in beside)  # fmt: skip
        steps = keep(name, hl.abs(slope))
        return total(steps[x + i, y + j] for i in (-1, 0, 1) for j in (-1, 0, 1)) / 9.0

    # along rows where change along rows is small
    change_x, change_y = change("change_x", 1, 0), change("change_y", 0, 1)
    weight_x, weight_y = 1.0 / (change_x * change_x + LEAST_CHANGE), 1.0 / (change_y * change_y + LEAST_CHANGE)
    mixed = (along * weight_x + across * weight_y) / (weight_x + weight_y)
    first = keep("first_green", hl.select(green[x, y] > 0.5, m[x, y], mixed))

    masks = {0: red, 2: blue}
    weights = {n: weighed(f"weight_{n}", mask, DIFFERENCE, DIFFERENCE) for n, mask in masks.items()}

    def differences(turn: str, whole: Any) -> dict[int, Any]:
        """Red and blue less green at every place, lone false colours taken away."""
        out = {}
        for n, mask in masks.items():
            own = keep(f"{turn}_own_{n}", (m[x, y] - whole[x, y]) * mask[x, y])
            sums = weighed(f"{turn}_sum_{n}", own, DIFFERENCE, DIFFERENCE)
            smooth = keep(f"{turn}_smooth_{n}", sums[x, y] / hl.max(weights[n][x, y], 1e-5))
            near = [smooth[x + i, y + j] for i in (-1, 0, 1) for j in (-1, 0, 1)]
            out[n] = keep(f"{turn}_difference_{n}", median_of_nine(near))
        return out

    rough = differences("first", first)
    better = {n: 0.5 * (first[x, y] + m[x, y] - rough[n][x, y]) for n in masks}
    whole = keep("whole_green", hl.select(red[x, y] > 0.5, better[0], blue[x, y] > 0.5, better[2], first[x, y]))
    fine = differences("second", whole)
    value = {n: hl.select(mask[x, y] > 0.5, m[x, y], whole[x, y] + fine[n][x, y]) for n, mask in masks.items()}

    out = hl.Func("demosaic_any")
    chosen = hl.select(c == 0, value[0], c == 1, whole[x, y], value[2])
    out[c, x, y] = (chosen * hl.abs(chosen) - TOE) * scale[c]
    interleave(out.output_buffer(), 3)
    tail = hl.TailStrategy.GuardWithIf
    xo, yo, xi, yi = hl.Var("xo"), hl.Var("yo"), hl.Var("xi"), hl.Var("yi")
    out.bound(c, 0, 3).tile(x, y, xo, yo, xi, yi, TILE_X, TILE_Y, tail).reorder(c, xi, yi, xo, yo)
    out.unroll(c).vectorize(xi, VECTOR, tail).parallel(yo)
    for func in stored:
        func.compute_at(out, xo).vectorize(x, VECTOR, hl.TailStrategy.RoundUp)
    return [("demosaic_any", out, [mosaic, pattern, scale])]


def _taps(window: Window) -> list[tuple[int, float]]:
    """Offsets and weights of a Gaussian window, which sum to 1."""
    size, sigma = window
    offsets = np.arange(size) - size // 2
    weights = np.exp(-0.5 * (offsets / sigma) ** 2)
    return [(int(i), float(w)) for i, w in zip(offsets, weights / weights.sum(), strict=True)]


def demosaic_any(
    mosaic: NDArray[np.float32],
    pattern: NDArray[np.uint8],
    scale: NDArray[np.float32],
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Three channels at every pixel of a mosaic; a photosite keeps its own value.

    mosaic: float32 (height, width), balanced so that grey gives equal values, at least 16x16. pattern: uint8, one
    period, 0 red, 1 green, 2 blue. scale: (3,) factors put on the result. Returns float32 (height, width, 3).
    """
    mosaic = require("mosaic", mosaic, np.float32, (None, None))
    if min(mosaic.shape) < 16:
        raise ArgumentError(f"mosaic: at least 16x16 pixels are needed, got {mosaic.shape}")
    pattern = require("pattern", pattern, np.uint8, (None, None))
    if set(np.unique(pattern)) != {0, 1, 2}:
        raise ArgumentError(f"pattern: red, green and blue are needed, 0, 1 and 2; got {sorted(np.unique(pattern))}")
    scale = require("scale", scale, np.float32, (3,))
    result = output("out", out, np.float32, (*mosaic.shape, 3))
    kernel("demosaic_any")(mosaic, pattern, scale, result)
    return result
