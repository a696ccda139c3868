"""Light on surfaces: bumps, lamps, and soft shadows of spheres and of a ground that rises and falls.

References: Quilez, "Sphere - soft shadow" and "Sphere - occlusion" (analytic, from memory); for the
ground, a march toward the light that keeps the least angle between ray and ground; for bumps Mikkelsen 2010,
"Bump mapping unparametrized surfaces on the GPU".
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from matiz.kernels.buffers import require

from . import kernel

MARCH_STEPS = 24


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_define_lamp(), _define_sky(), _define_march(), _define_lit(), _define_gleam(), _define_bumped()]


def _spheres() -> tuple[Any, ...]:
    import halide as hl

    from matiz.kernels.pipeline import image, table

    x, y = hl.Var("x"), hl.Var("y")
    points, spheres = image("points", 3), table("spheres", 2)
    r = hl.RDom([(0, spheres.dim(1).extent())], "spheres_here")
    toward = [spheres[i, r.x] - points[i, x, y] for i in range(3)]
    return hl, x, y, points, spheres, r, toward


def _dot(hl: Any, a: list[Any], b: list[Any]) -> Any:
    return sum((v * w for v, w in zip(a, b, strict=True)), hl.f32(0.0))


def _smooth(hl: Any, t: Any) -> Any:
    t = hl.clamp(t, hl.f32(0.0), hl.f32(1.0))
    return t * t * (hl.f32(3.0) - hl.f32(2.0) * t)


def _finish(out: Any, x: Any, y: Any, r: Any, hl: Any) -> None:
    from matiz.kernels.pipeline import ROWS_PER_TASK, VECTOR

    tail = hl.TailStrategy.GuardWithIf
    inner, outer = hl.Var("inner"), hl.Var("outer")
    out.vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
    out.update().split(x, outer, inner, VECTOR, tail).reorder(inner, r.x, outer, y).vectorize(inner)
    out.update().parallel(y, ROWS_PER_TASK, tail)


def _define_lamp() -> tuple[str, Any, list[Any]]:
    hl, x, y, points, spheres, r, toward = _spheres()
    from matiz.kernels.pipeline import table

    lamp = table("lamp")
    ray = [lamp[i] - points[i, x, y] for i in range(3)]
    far = hl.sqrt(_dot(hl, ray, ray))
    along = _dot(hl, toward, ray) / far
    beside = hl.sqrt(hl.max(_dot(hl, toward, toward) - along * along, hl.f32(0.0)))
    # the lamp, seen past the sphere, is a disc of this radius there
    disc = hl.max(lamp[3] * along / far, hl.f32(1e-4))
    seen = _smooth(hl, (beside - spheres[3, r.x]) / (hl.f32(2.0) * disc) + hl.f32(0.5))
    between = (along > hl.f32(0.0)) & (along < far)
    out = hl.Func("lamp_shadow")
    out[x, y] = hl.f32(1.0)
    out[x, y] *= hl.select(between, seen, hl.f32(1.0))
    _finish(out, x, y, r, hl)
    return "lamp_shadow", out, [points, spheres, lamp]


def _define_sky() -> tuple[str, Any, list[Any]]:
    hl, x, y, points, spheres, r, toward = _spheres()
    from matiz.kernels.pipeline import image

    normals = image("normals", 3)
    distance2 = _dot(hl, toward, toward)
    radius = spheres[3, r.x]
    facing = _dot(hl, toward, [normals[i, x, y] for i in range(3)]) / hl.sqrt(distance2)
    h2 = hl.max(distance2 / (radius * radius), hl.f32(1.02))
    taken = hl.max(facing * hl.f32(0.8) + hl.f32(0.2), hl.f32(0.0)) / h2
    out = hl.Func("sky_shadow")
    out[x, y] = hl.f32(1.0)
    out[x, y] *= hl.f32(1.0) - hl.min(taken, hl.f32(0.92))
    _finish(out, x, y, r, hl)
    return "sky_shadow", out, [points, normals, spheres]


class _Lamps:
    """What both sums over lamps have in common: inputs, the share seen, and how the sum is laid out."""

    def __init__(self) -> None:
        import halide as hl

        from matiz.kernels.pipeline import image, table

        self.hl = hl
        self.c, self.x, self.y = hl.Var("c"), hl.Var("x"), hl.Var("y")
        self.points, self.normals, self.table = image("points", 3), image("normals", 3), table("lamps", 2)
        self.shadows = hl.ImageParam(hl.Float(32), 3, "shadows")
        self.step = hl.Param(hl.Int(32), "step")
        self.r = hl.RDom([(0, self.table.dim(1).extent())], "lamps_here")
        x, y, r = self.x, self.y, self.r
        self.point = [self.points[i, x, y] for i in range(3)]
        self.normal = [self.normals[i, x, y] for i in range(3)]
        self.ray = [self.table[i, r.x] - at for i, at in enumerate(self.point)]
        self.distance2 = hl.max(_dot(hl, self.ray, self.ray), self.table[3, r.x] * self.table[3, r.x])

    def seen(self) -> Any:
        """Share of the lamp, between the points at which it was worked out."""
        hl, r = self.hl, self.r
        fx, fy = hl.f32(self.x) / hl.f32(self.step), hl.f32(self.y) / hl.f32(self.step)
        across, down = self.shadows.dim(0).extent(), self.shadows.dim(1).extent()
        sx, sy = hl.clamp(hl.i32(fx), 0, across - 2), hl.clamp(hl.i32(fy), 0, down - 2)
        tx, ty = hl.clamp(fx - hl.f32(sx), 0.0, 1.0), hl.clamp(fy - hl.f32(sy), 0.0, 1.0)
        above = hl.lerp(self.shadows[sx, sy, r.x], self.shadows[sx + 1, sy, r.x], tx)
        below = hl.lerp(self.shadows[sx, sy + 1, r.x], self.shadows[sx + 1, sy + 1, r.x], tx)
        return hl.lerp(above, below, ty)

    def summed(self, name: str, amount: Any) -> Any:
        """Sum over the lamps of group 0 and of group 1."""
        from matiz.kernels.pipeline import ROWS_PER_TASK, VECTOR, interleave

        hl, c, x, y, r = self.hl, self.c, self.x, self.y, self.r
        total = hl.Func("total")
        total[x, y] = (hl.f32(0.0), hl.f32(0.0))
        first = total[x, y][0] + amount * (hl.f32(1.0) - self.table[6, r.x])
        total[x, y] = (first, total[x, y][1] + amount * self.table[6, r.x])
        out = hl.Func(name)
        out[c, x, y] = hl.select(c == 0, total[x, y][0], total[x, y][1])
        tail = hl.TailStrategy.GuardWithIf
        interleave(out.output_buffer(), 2)
        out.bound(c, 0, 2).reorder(c, x, y).unroll(c).vectorize(x, VECTOR, tail).parallel(y, ROWS_PER_TASK, tail)
        inner, outer = hl.Var("inner"), hl.Var("outer")
        total.compute_at(out, y).vectorize(x, VECTOR, tail)
        total.update().split(x, outer, inner, VECTOR, tail).reorder(inner, r.x, outer, y).vectorize(inner)
        return out


def _define_lit() -> tuple[str, Any, list[Any]]:
    """Irradiance from all lamps, in two groups; shadows are read from a coarser grid."""
    lamps = _Lamps()
    hl, r = lamps.hl, lamps.r
    facing = _dot(hl, lamps.ray, lamps.normal) / hl.sqrt(lamps.distance2)
    wrap = lamps.table[5, r.x]
    falling = hl.max((facing + wrap) / (hl.f32(1.0) + wrap), hl.f32(0.0)) * lamps.table[4, r.x] / lamps.distance2
    out = lamps.summed("lit_by_lamps", falling * lamps.seen())
    return "lit_by_lamps", out, [lamps.points, lamps.normals, lamps.table, lamps.shadows, lamps.step]


def _define_gleam() -> tuple[str, Any, list[Any]]:
    """Highlights of all lamps: Blinn's on a surface, Kajiya and Kay's across strands."""
    from matiz.kernels.pipeline import table

    lamps = _Lamps()
    hl, r = lamps.hl, lamps.r
    eye = table("eye")
    back = [eye[i] - at for i, at in enumerate(lamps.point)]
    one = hl.f32(1.0)
    to_eye, to_lamp = one / hl.sqrt(_dot(hl, back, back)), one / hl.sqrt(lamps.distance2)
    half = [b * to_eye + v * to_lamp for b, v in zip(back, lamps.ray, strict=True)]
    cosine = _dot(hl, half, lamps.normal) / hl.sqrt(hl.max(_dot(hl, half, half), hl.f32(1e-8)))
    sine2 = hl.max(one - cosine * cosine, hl.f32(1e-6))
    facing = hl.select(eye[4] > hl.f32(0.5), hl.sqrt(sine2), hl.max(cosine, hl.f32(1e-4)))
    lobe = hl.pow(facing, eye[3]) * lamps.table[4, r.x] / lamps.distance2
    out = lamps.summed("gleam_of_lamps", lobe * lamps.seen())
    return "gleam_of_lamps", out, [lamps.points, lamps.normals, lamps.table, lamps.shadows, lamps.step, eye]


def _define_bumped() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from matiz.kernels.pipeline import image, schedule_pixels

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    points, normals = image("points", 3), image("normals", 3)
    height = hl.ImageParam(hl.Float(32), 2, "height")
    width, rows = height.dim(0).extent(), height.dim(1).extent()
    x0, x1 = hl.max(x - 1, 0), hl.min(x + 1, width - 1)
    y0, y1 = hl.max(y - 1, 0), hl.min(y + 1, rows - 1)
    across = [points[i, x1, y] - points[i, x0, y] for i in range(3)]
    down = [points[i, x, y1] - points[i, x, y0] for i in range(3)]
    normal = [normals[i, x, y] for i in range(3)]

    def cross(a: list[Any], b: list[Any]) -> list[Any]:
        return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]

    first, second = cross(down, normal), cross(normal, across)
    area = _dot(hl, across, first)
    sign = hl.select(area < hl.f32(0.0), hl.f32(-1.0), hl.f32(1.0))
    rise_x = sign * (height[x1, y] - height[x0, y])
    rise_y = sign * (height[x, y1] - height[x, y0])
    raised = [hl.abs(area) * n - rise_x * a - rise_y * b for n, a, b in zip(normal, first, second, strict=True)]
    length = hl.sqrt(_dot(hl, raised, raised)) + hl.f32(1e-20)
    parts = [hl.Func(f"raised_{i}") for i in range(3)]
    for func, value in zip(parts, raised, strict=True):
        func[x, y] = value / length
    out = hl.Func("bumped")
    out[c, x, y] = hl.select(c == 0, parts[0][x, y], c == 1, parts[1][x, y], parts[2][x, y])
    schedule_pixels(out, c, x, y, 3)
    return "bumped", out, [points, normals, height]


def _define_march() -> tuple[str, Any, list[Any]]:
    """Over a ground seen in perspective: column = middle + focal X / Z, row = scale / Z - first."""
    import halide as hl

    from matiz.kernels.pipeline import table

    x, y = hl.Var("x"), hl.Var("y")
    ground = hl.ImageParam(hl.Float(32), 2, "ground")
    view, sun = table("view"), table("sun")
    middle, focal, scale, first = (view[i] for i in range(4))
    r = hl.RDom([(0, MARCH_STEPS)], "march")
    depth = scale / (hl.f32(y) + first)
    side = (hl.f32(x) - middle) * depth / focal
    # steps grow with the way gone, from the size of a pixel at hand
    step = hl.max(sun[4], depth / focal * hl.f32(1.5))
    t = step * (hl.pow(sun[5], hl.f32(r.x)) - hl.f32(1.0)) / (sun[5] - hl.f32(1.0)) + step
    z = depth + sun[2] * t
    column = middle + focal * (side + sun[0] * t) / hl.max(z, hl.f32(1e-3))
    row = scale / hl.max(z, hl.f32(1e-3)) - first
    width, height = ground.dim(0).extent(), ground.dim(1).extent()
    inside = (z > hl.f32(1e-3)) & (row > 0.0) & (row < hl.f32(height) - 1.0)
    inside &= (column > 0.0) & (column < hl.f32(width) - 1.0)
    c, w = hl.clamp(hl.i32(column), 0, width - 2), hl.clamp(hl.i32(row), 0, height - 2)
    fx, fy = column - hl.f32(c), row - hl.f32(w)
    there = hl.lerp(
        hl.lerp(ground[c, w], ground[c + 1, w], fx), hl.lerp(ground[c, w + 1], ground[c + 1, w + 1], fx), fy
    )
    over = (ground[x, y] + sun[1] * t - there) / t
    out = hl.Func("ground_shadow")
    out[x, y] = hl.f32(1.0)
    out[x, y] = hl.min(out[x, y], hl.select(inside, _smooth(hl, over / sun[3] * 0.5 + 0.5), hl.f32(1.0)))
    _finish(out, x, y, r, hl)
    return "ground_shadow", out, [ground, view, sun]


def lamp_shadow(
    points: NDArray[np.float32], spheres: NDArray[np.float32], lamp: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Share of a round lamp that each point sees past the spheres, (height, width).

    points: (height, width, 3). spheres: (n, 4) x, y, z, radius, n at least 2. lamp: (4,) likewise;
    a lamp very far off stands for the sun.
    """
    points = require("points", points, np.float32, (None, None, 3))
    spheres = require("spheres", spheres, np.float32, (None, 4))
    lamp = require("lamp", lamp, np.float32, (4,))
    result = np.empty(points.shape[:2], np.float32)
    kernel("lamp_shadow")(points, spheres, lamp, result)
    return result


