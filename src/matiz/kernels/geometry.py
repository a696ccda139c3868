"""One resampling for all geometry: turned, straightened in perspective, bent by a mesh, and each channel drawn larger
or smaller by radius as the lens did it.

Where the pixels of a short run come from is nearly the same shift for all of them. So the whole px of
that shift are worked out once a run, the run is read as it lies in memory, and only the weights differ
from pixel to pixel: about twice as fast as reading each pixel's neighbours from where it happens to fall.

The weights are those of maximal order for four neighbours, which want the source sharpened beforehand: turned there and
back they lose less than Lanczos's eight neighbours do.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import ArgumentError
from .buffers import require
from .loader import kernel

VARIANTS = {"near": (16, 2), "far": (16, 3), "steep": (4, 3), "free": (1, 3)}
"""Pixels of a run, which share the whole px of their shift, and neighbours weighed on either side. Along half a
run the shift may differ by up to half a px with two neighbours, and by one and a half with three."""
MARGIN = 0.05
SHARPENED_PX = 6
"""How far the sharpening beforehand looks."""
REACH_PX = SHARPENED_PX + max(reach for _, reach in VARIANTS.values())
"""What lies further from a place has no part in it."""
STRAIGHT = np.eye(3)
FLAT = np.zeros((2, 2, 2), np.float32)
_POLE = (np.sqrt(105.0) - 13.0) / 8.0


def define() -> list[tuple[str, Any, list[Any]]]:
    drawn = [
        _define(f"{'sharp' if sharp else 'resampled'}_{name}", *variant, sharp=sharp)
        for sharp in (True, False)
        for name, variant in VARIANTS.items()
        if sharp or name != "free"
    ]
    return [*drawn, _define_brightened()]


class _Straightening:
    """Where a pixel of the picture lies from the middle of what the lens drew: by the matrix, and the mesh on it."""

    def __init__(self) -> None:
        import halide as hl

        from .pipeline import image

        self.matrix = [hl.Param(hl.Float(32), f"to_lens_{n}") for n in range(8)]
        self.bend, self.per_bend = image("bend", 2), hl.Param(hl.Float(32), "per_bend")

    @property
    def parameters(self) -> list[Any]:
        return [self.bend, *self.matrix, self.per_bend]

    def place(self, u: Any, v: Any) -> tuple[Any, Any]:
        import halide as hl

        a, b, c, d, e, f, g, h = self.matrix
        by = hl.f32(1.0) / (g * u + h * v + hl.f32(1.0))
        x, y = (a * u + b * v + c) * by, (d * u + e * v + f) * by
        columns, rows = self.bend.dim(1).extent(), self.bend.dim(2).extent()
        at_x = hl.clamp(x * self.per_bend + hl.f32(columns - 1) * 0.5, 0.0, hl.f32(columns - 1) - hl.f32(1e-3))
        at_y = hl.clamp(y * self.per_bend + hl.f32(rows - 1) * 0.5, 0.0, hl.f32(rows - 1) - hl.f32(1e-3))
        column, row = hl.i32(at_x), hl.i32(at_y)
        across, down = at_x - hl.f32(column), at_y - hl.f32(row)
        moved = [
            hl.lerp(
                hl.lerp(self.bend[n, column, row], self.bend[n, column + 1, row], across),
                hl.lerp(self.bend[n, column, row + 1], self.bend[n, column + 1, row + 1], across),
                down,
            )
            for n in range(2)
        ]
        return x + moved[0], y + moved[1]


def _define(name: str, run_px: int, reach: int, *, sharp: bool) -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR, image, interleave, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    source, scales = image("source", 3), table("scales", 2)
    scales.dim(0).set_bounds(0, 3).set_stride(1)
    from_x, from_y = hl.Param(hl.Float(32), "from_x"), hl.Param(hl.Float(32), "from_y")
    to_x, to_y = hl.Param(hl.Float(32), "to_x"), hl.Param(hl.Float(32), "to_y")
    per_square = hl.Param(hl.Float(32), "per_square")
    straight = _Straightening()
    right, bottom = source.dim(1).extent() - 1, source.dim(2).extent() - 1
    weight_of = _of_maximal_order if sharp else _cubic

    def place(channel: int, at: Any) -> tuple[Any, Any]:
        """Where in the source a pixel of this row comes from."""
        away_x, away_y = straight.place(at + from_x, hl.f32(y) + from_y)
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
    if sharp:
        plane = _sharpened(name, plane)

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
        across, down = [weight_of(off_x - n) for n in steps], [weight_of(off_y - n) for n in steps]
        total: Any = hl.f32(0.0)
        for n, weight in zip(steps, down, strict=True):
            line = [w * plane[column_read + m, row_read + n, i] for m, w in zip(steps, across, strict=True)]
            total += weight * sum(line, hl.f32(0.0))
        func = hl.Func(f"channel_{i}")
        func[x, y] = total
        channels.append(func)
    out = hl.Func(name)
    out[c, x, y] = hl.select(c == 0, channels[0][x, y], c == 1, channels[1][x, y], channels[2][x, y])
    interleave(out.output_buffer(), 3)
    out.output_buffer().dim(1).set_min(0)
    out.bound(c, 0, 3).reorder(c, x, y).unroll(c)
    out.vectorize(x, max(run_px, 4), hl.TailStrategy.GuardWithIf)
    out.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)
    return name, out, [source, scales, *straight.parameters, from_x, from_y, to_x, to_y, per_square]


def _sharpened(name: str, plane: Any) -> Any:
    """The coefficients whose weighted sums at the pixels are the pixels' own values (Unser 1999)."""
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR

    x, y, c = hl.Var("x"), hl.Var("y"), hl.Var("c")
    task, row = hl.Var("task"), hl.Var("row")
    taps = _POLE ** np.arange(SHARPENED_PX + 1)
    taps = taps / (taps[0] + 2.0 * taps[1:].sum())

    def weighed(at: Any) -> Any:
        sides = (hl.f32(tap) * (at(-n) + at(n)) for n, tap in enumerate(taps[1:], 1))
        return sum(sides, hl.f32(taps[0]) * at(0))

    down, across = hl.Func(f"{name}_down"), hl.Func(f"{name}_across")
    down[x, y, c] = weighed(lambda n: plane[x, y + n, c])
    across[x, y, c] = weighed(lambda n: down[x + n, y, c])
    across.compute_root().split(y, task, row, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf).parallel(task)
    across.vectorize(x, VECTOR, hl.TailStrategy.RoundUp)
    # a row at a time, while it is near
    down.compute_at(across, row).vectorize(x, VECTOR, hl.TailStrategy.RoundUp)
    return across


