"""Rays against rounded bodies: a list of tapered capsules joined by smooth unions, sphere traced.

Reference: Hart 1996, "Sphere tracing: a geometric method for the antialiased ray tracing of
implicit surfaces". Silhouettes get the share of the pixel that they cover, from the least distance
at which the ray passes.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from matiz.kernels.buffers import output, require

from . import kernel

COLUMNS = 13
"""Of a body: end A (x, y, z, radius), end B (x, y, z, radius), reach of its smooth union with the
bodies before it, a unit direction (x, y, z) and the factor by which it is flattened along it."""

RESULTS = 7
"""Distance along the ray, share of the pixel covered, normal (x, y, z), which body, how far from A to B."""

STEPS, FINE_STEPS = 30, 26
"""Of the wide rays, and of each pixel's own from there on."""
SQUARE = 4
EDGE_PX, WIDE_PX = 0.5, 0.85
"""Taken off the bodies for their soft edges; and added to them, in squares, so that a wide ray stops
before any of its pixels would (half the diagonal is 0.71)."""
FAR = 1.0e6


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from matiz.kernels.pipeline import VECTOR, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    bodies, camera = table("bodies", 2), table("camera", 2)
    start = table("start", 2)
    spacing, steps_taken = hl.Param(hl.Int(32), "spacing"), hl.Param(hl.Int(32), "steps_taken")
    margin_px = hl.Param(hl.Float(32), "margin_px")
    count = bodies.dim(1).extent()

    # float32 for every constant: a bare Python float would widen the arithmetic
    def f(value: float) -> Any:
        return hl.f32(value)

    toward = [camera[i, 1] + camera[i, 2] * hl.f32(x) + camera[i, 3] * hl.f32(y) for i in range(3)]
    length = hl.sqrt(toward[0] * toward[0] + toward[1] * toward[1] + toward[2] * toward[2])
    ray = hl.Func("ray")
    ray[x, y] = tuple(v / length for v in toward)
    across = hl.sqrt(sum((camera[i, 2] * camera[i, 2] for i in range(3)), f(0.0)))
    pixel = across / length

    def at(t: Any) -> list[Any]:
        return [camera[i, 0] + ray[x, y][i] * t for i in range(3)]

    def distance(p: list[Any], n: Any) -> tuple[Any, Any]:
        """Distance of p to body n, to first order, and place 0..1 on it."""
        pa = [p[i] - bodies[i, n] for i in range(3)]
        ba = [bodies[4 + i, n] for i in range(3)]
        flat = [bodies[9 + i, n] for i in range(3)]
        off = sum((pa[i] * flat[i] for i in range(3)), f(0.0)) * bodies[12, n]
        pa = [pa[i] + flat[i] * off for i in range(3)]
        along = hl.clamp(sum((pa[i] * ba[i] for i in range(3)), f(0.0)) * bodies[13, n], f(0.0), f(1.0))
        rest = [pa[i] - ba[i] * along for i in range(3)]
        radius = bodies[3, n] + bodies[7, n] * along
        long2 = sum((v * v for v in rest), f(1e-12))
        squeezed = sum((rest[i] * flat[i] for i in range(3)), f(0.0))
        long = hl.sqrt(long2)
        # where it is flattened the distance falls faster: divide by the slope
        return (long - radius) * long / hl.sqrt(long2 + bodies[14, n] * squeezed * squeezed), along

    def joined(so_far: Any, d: Any, n: Any) -> Any:
        overlap = hl.max(bodies[8, n] - hl.abs(so_far - d), f(0.0))
        return hl.min(so_far, d) - overlap * overlap * bodies[15, n]

    steps = hl.RDom([(0, count), (0, steps_taken)], "steps")
    walk = hl.Func("walk")
    begin = start[hl.min(x / spacing, start.dim(0).extent() - 1), hl.min(y / spacing, start.dim(1).extent() - 1)]
    walk[x, y] = (begin, f(FAR), f(FAR), begin, f(FAR))
    t, so_far, least, nearest, _ = (walk[x, y][i] for i in range(5))
    d, _ = distance(at(t), steps.x)
    d = joined(so_far, d, steps.x)
    last = steps.x == count - 1
    # half a pixel is taken off the bodies, and given back as the soft edge
    clear = d + margin_px * pixel * t
    walk[x, y] = (
        hl.select(last, t + hl.max(clear, f(0.0)) * f(0.85), t),
        hl.select(last, f(FAR), d),
        hl.select(last, hl.min(least, clear / (pixel * t)), least),
        hl.select(last & (clear / (pixel * t) < least), t, nearest),
        hl.select(last, clear / (pixel * t), walk[x, y][4]),
    )

    bodies_here = hl.RDom([(0, count)], "bodies_here")
    n = bodies_here.x
    # a ray that ends on a surface is covered, however closely it passed others; one that does not
    # shows, as far as it is covered, the place that it passed closest
    arrived = walk[x, y][4] < f(1.5)
    end = hl.select(arrived, walk[x, y][0], walk[x, y][3])
    step = hl.max(f(0.4) * pixel * end, f(2e-5))
    corners = ((1, -1, -1), (-1, -1, 1), (-1, 1, -1), (1, 1, 1))
    surface = hl.Func("surface")
    surface[x, y] = (f(FAR), f(FAR), f(FAR), f(FAR), f(FAR), f(0.0), f(0.0))
    ds = []
    for k, corner in enumerate(corners):
        p = [v + step * f(float(s)) for v, s in zip(at(end), corner, strict=True)]
        ds.append(joined(surface[x, y][k], distance(p, n)[0], n))
    own, along = distance(at(end), n)
    nearer = own < surface[x, y][4]
    surface[x, y] = (
        *ds,
        hl.select(nearer, own, surface[x, y][4]),
        hl.select(nearer, hl.f32(n), surface[x, y][5]),
        hl.select(nearer, along, surface[x, y][6]),
    )
    raw = [sum((surface[x, y][k] * f(float(corners[k][i])) for k in range(4)), f(0.0)) for i in range(3)]
    size = hl.sqrt(raw[0] * raw[0] + raw[1] * raw[1] + raw[2] * raw[2]) + f(1e-12)
    cover = hl.select(arrived, f(1.0), hl.clamp(f(1.0) - walk[x, y][2], f(0.0), f(1.0)))
    values = [end, cover, *(v / size for v in raw), surface[x, y][5], surface[x, y][6]]
    out = hl.Func("trace_solids")
    picked = values[-1]
    for index in range(RESULTS - 2, -1, -1):
        picked = hl.select(c == index, values[index], picked)
    out[c, x, y] = picked

    tail = hl.TailStrategy.GuardWithIf
    out.bound(c, 0, RESULTS).reorder(c, x, y).unroll(c)
    out.output_buffer().dim(0).set_bounds(0, RESULTS).set_stride(1)
    out.output_buffer().dim(1).set_stride(RESULTS)
    out.vectorize(x, VECTOR, tail)
    ray.compute_at(out, y).vectorize(x, VECTOR, tail)
    for func, domain in ((walk, (steps.x, steps.y)), (surface, (n,))):
        func.compute_at(out, y).vectorize(x, VECTOR, tail)
        inner, outer = hl.Var("inner"), hl.Var("outer")
        func.update().split(x, outer, inner, VECTOR, tail).reorder(inner, *domain, outer, y).vectorize(inner)
    return [("trace_solids", out, [bodies, camera, start, spacing, steps_taken, margin_px])]