def sky_shadow(
    points: NDArray[np.float32], normals: NDArray[np.float32], spheres: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Share of light from all round that spheres leave to points of a surface, (height, width)."""
    points = require("points", points, np.float32, (None, None, 3))
    normals = require("normals", normals, np.float32, points.shape)
    spheres = require("spheres", spheres, np.float32, (None, 4))
    result = np.empty(points.shape[:2], np.float32)
    kernel("sky_shadow")(points, normals, spheres, result)
    return result


def ground_shadow(
    ground: NDArray[np.float32],
    view: tuple[float, float, float, float],
    toward: tuple[float, float, float],
    *,
    width: float,
    first_step: float,
    growth: float = 1.22,
) -> NDArray[np.float32]:
    """Share of the sun that each point of a ground sees, (height, width).

    ground: heights (height, width) over the plane as a level camera sees it: column = middle +
    focal * X / Z, row = scale / Z - first, with view = (middle, focal, scale, first). toward: the
    direction of the sun, X right, Y up, Z away. width: half the sun's width in radians.
    first_step, growth: of the march, in the units of the heights.
    """
    ground = require("ground", ground, np.float32, (None, None))
    result = np.empty(ground.shape, np.float32)
    sun = np.array([*toward, width, first_step, growth], np.float32)
    kernel("ground_shadow")(ground, np.array(view, np.float32), sun, result)
    return result


def lit_by_lamps(
    points: NDArray[np.float32],
    normals: NDArray[np.float32],
    lamps: NDArray[np.float32],
    shadows: NDArray[np.float32],
    step: int,
) -> NDArray[np.float32]:
    """Irradiance from round lamps upon a surface, (height, width, 2): that of group 0 and of group 1.

    points, normals: (height, width, 3). lamps: (n, 7) x, y, z, radius, irradiance at distance 1, how
    far light creeps round (0 for a hard surface), group. shadows: (n, rows, columns), the share of
    each lamp seen, for every `step`-th point from the first on.
    """
    points = require("points", points, np.float32, (None, None, 3))
    normals = require("normals", normals, np.float32, points.shape)
    lamps = require("lamps", lamps, np.float32, (None, 7))
    shadows = require("shadows", shadows, np.float32, (len(lamps), None, None))
    result = np.empty((*points.shape[:2], 2), np.float32)
    kernel("lit_by_lamps")(points, normals, lamps, shadows, int(step), result)
    return result


def gleam_of_lamps(
    points: NDArray[np.float32],
    normals: NDArray[np.float32],
    lamps: NDArray[np.float32],
    shadows: NDArray[np.float32],
    step: int,
    *,
    eye: tuple[float, float, float],
    hardness: float,
    strands: bool = False,
) -> NDArray[np.float32]:
    """Highlights of lamps times their irradiance, (height, width, 2): that of group 0 and of group 1.

    hardness: the power of the lobe, 1 in its middle. strands: `normals` are where strands run, and the
    highlight lies across them. The rest as for `lit_by_lamps`.
    """
    points = require("points", points, np.float32, (None, None, 3))
    normals = require("normals", normals, np.float32, points.shape)
    lamps = require("lamps", lamps, np.float32, (None, 7))
    shadows = require("shadows", shadows, np.float32, (len(lamps), None, None))
    result = np.empty((*points.shape[:2], 2), np.float32)
    table = np.array([*eye, hardness, float(strands)], np.float32)
    kernel("gleam_of_lamps")(points, normals, lamps, shadows, int(step), table, result)
    return result


def bumped(
    points: NDArray[np.float32], normals: NDArray[np.float32], height: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Normals (height, width, 3) of a surface raised along them by `height` (height, width), in the
    units of its points (height, width, 3); from differences between neighbouring pixels."""
    points = require("points", points, np.float32, (None, None, 3))
    normals = require("normals", normals, np.float32, points.shape)
    height = require("height", height, np.float32, points.shape[:2])
    result = np.empty(points.shape, np.float32)
    kernel("bumped")(points, normals, height, result)
    return result