def _define_brightened() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    source, gains = image("source", 3), table("gains")
    from_x, from_y = hl.Param(hl.Float(32), "from_x"), hl.Param(hl.Float(32), "from_y")
    per_square = hl.Param(hl.Float(32), "per_square")
    straight = _Straightening()
    away_x, away_y = straight.place(hl.f32(x) + from_x, hl.f32(y) + from_y)
    position = (away_x * away_x + away_y * away_y) * per_square
    entry = hl.clamp(hl.i32(position), 0, gains.dim(0).extent() - 2)
    gain = hl.Func("gain")
    gain[x, y] = hl.lerp(gains[entry], gains[entry + 1], hl.clamp(position - hl.f32(entry), 0.0, 1.0))
    out = hl.Func("brightened")
    out[c, x, y] = source[c, x, y] * gain[x, y]
    schedule_pixels(out, c, x, y, 3)
    return "brightened", out, [source, gains, *straight.parameters, from_x, from_y, per_square]


def _cubic(distance: Any) -> Any:
    """Weight of a neighbour (Keys 1981, a = -1/2)."""
    import halide as hl

    d = hl.abs(distance)
    near = (hl.f32(1.5) * d - hl.f32(2.5)) * d * d + hl.f32(1.0)
    far = ((hl.f32(-0.5) * d + hl.f32(2.5)) * d - hl.f32(4.0)) * d + hl.f32(2.0)
    return hl.select(d < 1.0, near, d < 2.0, far, hl.f32(0.0))


def _of_maximal_order(distance: Any) -> Any:
    """Weight of a neighbour (Blu, Thevenaz, Unser 2001, the cubic o-MOMS)."""
    import halide as hl

    d = hl.abs(distance)
    near = ((hl.f32(0.5) * d - hl.f32(1.0)) * d + hl.f32(1.0 / 14.0)) * d + hl.f32(13.0 / 21.0)
    far = ((hl.f32(-1.0 / 6.0) * d + hl.f32(1.0)) * d - hl.f32(85.0 / 42.0)) * d + hl.f32(29.0 / 21.0)
    return hl.select(d < 1.0, near, d < 2.0, far, hl.f32(0.0))