def trace_solids(
    bodies: NDArray[np.float32],
    camera: NDArray[np.float32],
    near: float,
    shape: tuple[int, int],
    *,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """What a grid of rays sees of the bodies.

    bodies: (n, COLUMNS). camera: (4, 3): where the rays start, the direction of the first pixel's
    ray, how it changes per column, and per row. near: where along the rays to begin. Returns
    float32 (height, width, RESULTS); where nothing is covered the rest means nothing.
    """
    bodies = require("bodies", bodies, np.float32, (None, COLUMNS))
    camera = require("camera", camera, np.float32, (4, 3))
    result = output("out", out, np.float32, (*shape, RESULTS))
    prepared, run = _prepared(bodies), kernel("trace_solids")
    # first one wide ray for each square of pixels, up to where something may come into its way
    few = (-(-shape[0] // SQUARE) + 1, -(-shape[1] // SQUARE) + 1)
    wide = camera.copy()
    wide[1] += (camera[2] + camera[3]) * np.float32((SQUARE - 1) / 2)
    wide[2:] *= np.float32(SQUARE)
    coarse = np.empty((*few, RESULTS), np.float32)
    run(prepared, wide, np.full((2, 2), near, np.float32), SQUARE, STEPS, -WIDE_PX, coarse)
    start = np.ascontiguousarray(np.maximum(coarse[..., 0], np.float32(near)))
    run(prepared, camera, start, SQUARE, FINE_STEPS, EDGE_PX, result)
    return result


def _prepared(bodies: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, 16): what the loop would otherwise work out at every step."""
    flat, by = bodies[:, 9:12], bodies[:, 12:13]
    axis = bodies[:, 4:7] - bodies[:, :3]
    axis = axis + flat * (axis * flat).sum(axis=1, keepdims=True) * (by - 1.0)
    reach = np.maximum(bodies[:, 8:9], 1e-6)
    columns = [
        bodies[:, :4], axis, bodies[:, 7:8] - bodies[:, 3:4], reach, flat, by - 1.0,
        1.0 / ((axis**2).sum(axis=1, keepdims=True) + 1e-12), by**2 - 1.0, 0.25 / reach,
    ]  # fmt: skip
    return np.ascontiguousarray(np.concatenate(columns, axis=1), np.float32)
