"""The parts of masks that follow from what a px shows or where it lies: one pass over the pixels each.

Pictures are (height, width, 3), planes and masks (height, width), all float32.
"""

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..errors import ArgumentError
from .buffers import output, require
from .loader import kernel

Plane = NDArray[np.float32]
BRIGHT, DIM, MIDDLE = 0, 1, 2
RAMP, ELLIPSE = 0, 1
LEAST_CHROMA = 8.0
"""C*ab below which a hue says less and less."""
_LINEAR_TO = (6 / 29) ** 3


def define() -> list[tuple[str, Any, list[Any]]]:
    return [_lab(), _tones(), _zones(), _colours(), _chromas(), _laid(), _near()]


def _numbers(*names: str) -> list[Any]:
    import halide as hl

    return [hl.Param(hl.Float(32), name) for name in names]


def _plane(name: str) -> Any:
    import halide as hl

    return hl.ImageParam(hl.Float(32), 2, name)


def smooth_expr(t: Any) -> Any:
    """0 up to 0, 1 from 1 on, level at both."""
    import halide as hl

    t = hl.clamp(t, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def compressed_expr(relative: Any) -> Any:
    """CIE's f of a tristimulus value relative to white: L* / 116 + 16 / 116."""
    import halide as hl

    root = hl.fast_exp(hl.fast_log(hl.max(relative, _LINEAR_TO)) * hl.f32(1.0 / 3.0))
    return hl.select(relative > _LINEAR_TO, root, relative * hl.f32((29 / 6) ** 2 / 3.0) + hl.f32(4 / 29))


def lab_expr(display: list[Any], to_white: Any) -> list[Any]:
    """CIE L*, a*, b* of display-linear channels; to_white: the matrix (3, 3) to XYZ relative to white."""
    import halide as hl

    from .pipeline import row_product

    shown = [hl.max(value, 0.0) for value in display]
    x, y, z = (compressed_expr(row_product(to_white, row, shown)) for row in range(3))
    return [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]


def _plain(func: Any, x: Any, y: Any) -> None:
    import halide as hl

    from .pipeline import ROWS_PER_TASK, VECTOR

    func.vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    func.parallel(y, ROWS_PER_TASK, hl.TailStrategy.GuardWithIf)


def _lab() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    display, to_white = image("display", 3), table("to_white", 2)
    L, a, b = lab_expr([display[n, x, y] for n in range(3)], to_white)
    out = hl.Func("lab")
    out[c, x, y] = hl.select(c == 0, L, c == 1, a, b)
    schedule_pixels(out, c, x, y, 3)
    return "lab", out, [display, to_white]


def _tones() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    x, y = hl.Var("x"), hl.Var("y")
    display, kind = image("display", 3), hl.Param(hl.Int(32), "kind")
    red, green, blue, exponent = params = _numbers("red", "green", "blue", "exponent")
    value = red * display[0, x, y] + green * display[1, x, y] + blue * display[2, x, y]
    tone = 1.16 * compressed_expr(hl.clamp(value, 0.0, 1.0)) - 0.16
    base = hl.select(kind == BRIGHT, tone, kind == DIM, 1.0 - tone, hl.abs(2.0 * tone - 1.0))
    power = hl.select(base > 1e-6, hl.fast_exp(exponent * hl.fast_log(hl.max(base, 1e-6))), 0.0)
    out = hl.Func("tones")
    out[x, y] = hl.clamp(hl.select(kind == MIDDLE, 1.0 - power, power), 0.0, 1.0)
    _plain(out, x, y)
    return "tones", out, [display, *params, kind]


def _zones() -> tuple[str, Any, list[Any]]:
    import halide as hl

    x, y = hl.Var("x"), hl.Var("y")
    level = _plane("level")
    low, high, soft = params = _numbers("low", "high", "soft")
    off = hl.max(low - level[x, y], level[x, y] - high)
    out = hl.Func("zone_range")
    out[x, y] = smooth_expr(1.0 - off / hl.max(soft, 1e-6))
    _plain(out, x, y)
    return "zone_range", out, [level, *params]


def _colours() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, table

    x, y = hl.Var("x"), hl.Var("y")
    lab, picks = image("lab", 3), table("picks", 2)
    hue, chroma, lightness, soft = params = _numbers("hue", "chroma", "lightness", "soft")
    n = hl.RDom([(0, picks.dim(1).extent())])
    L, a, b = (lab[k, x, y] for k in range(3))
    own_L, own_a, own_b, own = (picks[k, n.x] for k in range(4))
    far = hl.sqrt(a * a + b * b)
    cosine = hl.clamp((a * own_a + b * own_b) / hl.max(far * own, 1e-6), -1.0, 1.0)
    turned = _degrees(cosine)
    sure = hl.min(hl.min(far, own) / LEAST_CHROMA, 1.0)
    off = hl.max(hl.max(turned * sure / hue, hl.abs(far - own) / chroma), hl.abs(L - own_L) / lightness)
    best = hl.Func("best")
    best[x, y] = hl.f32(0.0)
    best[x, y] = hl.max(best[x, y], smooth_expr((1.0 - off) / soft))
    return "colours", _reduced(best, n, x, y, "colours"), [lab, picks, *params]


def _degrees(cosine: Any) -> Any:
    """The angle of a cosine. Abramowitz and Stegun 4.4.46, within 1e-6 of a degree in double precision."""
    import halide as hl

    t = hl.abs(cosine)
    row = hl.f32(-0.0012624911)
    for factor in (0.0066700901, -0.0170881256, 0.0308918810, -0.0501743046, 0.0889789874, -0.2145988016, 1.5707963050):
        row = row * t + hl.f32(factor)
    angle = hl.sqrt(hl.max(1.0 - t, 0.0)) * row
    return hl.select(cosine >= 0.0, angle, hl.f32(np.pi) - angle) * hl.f32(180.0 / np.pi)


def _reduced(best: Any, n: Any, x: Any, y: Any, name: str) -> Any:
    """What is gathered over several picks, row by row."""
    import halide as hl

    from .pipeline import VECTOR

    out = hl.Func(name)
    out[x, y] = best[x, y]
    _plain(out, x, y)
    best.compute_at(out, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    best.update(0).reorder(x, n.x, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    return out


def _chromas() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    x, y = hl.Var("x"), hl.Var("y")
    lab = image("lab", 3)
    middle, soft = params = _numbers("middle", "soft")
    chroma = hl.sqrt(lab[1, x, y] * lab[1, x, y] + lab[2, x, y] * lab[2, x, y])
    out = hl.Func("chromas")
    out[x, y] = smooth_expr((chroma - middle) / soft + 0.5)
    _plain(out, x, y)
    return "chromas", out, [lab, *params]


def _laid() -> tuple[str, Any, list[Any]]:
    import halide as hl

    x, y = hl.Var("x"), hl.Var("y")
    px, py, kind = _plane("px"), _plane("py"), hl.Param(hl.Int(32), "kind")
    names = ("u0", "ux", "uy", "v0", "vx", "vy", "soft")
    u0, ux, uy, v0, vx, vy, soft = params = _numbers(*names)
    u, v = u0 + ux * px[x, y] + uy * py[x, y], v0 + vx * px[x, y] + vy * py[x, y]
    t = hl.select(kind == RAMP, u, (1.0 - hl.sqrt(u * u + v * v)) / soft)
    out = hl.Func("laid")
    out[x, y] = smooth_expr(t)
    _plain(out, x, y)
    return "laid", out, [px, py, kind, *params]


def _near() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import VECTOR, image, table

    x, y = hl.Var("x"), hl.Var("y")
    lab, px, py = image("lab", 3), _plane("px"), _plane("py")
    meant, kept_out = table("meant", 2), table("kept_out", 2)
    distance, difference = params = _numbers("distance", "difference")

    def best(picks: Any, name: str) -> Any:
        n = hl.RDom([(0, picks.dim(1).extent())])
        there_x, there_y, L, a, b = (picks[k, n.x] for k in range(5))
        far = ((px[x, y] - there_x) ** 2 + (py[x, y] - there_y) ** 2) * distance
        unlike = ((lab[0, x, y] - L) ** 2 + (lab[1, x, y] - a) ** 2 + (lab[2, x, y] - b) ** 2) * difference
        func = hl.Func(name)
        func[x, y] = hl.f32(0.0)
        func[x, y] = hl.max(func[x, y], hl.fast_exp(-far - unlike))
        return func, n

    (ours, n), (theirs, m) = best(meant, "ours"), best(kept_out, "theirs")
    out = hl.Func("near")
    out[x, y] = hl.clamp(ours[x, y] * ours[x, y] / hl.max(ours[x, y] + theirs[x, y], 1e-6), 0.0, 1.0)
    _plain(out, x, y)
    for func, each in ((ours, n), (theirs, m)):
        func.compute_at(out, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
        func.update(0).reorder(x, each.x, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    return "near", out, [lab, px, py, meant, kept_out, *params]


def _picture(name: str, pixels: Any) -> NDArray[np.float32]:
    return require(name, pixels, np.float32, (None, None, 3))


def _rows(name: str, picks: ArrayLike, columns: int) -> NDArray[np.float32]:
    """A table of picks with one that counts for nothing before them, so that it is never empty."""
    table = np.asarray(picks, np.float32).reshape(-1, columns)
    nowhere = np.full((2, columns), 1e6, np.float32)
    if not np.isfinite(table).all():
        raise ArgumentError(f"{name}: expected finite numbers")
    return np.concatenate([nowhere, table])


def lab(display: NDArray[np.float32], to_white: NDArray[np.float32]) -> NDArray[np.float32]:
    """CIE L*, a*, b* (height, width, 3) of a display-linear picture. to_white: (3, 3) to XYZ relative to white."""
    display = _picture("display", display)
    result = np.empty_like(display)
    kernel("lab")(display, require("to_white", to_white, np.float32, (3, 3)), result)
    return result


def tones(
    display: NDArray[np.float32], weights: ArrayLike, exponent: float, kind: int, out: Plane | None = None
) -> Plane:
    """The power of display lightness 0..1, of its rest to 1, or 1 less that of its distance from the middle.

    display: display-linear. weights: (3,) of its channels, whose sum's lightness counts. kind: BRIGHT, DIM or MIDDLE.
    """
    display = _picture("display", display)
    result = output("out", out, np.float32, display.shape[:2])
    kernel("tones")(display, *(float(w) for w in np.asarray(weights).reshape(3)), float(exponent), int(kind), result)
    return result


def zone_range(level: Plane, low: float, high: float, soft: float, out: Plane | None = None) -> Plane:
    """1 where a level lies in low..high, falling to 0 over `soft` beyond either."""
    level = require("level", level, np.float32, (None, None))
    result = output("out", out, np.float32, level.shape)
    kernel("zone_range")(level, float(low), float(high), float(soft), result)
    return result


def colours(
    lab: NDArray[np.float32], picks: ArrayLike, hue_deg: float, chroma: float, lightness: float, soft: float,
    out: Plane | None = None,
) -> Plane:  # fmt: skip
    """1 where a colour is that of one of the picks, (n, 3) of L*a*b*, falling to 0 where hue, chroma or lightness is as
    far off as is said; the last share `soft`, above 0, of the way is fall-off."""
    lab, own = _picture("lab", lab), _rows("picks", picks, 3)
    table = np.concatenate([own, np.hypot(own[:, 1:2], own[:, 2:])], axis=1)
    result = output("out", out, np.float32, lab.shape[:2])
    kernel("colours")(lab, table, float(hue_deg), float(chroma), float(lightness), float(soft), result)
    return result


def chromas(lab: NDArray[np.float32], middle: float, soft: float, out: Plane | None = None) -> Plane:
    """Rising from 0 to 1 over `soft` of C*ab about a middle."""
    lab = _picture("lab", lab)
    result = output("out", out, np.float32, lab.shape[:2])
    kernel("chromas")(lab, float(middle), float(soft), result)
    return result


def laid(
    x: Plane, y: Plane, kind: int, u: ArrayLike, v: ArrayLike = (0.0, 0.0, 0.0), soft: float = 1.0,
    out: Plane | None = None,
) -> Plane:  # fmt: skip
    """A RAMP that rises with u = u0 + u1 x + u2 y from 0 to 1, or an ELLIPSE: 1 where u, v are near 0, falling to 0 on
    the circle of radius 1 over the share `soft`, above 0, of the way."""
    x, y = require("x", x, np.float32, (None, None)), require("y", y, np.float32, x.shape)
    result = output("out", out, np.float32, x.shape)
    numbers = (*np.asarray(u, float).reshape(3), *np.asarray(v, float).reshape(3), soft)
    kernel("laid")(x, y, int(kind), *(float(n) for n in numbers), result)
    return result


def near(
    lab: NDArray[np.float32], x: Plane, y: Plane, meant: ArrayLike, kept_out: ArrayLike, distance: float,
    difference: float, out: Plane | None = None,
) -> Plane:  # fmt: skip
    """How near a px lies to a pick and how like it is, e^-(distance^2 + difference^2), as far as none to be kept
    out has more of it. meant, kept_out: (n, 5) of x, y, L*, a*, b*."""
    lab = _picture("lab", lab)
    x, y = (require(name, each, np.float32, lab.shape[:2]) for name, each in (("x", x), ("y", y)))
    result = output("out", out, np.float32, lab.shape[:2])
    tables = [_rows(name, each, 5) for name, each in (("meant", meant), ("kept_out", kept_out))]
    kernel("near")(lab, x, y, *tables, float(distance**-2), float(difference**-2), result)
    return result