def resampled(
    source: NDArray[np.float32],
    scales: NDArray[np.float32],
    *,
    corner_px: float,
    away: tuple[float, float],
    middle: tuple[float, float],
    size: tuple[int, int],
    to_lens: NDArray[np.floating[Any]] = STRAIGHT,
    bend: NDArray[np.float32] = FLAT,
    per_bend: float = 0.0,
    steepest: float | None = None,
    sharp: bool = True,
) -> NDArray[np.float32]:
    """A picture whose pixels come from where a lens drew them.

    source: float32 (height, width, 3). size: (width, height) wanted; away: where the first pixel wanted lies from the
    middle of the picture's plane, (x, y) px. to_lens: (3, 3), from there, as (x, y, 1), to where it lies from the
    middle of what the lens drew. bend: (rows, columns, 2), what is added there, (x, y) px, on a mesh of `per_bend`
    steps a px about the same middle. scales: (n, 3) how many times as far out each channel lies, evenly by the square
    of the radius from 0 to `corner_px`. middle: where that middle lies in `source`, px, which may be outside.
    steepest: how much the shift of all this changes from px to px along a row, at most; by `scales` alone when not
    given. sharp: by maximal order, or by cubic convolution. Beyond its border the source's last row or column goes
    on.
    Returns float32 (height, width, 3).

    References: Blu, Thevenaz, Unser, MOMS: maximal-order interpolation of minimal support, 2001; Keys, Cubic
    Convolution Interpolation for Digital Image Processing, 1981.
    """
    source = require("source", source, np.float32, (None, None, 3))
    scales = require("scales", scales, np.float32, (None, 3))
    name = _variant(_steepest(scales) if steepest is None else steepest)
    result = np.empty((size[1], size[0], 3), np.float32)
    numbers = (*_eight(to_lens), per_bend, *away, *middle, (len(scales) - 1) / corner_px**2)
    call = kernel(f"{'sharp' if sharp else 'resampled'}_{name}")
    call(source, scales, require("bend", bend, np.float32, (None, None, 2)), *(float(v) for v in numbers), result)
    return result


def _eight(to_lens: NDArray[np.floating[Any]]) -> NDArray[np.floating[Any]]:
    """The entries of a matrix (3, 3) whose last is made 1."""
    return (np.asarray(to_lens, np.float64) / to_lens[2, 2]).ravel()[:8]


def _variant(steepest: float) -> str:
    """The quickest variant whose neighbours reach as far as the shift changes along half a run."""
    for name, (run_px, reach) in VARIANTS.items():
        if steepest * run_px / 2 < reach - 1.5 - MARGIN:
            return name
    raise ArgumentError(f"scales: the shift changes by {steepest:.2f} px from px to px; too steep to be resampled")


def brightened(
    source: NDArray[np.float32],
    gains: NDArray[np.float32],
    *,
    corner_px: float,
    away: tuple[float, float],
    to_lens: NDArray[np.floating[Any]] = STRAIGHT,
    bend: NDArray[np.float32] = FLAT,
    per_bend: float = 0.0,
) -> NDArray[np.float32]:
    """A picture (height, width, 3) times a gain by radius; `gains` (n,) and the rest as for `resampled`."""
    source = require("source", source, np.float32, (None, None, 3))
    gains = require("gains", gains, np.float32, (None,))
    result = np.empty(source.shape, np.float32)
    numbers = (*_eight(to_lens), per_bend, *away, (len(gains) - 1) / corner_px**2)
    bend = require("bend", bend, np.float32, (None, None, 2))
    kernel("brightened")(source, gains, bend, *(float(v) for v in numbers), result)
    return result


def _steepest(scales: NDArray[np.float32]) -> float:
    """How much the shift changes from px to px where it changes most."""
    radius = np.sqrt(np.linspace(0.0, 1.0, len(scales)))
    shift = radius[:, None] * (scales - 1.0)
    return float(np.abs(np.diff(shift, axis=0) / np.diff(radius)[:, None]).max())
