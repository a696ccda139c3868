"""Fractal gradient noise, for the textures of the simulated camera.

Reference: Perlin 1985, "An image synthesizer"; quintic fade as in Perlin 2002.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from matiz.kernels.buffers import output, require

from . import kernel


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_plane(), _define_space()]


def _define_plane() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from matiz.kernels.pipeline import ROWS_PER_TASK, VECTOR, table

    x, y = hl.Var("x"), hl.Var("y")
    u = hl.ImageParam(hl.Float(32), 2, "u")
    v = hl.ImageParam(hl.Float(32), 2, "v")
    footprint = hl.ImageParam(hl.Float(32), 2, "footprint")
    octaves = table("octaves", 2)
    seed = hl.Param(hl.Int(32), "seed")
    r = hl.RDom([(0, octaves.dim(1).extent())], "octave")
    frequency, weight = octaves[0, r], octaves[1, r]

    shift = hl.f32(r) * hl.f32(17.31)
    px, py = u[x, y] * frequency + shift, v[x, y] * frequency + shift
    cell_x, cell_y = hl.floor(px), hl.floor(py)
    fx, fy = px - cell_x, py - cell_y

    def corner(dx: int, dy: int) -> Any:
        ix, iy = hl.u32(hl.i32(cell_x) + dx), hl.u32(hl.i32(cell_y) + dy)
        mixed = ix * hl.u32(0x8DA6B343) ^ iy * hl.u32(0xD8163841) ^ hl.u32(seed + r) * hl.u32(0xCB1AB31F)
        mixed = (mixed ^ (mixed >> 15)) * hl.u32(0x2C1B3C6D)
        mixed = (mixed ^ (mixed >> 12)) * hl.u32(0x297A2D39)
        mixed = mixed ^ (mixed >> 15)
        # a gradient whose parts are uniform in -1..1 is round enough here, and cheap
        gx = hl.f32(mixed & hl.u32(0xFFFF)) / 32767.5 - 1.0
        gy = hl.f32(mixed >> 16) / 32767.5 - 1.0
        return gx * (fx - hl.f32(dx)) + gy * (fy - hl.f32(dy))

    top = hl.lerp(corner(0, 0), corner(1, 0), _faded(fx))
    bottom = hl.lerp(corner(0, 1), corner(1, 1), _faded(fx))
    seen = hl.clamp(2.0 - 4.0 * footprint[x, y] * frequency, 0.0, 1.0)
    out = hl.Func("fractal_noise")
    out[x, y] = hl.f32(0.0)
    out[x, y] += hl.lerp(top, bottom, _faded(fy)) * weight * seen
    tail = hl.TailStrategy.GuardWithIf
    out.vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
    out.update().reorder(r, x, y).vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
    return "fractal_noise", out, [u, v, footprint, octaves, seed]


def _define_space() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from matiz.kernels.pipeline import ROWS_PER_TASK, VECTOR, image, table

    x, y = hl.Var("x"), hl.Var("y")
    points = image("points", 3)
    footprint = hl.ImageParam(hl.Float(32), 2, "footprint")
    octaves = table("octaves", 2)
    seed = hl.Param(hl.Int(32), "seed")
    r = hl.RDom([(0, octaves.dim(1).extent())], "octave")
    frequency, weight = octaves[0, r], octaves[1, r]

    shift = hl.f32(r) * hl.f32(17.31)
    place = [points[i, x, y] * frequency + shift for i in range(3)]
    cell = [hl.floor(v) for v in place]
    inside = [v - c for v, c in zip(place, cell, strict=True)]

    def corner(*steps: int) -> Any:
        ix, iy, iz = (hl.u32(hl.i32(c) + d) for c, d in zip(cell, steps, strict=True))
        mixed = ix * hl.u32(0x8DA6B343) ^ iy * hl.u32(0xD8163841) ^ iz * hl.u32(0xCB1AB31F)
        mixed = mixed ^ hl.u32(seed + r) * hl.u32(0x9E3779B1)
        mixed = (mixed ^ (mixed >> 15)) * hl.u32(0x2C1B3C6D)
        mixed = (mixed ^ (mixed >> 12)) * hl.u32(0x297A2D39)
        mixed = mixed ^ (mixed >> 15)
        total = hl.f32(0.0)
        for i, d in enumerate(steps):
            part = (mixed >> (10 * i)) & hl.u32(0x3FF)
            total += (hl.f32(part) / 511.5 - 1.0) * (inside[i] - hl.f32(d))
        return total

    fx, fy, fz = (_faded(t) for t in inside)
    rows = [hl.lerp(corner(0, dy, dz), corner(1, dy, dz), fx) for dz in (0, 1) for dy in (0, 1)]
    value = hl.lerp(hl.lerp(rows[0], rows[1], fy), hl.lerp(rows[2], rows[3], fy), fz)
    seen = hl.clamp(2.0 - 4.0 * footprint[x, y] * frequency, 0.0, 1.0)
    out = hl.Func("fractal_noise_in_space")
    out[x, y] = hl.f32(0.0)
    out[x, y] += value * weight * seen
    tail = hl.TailStrategy.GuardWithIf
    out.vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
    out.update().reorder(r, x, y).vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
    return "fractal_noise_in_space", out, [points, footprint, octaves, seed]


def _faded(t: Any) -> Any:
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


def fractal_noise(
    u: NDArray[np.float32],
    v: NDArray[np.float32],
    footprint: NDArray[np.float32],
    *,
    seed: int,
    octaves: int,
    roughness: float,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Gradient noise about 0, mostly within -1..1, (height, width).

    u, v: where, in periods of the first octave. footprint: size of a pixel there; octaves finer
    than that fade out instead of aliasing. Each octave doubles the frequency and takes
    `roughness` of the weight before it.
    """
    u = require("u", u, np.float32, (None, None))
    v = require("v", v, np.float32, u.shape)
    footprint = require("footprint", footprint, np.float32, u.shape)
    table = _octaves(octaves, roughness)
    result = output("out", out, np.float32, u.shape)
    kernel("fractal_noise")(u, v, footprint, table, int(seed), result)
    return result


def fractal_noise_in_space(
    points: NDArray[np.float32],
    footprint: NDArray[np.float32],
    *,
    seed: int,
    octaves: int,
    roughness: float,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """The same of points (height, width, 3) in space; returns (height, width)."""
    points = require("points", points, np.float32, (None, None, 3))
    footprint = require("footprint", footprint, np.float32, points.shape[:2])
    result = output("out", out, np.float32, points.shape[:2])
    kernel("fractal_noise_in_space")(points, footprint, _octaves(octaves, roughness), int(seed), result)
    return result


def _octaves(count: int, roughness: float) -> NDArray[np.float32]:
    """(n, 2) frequency and weight of each octave; at least two rows, for the compiled code's sake."""
    n = np.arange(max(count, 2))
    return np.stack([2.03**n, 1.4 * roughness**n * (n < count)], axis=1).astype(np.float32)
