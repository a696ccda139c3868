"""The guided filter of an image by itself, at small radii, in one pass over the pixels.

References: He, Sun, Tang, "Guided Image Filtering", 2010.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel

MOST_RADIUS = 24
TILE_X, TILE_Y = 256, 64


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import VECTOR

    x, y = hl.Var("x"), hl.Var("y")
    source = hl.ImageParam(hl.Float(32), 2, "source")
    radius, edge = hl.Param(hl.Int(32), "radius"), hl.Param(hl.Float(32), "edge")
    reach = hl.clamp(radius, 1, MOST_RADIUS)
    window = hl.RDom([(-reach, 2 * reach + 1)])
    share = hl.f32(1.0) / hl.f32(2 * reach + 1)
    image = hl.BoundaryConditions.mirror_image(source)
    tail = hl.TailStrategy.GuardWithIf
    inner: list[Any] = []

    def mean(func: Any, name: str) -> Any:
        across, down = hl.Func(f"{name}_across"), hl.Func(f"{name}_down")
        across[x, y] = hl.f32(0.0)
        across[x, y] += func[x + window.x, y] * share
        down[x, y] = hl.f32(0.0)
        down[x, y] += across[x, y + window.x] * share
        inner.extend((across, down))
        return down

    plain, square = hl.Func("plain"), hl.Func("square")
    plain[x, y] = image[x, y]
    square[x, y] = plain[x, y] * plain[x, y]
    level, level_square = mean(plain, "level"), mean(square, "level_square")
    slope, offset = hl.Func("slope"), hl.Func("offset")
    variance = hl.max(level_square[x, y] - level[x, y] * level[x, y], hl.f32(0.0))
    slope[x, y] = variance / (variance + edge * edge)
    offset[x, y] = level[x, y] * (hl.f32(1.0) - slope[x, y])
    out = hl.Func("calmed")
    out[x, y] = mean(slope, "mean_slope")[x, y] * plain[x, y] + mean(offset, "mean_offset")[x, y]
    xo, yo, xi, yi = hl.Var("xo"), hl.Var("yo"), hl.Var("xi"), hl.Var("yi")
    out.tile(x, y, xo, yo, xi, yi, TILE_X, TILE_Y, tail).vectorize(xi, VECTOR, tail).parallel(yo)
    for func in (plain, square, slope, offset, *inner):
        func.compute_at(out, xo).vectorize(x, VECTOR, tail)
    for func in inner:
        func.update(0).reorder(x, window.x, y).vectorize(x, VECTOR, tail)
    return [("calmed", out, [source, radius, edge])]


def calmed(source: NDArray[np.float32], radius_px: int, edge: float) -> NDArray[np.float32]:
    """An image (height, width) smoothed where it is flat; steps well above `edge` are kept.

    radius_px: 1..MOST_RADIUS, of the square window. Beyond the border the image is mirrored.
    """
    if not (1 <= radius_px <= MOST_RADIUS and edge > 0):
        raise ArgumentError(f"radius_px and edge: 1..{MOST_RADIUS} and above 0, got {radius_px} and {edge:g}")
    source = require("source", source, np.float32, (None, None))
    result = np.empty(source.shape, np.float32)
    kernel("calmed")(source, int(radius_px), float(edge), result)
    return result
