"""What the pipelines share when they are described. Imported by the build only."""

import warnings
from typing import Any

import halide as hl

# constants are meant to be float32
warnings.filterwarnings("ignore", message="The floating-point value", category=RuntimeWarning)

VECTOR = 16
ROWS_PER_TASK = 16


def image(name: str, channels: int, type_: Any = None) -> Any:
    """An interleaved input image, f[c, x, y], with dense pixels."""
    buffer = hl.ImageParam(type_ or hl.Float(32), 3, name)
    interleave(buffer, channels)
    return buffer


def table(name: str, dimensions: int = 1) -> Any:
    """A small float input: a vector, a matrix or a lookup table."""
    return hl.ImageParam(hl.Float(32), dimensions, name)


def schedule_pixels(func: Any, c: Any, x: Any, y: Any, channels: int) -> None:
    """Whole pixels along x in vectors, rows in parallel; any extent, however small."""
    interleave(func.output_buffer(), channels)
    func.bound(c, 0, channels).reorder(c, x, y).unroll(c)
    func.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    func.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)


def row_product(matrix: Any, row: Any, values: list[Any]) -> Any:
    """One row of matrix times vector; NumPy's [row, column] is Halide's [column, row]."""
    return sum((matrix[i, row] * value for i, value in enumerate(values)), hl.f32(0.0))


def on_grid(grid: Any, x: Any, y: Any, scale: Any, left: Any, top: Any) -> Any:
    """A function from a channel to the bilinear value of a coarse grid f[c, column, row] at a pixel.

    A pixel is `scale` of the grid's steps; the first pixel's corner lies at (left, top) on it. Beyond its border
    the grid goes on.
    """
    place_x, place_y = (hl.f32(x) + 0.5) * scale + left - 0.5, (hl.f32(y) + 0.5) * scale + top - 0.5
    column = hl.clamp(hl.i32(hl.floor(place_x)), 0, grid.dim(1).extent() - 2)
    row = hl.clamp(hl.i32(hl.floor(place_y)), 0, grid.dim(2).extent() - 2)
    tx, ty = hl.clamp(place_x - hl.f32(column), 0.0, 1.0), hl.clamp(place_y - hl.f32(row), 0.0, 1.0)

    def value(channel: int) -> Any:
        upper = hl.lerp(grid[channel, column, row], grid[channel, column + 1, row], tx)
        lower = hl.lerp(grid[channel, column, row + 1], grid[channel, column + 1, row + 1], tx)
        return hl.lerp(upper, lower, ty)

    return value


def luminance(red: Any, green: Any, blue: Any) -> Any:
    """Luminance of linear Rec.2020."""
    return hl.f32(0.2627) * red + hl.f32(0.6780) * green + hl.f32(0.0593) * blue


def interleave(buffer: Any, channels: int) -> None:
    """Tell Halide that channels lie side by side."""
    buffer.dim(0).set_bounds(0, channels).set_stride(1)
    buffer.dim(1).set_stride(channels)
