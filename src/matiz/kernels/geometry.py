"""One resampling for all geometry about the picture's middle: each channel drawn larger or smaller by radius.

Where the pixels of a short run come from is nearly the same shift for all of them. So the whole px of
that shift are worked out once a run, the run is read as it lies in memory, and only the weights differ
from pixel to pixel: about twice as fast as reading each pixel's neighbours from where it happens to fall.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import output, require
from .loader import kernel

VARIANTS = {"near": (16, 2), "far": (16, 3), "steep": (4, 3)}
"""Pixels of a run, which share the whole px of their shift, and neighbours weighed on either side. Along half a
run the shift may differ by up to half a px with two neighbours, and by one and a half with three."""
MARGIN = 0.05


def define() -> list[tuple[str, Any, list[Any]]]:
    return [*(_define(name, run, reach) for name, (run, reach) in VARIANTS.items()), _define_brightened()]


def _define(name: str, run_px: int, reach: int) -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR, image, interleave, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    source, scales = image("source", 3), table("scales", 2)
    scales.dim(0).set_bounds(0, 3).set_stride(1)
    from_x, from_y = hl.Param(hl.Float(32), "from_x"), hl.Param(hl.Float(32), "from_y")
    to_x, to_y = hl.Param(hl.Float(32), "to_x"), hl.Param(hl.Float(32), "to_y")
    per_square = hl.Param(hl.Float(32), "per_square")
    right, bottom = source.dim(1).extent() - 1, source.dim(2).extent() - 1

    def place(channel: int, at: Any) -> tuple[Any, Any]:
        """Where in the source a pixel of this row comes from."""
        away_x, away_y = at + from_x, hl.f32(y) + from_y
        position = (away_x * away_x + away_y * away_y) * per_square
        entry = hl.clamp(hl.i32(position), 0, scales.dim(1).extent() - 2)
        # a run may end a little beyond the corner
        share = position - hl.f32(entry)
        scale = hl.lerp(scales[channel, entry], scales[channel, entry + 1], share)
        return away_x * scale + to_x, away_y * scale + to_y

    # by channel, so that a run lies in one piece
    plane = hl.Func(f"plane_{name}")
    bordered = hl.BoundaryConditions.repeat_edge(source, [(0, 3), (0, right + 1), (0, bottom + 1)])
    plane[x, y, c] = bordered[c, x, y]
    plane.compute_root().reorder(c, x, y).bound(c, 0, 3).unroll(c).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    plane.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)

    run = x // run_px
    channels = []
    for i in range(3):
        (first_x, first_y), (next_x, next_y) = place(i, hl.f32(run * run_px)), place(i, hl.f32(run * run_px + run_px))
        middle_x, middle_y = 0.5 * (first_x + next_x), 0.5 * (first_y + next_y)
        start = hl.i32(hl.round(middle_x - 0.5 * run_px))
        row = hl.i32(hl.round(middle_y))
        # further out than this every neighbour is the border's
        column_read = hl.clamp(start, -run_px - reach, right + reach) + x % run_px
        row_read = hl.clamp(row, -reach, bottom + reach)
        # along a run the shift bends by far less than a hundredth of a px
        share = hl.f32(x % run_px) / run_px
        at_x, at_y = hl.lerp(first_x, next_x, share), hl.lerp(first_y, next_y, share)
        off_x, off_y = at_x - hl.f32(start + x % run_px), at_y - hl.f32(row)
        steps = range(-reach, reach + 1)
        across, down = [_cubic(off_x - n) for n in steps], [_cubic(off_y - n) for n in steps]
        total: Any = hl.f32(0.0)
        for n, weight in zip(steps, down, strict=True):
            line = [w * plane[column_read + m, row_read + n, i] for m, w in zip(steps, across, strict=True)]
            total += weight * sum(line, hl.f32(0.0))
        func = hl.Func(f"resampled_{i}")
        func[x, y] = total
        channels.append(func)
    out = hl.Func(f"resampled_{name}")
    out[c, x, y] = hl.select(c == 0, channels[0][x, y], c == 1, channels[1][x, y], channels[2][x, y])
    interleave(out.output_buffer(), 3)
    out.output_buffer().dim(1).set_min(0)
    out.bound(c, 0, 3).reorder(c, x, y).unroll(c)
    out.vectorize(x, run_px, hl.TailStrategy.GuardWithIf)
    out.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return f"resampled_{name}", out, [source, scales, from_x, from_y, to_x, to_y, per_square]


def _define_brightened() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    source, gains = image("source", 3), table("gains")
    from_x, from_y = hl.Param(hl.Float(32), "from_x"), hl.Param(hl.Float(32), "from_y")
    per_square = hl.Param(hl.Float(32), "per_square")
    away_x, away_y = hl.f32(x) + from_x, hl.f32(y) + from_y
    position = (away_x * away_x + away_y * away_y) * per_square
    entry = hl.clamp(hl.i32(position), 0, gains.dim(0).extent() - 2)
    gain = hl.Func("gain")
    gain[x, y] = hl.lerp(gains[entry], gains[entry + 1], hl.clamp(position - hl.f32(entry), 0.0, 1.0))
    out = hl.Func("brightened")
    out[c, x, y] = source[c, x, y] * gain[x, y]
    schedule_pixels(out, c, x, y, 3)
    return "brightened", out, [source, gains, from_x, from_y, per_square]


def _cubic(distance: Any) -> Any:
    """Weight of a neighbour (Keys 1981, a = -1/2)."""
    import halide as hl

    d = hl.abs(distance)
    near = (hl.f32(1.5) * d - hl.f32(2.5)) * d * d + hl.f32(1.0)
    far = ((hl.f32(-0.5) * d + hl.f32(2.5)) * d - hl.f32(4.0)) * d + hl.f32(2.0)
    return hl.select(d < 1.0, near, d < 2.0, far, hl.f32(0.0))


def resampled(
    source: NDArray[np.float32],
    scales: NDArray[np.float32],
    *,
    corner_px: float,
    away: tuple[float, float],
    middle: tuple[float, float],
    size: tuple[int, int],
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """A picture whose pixels come from `scale` times as far from the middle, by channel and radius.

    source: float32 (height, width, 3). scales: (n, 3), evenly by the square of the radius from 0 to
    `corner_px`. away: where the first pixel wanted lies from the middle, (x, y) px. middle: where the
    middle lies in `source`, px, which may be outside. size: (width, height) wanted. Beyond its border
    the source's last row or column goes on. Returns float32 (height, width, 3), cubic interpolation.

    References: Keys, Cubic Convolution Interpolation for Digital Image Processing, 1981.
    """
    source = require("source", source, np.float32, (None, None, 3))
    scales = require("scales", scales, np.float32, (None, 3))
    result = output("out", out, np.float32, (size[1], size[0], 3))
    name = _variant(_steepest(scales))
    per_square = (len(scales) - 1) / corner_px**2
    kernel(f"resampled_{name}")(source, scales, *(float(v) for v in (*away, *middle, per_square)), result)
    return result


def _variant(steepest: float) -> str:
    """The quickest variant whose neighbours reach as far as the shift changes along half a run."""
    for name, (run_px, reach) in VARIANTS.items():
        if steepest * run_px / 2 < reach - 1.5 - MARGIN:
            return name
    raise ArgumentError(f"scales: the shift changes by {steepest:.2f} px from px to px; too steep to be resampled")


def brightened(
    source: NDArray[np.float32], gains: NDArray[np.float32], *, corner_px: float, away: tuple[float, float]
) -> NDArray[np.float32]:
    """A picture (height, width, 3) times a gain by radius; `gains` (n,) and the rest as for `resampled`."""
    source = require("source", source, np.float32, (None, None, 3))
    gains = require("gains", gains, np.float32, (None,))
    result = np.empty(source.shape, np.float32)
    kernel("brightened")(source, gains, *(float(v) for v in (*away, (len(gains) - 1) / corner_px**2)), result)
    return result


def _steepest(scales: NDArray[np.float32]) -> float:
    """How much the shift changes from px to px where it changes most."""
    radius = np.sqrt(np.linspace(0.0, 1.0, len(scales)))
    shift = radius[:, None] * (scales - 1.0)
    return float(np.abs(np.diff(shift, axis=0) / np.diff(radius)[:, None]).max())
