"""Colours moved by hue, chroma and lightness, px by px, after the rendition.

The arithmetic is Oklab's (Ottosson 2020), whose hue stays put while chroma and lightness change; what it leaves is
scaled to the luminance that was meant, so that L* is held exactly. Hues are looked up by how far round a square they
lie instead of a circle, which needs no arc tangent; a turn is made by the tangent of its half.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import require
from .fit import fitted_expr
from .loader import kernel
from .masks import compressed_expr, smooth_expr
from .places import Owned, by_row, checked_masks, those_of
from .rendition import BEFORE_FIT, TABLE_SIZE, Curves, checked_curves, curved_expr, rendered_expr
from .screen import codes

HUES = 720
"""Entries of what is done by hue, evenly round the square."""
BY_HUE = ("half_turn", "chroma", "lightness")
"""What pegs do: half the angle that a hue is turned by, radians; what is added to its factor of chroma; to its L*."""
TONES = 129
"""Entries of what is done by lightness, evenly from Oklab's L 0 to 1."""
BY_TONE = ("tint_a", "tint_b", "skin_a", "skin_b")
"""What is added to Oklab's a and b, and where skin of that lightness is held to."""
TURNED_FROM = 0.012
"""Oklab chroma from which on a hue is turned all in all: C*ab of 4 to 5. Greys have none to turn."""
NOISY, CLEAR = 0.008, 0.04
"""Oklab chroma (C*ab of 3, and of 16) below which no chroma and no lightness is given, so that noise of greys stays as
it is, and from which on all of it is."""
MUTED, RISEN = 0.06, 0.02
"""Oklab chroma at which muted colours have half of their gain, and from which on it is not held back as noise."""
SKIN_ENDS = 1.5
"""As many times as far off as skin may be, nothing is."""
ENDS = 12.0
"""L* from black and from white within which lightness that is given fades: both ends stay."""
MOST_HALF = 1.2
WIDE = 32
"""Px that are worked out at a time: a few per cent quicker here than half as many."""


def square_positions() -> NDArray[np.float64]:
    """The hue in radians, -pi..pi, of each entry by hue, (HUES + 1,); the last is the first again."""
    t = np.linspace(-2.0, 2.0, HUES + 1)
    a = 1.0 - np.abs(t)
    b = np.where(np.abs(t) <= 1.0, t, np.sign(t) * (2.0 - np.abs(t)))
    return np.arctan2(b, a)


def define() -> list[tuple[str, Any, list[Any]]]:
    return [
        _define_coloured("coloured"), _define_coloured("coloured_placed", with_places=True),
        _define_coloured("rendered_coloured", of_scene=True), _define_screen(),
    ]  # fmt: skip


class _Inputs:
    """What the pipelines are given beside the picture: see `Moves`."""

    def __init__(self) -> None:
        import halide as hl

        from .pipeline import table

        matrices = ("to_cones", "to_opponent", "from_opponent", "from_cones", "lums")
        self.to_cones, self.to_opponent, self.from_opponent, self.from_cones, self.lums = (
            table(name, 2) for name in matrices
        )
        self.hues, self.tones = table("hues", 2), table("tones", 2)
        names = ("chroma", "keep", "evenness", "reach")
        self.chroma, self.keep, self.evenness, self.reach = (hl.Param(hl.Float(32), name) for name in names)

    def given(self) -> list[Any]:
        return [
            self.to_cones, self.to_opponent, self.from_opponent, self.from_cones, self.lums, self.hues, self.tones,
            self.chroma, self.keep, self.evenness, self.reach,
        ]  # fmt: skip


@dataclass(frozen=True, eq=False)
class Moves:
    """What is done to colours, as the kernels take it; all float32."""

    to_cones: NDArray[np.float32]
    """(3, 3) from linear Rec.2020 to the cones of Oklab, the primaries moved."""
    to_opponent: NDArray[np.float32]
    """(3, 3) from the cones' cube roots to Oklab's L, a, b."""
    lums: NDArray[np.float32]
    """(2, 3): what luminance is meant, of what is given, and what it is, of what is made."""
    hues: NDArray[np.float32]
    """(HUES + 1, 4): `BY_HUE`, and what is added to the factor of chroma of muted colours, at `square_positions()`."""
    tones: NDArray[np.float32]
    """(TONES, 4): `BY_TONE`."""
    from_cones: NDArray[np.float32]
    """(3, 3) from the cones to linear Rec.2020."""
    chroma: float = 1.0
    """The factor of all chroma."""
    keep: float = 1.0
    """0 for black and white."""
    evenness: float = 0.0
    """How far skin is brought to where it is held, 0..1."""
    reach: float = 1.0
    """Up to how far from there, in Oklab's a and b, a colour is skin all in all; SKIN_ENDS times as far it is none."""

    def given(self) -> tuple[Any, ...]:
        from_opponent = np.linalg.inv(self.to_opponent.astype(np.float64)).astype(np.float32)
        return (
            require("to_cones", self.to_cones, np.float32, (3, 3)),
            require("to_opponent", self.to_opponent, np.float32, (3, 3)),
            from_opponent,
            require("from_cones", self.from_cones, np.float32, (3, 3)),
            require("lums", self.lums, np.float32, (2, 3)),
            require("hues", self.hues, np.float32, (HUES + 1, len(BY_HUE) + 1)),
            require("tones", self.tones, np.float32, (TONES, len(BY_TONE))),
            float(self.chroma), float(self.keep), float(self.evenness), float(self.reach),
        )  # fmt: skip


class _Rows:
    """Values that several others follow from, worked out once a row."""

    def __init__(self, x: Any, y: Any) -> None:
        self.x, self.y = x, y
        self.funcs: list[Any] = []
        self.looked: list[tuple[Any, Any]] = []
        """What is looked up, four values to a px."""

    def held(self, name: str, values: list[Any]) -> list[Any]:
        import halide as hl

        func = hl.Func(name)
        func[self.x, self.y] = tuple(values) if len(values) > 1 else values[0]
        self.funcs.append(func)
        return [func[self.x, self.y][n] for n in range(len(values))] if len(values) > 1 else [func[self.x, self.y]]

    def compute_at(self, out: Any) -> None:
        import halide as hl

        for func in self.funcs:
            func.compute_at(out, self.y).vectorize(self.x, WIDE, hl.TailStrategy.GuardWithIf)
        for func, n in self.looked:
            func.compute_at(out, self.y).bound(n, 0, 4).reorder(n, self.x, self.y).vectorize(n, 4).unroll(self.x, 4)


def _cube_root(value: Any) -> Any:
    """By its exponent divided by three and two steps of Halley's, which is nearer and quicker than by logarithm."""
    import halide as hl

    value = hl.max(value, 1e-9)
    bits = hl.reinterpret(hl.Int(32), value)
    root = hl.reinterpret(hl.Float(32), hl.i32(hl.f32(bits) * hl.f32(1.0 / 3.0)) + 709921077)
    for _ in range(2):
        cube = root * root * root
        root = root * (cube + 2.0 * value) / (2.0 * cube + value)
    return root


def _between(name: str, table: Any, position: Any, entries: int, rows: _Rows) -> tuple[list[Any], Any, Any]:
    """The four columns of a table between its entries, the entry, and how far the position lies beyond it.

    A px's columns lie side by side and are taken at once, which is quicker than gathering column by column.
    """
    import halide as hl

    table.dim(0).set_bounds(0, 4).set_stride(1)
    table.dim(1).set_stride(4)
    (place,) = rows.held(f"place_{name}", [position])
    entry = hl.clamp(hl.i32(place), 0, entries - 2)
    beyond = place - hl.f32(entry)
    n, looked = hl.Var("n"), hl.Func(f"looked_{name}")
    looked[n, rows.x, rows.y] = hl.lerp(table[n, entry], table[n, entry + 1], beyond)
    rows.looked.append((looked, n))
    return [looked[n, rows.x, rows.y] for n in range(4)], entry, beyond


def _round_the_square(a: Any, b: Any) -> Any:
    """The place of a hue among the entries by hue."""
    import halide as hl

    side = b / hl.max(hl.abs(a) + hl.abs(b), 1e-9)
    return (hl.select(a >= 0.0, side, b >= 0.0, 2.0 - side, -2.0 - side) + 2.0) * float(HUES / 4.0)


def _turned(a: Any, b: Any, half: Any) -> tuple[Any, Any]:
    """Turned by twice an angle up to MOST_HALF, by a rational tangent (Pade) that is true to 0.2 degree."""
    t = half * (15.0 - half * half) / (15.0 - 6.0 * half * half)
    cos, sin = (1.0 - t * t) / (1.0 + t * t), 2.0 * t / (1.0 + t * t)
    return a * cos - b * sin, a * sin + b * cos


def _lifted(before: Any, lift: Any) -> Any:
    """Luminance whose L* is `lift` higher, less so toward the ends."""
    import halide as hl

    f = compressed_expr(before)
    L = 116.0 * f - 16.0
    f = f + lift * hl.clamp(hl.min(L, 100.0 - L) / ENDS, 0.0, 1.0) / 116.0
    after = hl.select(f > 6 / 29, f * f * f, (f - hl.f32(4 / 29)) * hl.f32(3.0 * (6 / 29) ** 2))
    return hl.select(lift != 0.0, after, before)


def _coloured_expr(shown: list[Any], given: _Inputs, rows: _Rows, more: Any = None) -> list[Any]:
    """Display-linear channels of display-linear ones. more: gives, for an entry by hue and how far it lies beyond it,
    what places add to `BY_HUE`."""
    import halide as hl

    from .pipeline import row_product

    cones = [_cube_root(row_product(given.to_cones, n, shown)) for n in range(3)]
    L, a, b = rows.held("opponent", [row_product(given.to_opponent, n, cones) for n in range(3)])
    chroma = hl.sqrt(a * a + b * b + 1e-12)
    (half, gain, lift, muted), entry, beyond = _between("hues", given.hues, _round_the_square(a, b), HUES + 1, rows)
    if more is not None:
        half, gain, lift = (value + extra for value, extra in zip((half, gain, lift), more(entry, beyond), strict=True))

    a, b = _turned(a, b, hl.clamp(half, -MOST_HALF, MOST_HALF) * smooth_expr(chroma / TURNED_FROM))
    clear = smooth_expr((chroma - NOISY) / (CLEAR - NOISY))
    weak = hl.select(muted > 0.0, smooth_expr(chroma / RISEN), 1.0) / (1.0 + chroma * chroma / MUTED**2)
    factor = (1.0 + hl.min(gain, 0.0) + hl.max(gain, 0.0) * clear) * given.chroma * (1.0 + muted * weak)
    a, b = a * hl.max(factor, 0.0), b * hl.max(factor, 0.0)

    step = hl.clamp(L, 0.0, 1.0) * float(TONES - 1)
    (tint_a, tint_b, skin_a, skin_b), _, _ = _between("tones", given.tones, step, TONES, rows)
    off_a, off_b = skin_a - a, skin_b - b
    off = hl.sqrt(off_a * off_a + off_b * off_b) / given.reach
    even = smooth_expr((SKIN_ENDS - off) / (SKIN_ENDS - 1.0)) * given.evenness
    a, b = (a + off_a * even) * given.keep + tint_a, (b + off_b * even) * given.keep + tint_b
    meant = _lifted(hl.max(row_product(given.lums, 0, shown), 0.0), lift * clear)

    a, b, meant = rows.held("moved", [a, b, meant])
    roots = [row_product(given.from_opponent, n, [L, a, b]) for n in range(3)]
    made = [row_product(given.from_cones, n, [root * root * root for root in roots]) for n in range(3)]
    scale = meant / hl.max(row_product(given.lums, 1, made), 1e-7)
    return rows.held("coloured", [value * scale for value in made])


def _places_by_hue(x: Any, y: Any, masks: Any, own: Owned) -> tuple[Any, list[Any], list[Any]]:
    """`more` of `_coloured_expr`, and the sums and the domains of the places that it makes."""
    import halide as hl

    sums, domains = [], []

    def more(entry: Any, beyond: Any) -> list[Any]:
        out = []
        for n in range(len(BY_HUE)):
            place, mask = own.domain(x, y, masks)
            func = hl.Func(f"pegs_{n}")
            low, high = (own.table[(entry + step) * len(BY_HUE) + n, place.x] for step in (0, 1))
            func[x, y] = hl.f32(0.0)
            func[x, y] += mask * hl.lerp(low, high, beyond)
            sums.append(func)
            domains.append(place)
            out.append(func[x, y])
        return out

    return more, sums, domains


def _define_coloured(name: str, *, with_places: bool = False, of_scene: bool = False) -> tuple[str, Any, list[Any]]:
    """of_scene: rendered first, in the same pass."""
    import halide as hl

    from .pipeline import image, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    given, rows = _Inputs(), _Rows(x, y)
    picture, curve, gain = image("picture", 3), table("curve"), hl.Param(hl.Float(32), "gain")
    shown = [picture[n, x, y] for n in range(3)]
    if of_scene:
        shown = rows.held("plain", rendered_expr([value * gain for value in shown], curve))
    curves, when = table("curves", 2), hl.Param(hl.Int(32), "when")
    masks, own = hl.ImageParam(hl.Float(32), 3, "masks"), Owned.inputs("pegs")
    more, sums, domains = _places_by_hue(x, y, masks, own) if with_places else (None, [], [])
    made = _coloured_expr(shown, given, rows, more)
    made = curved_expr(made, curves, when == BEFORE_FIT)
    out = hl.Func(name)
    out[c, x, y] = hl.select(c == 0, made[0], c == 1, made[1], made[2])
    schedule_pixels(out, c, x, y, 3)
    out.specialize(when != BEFORE_FIT)
    rows.compute_at(out)
    by_row(out, sums, domains, x, y)
    inputs = [picture, *([curve, gain] if of_scene else []), *given.given(), curves, when]
    return name, out, [*inputs, *([masks, *own.given()] if with_places else [])]


def _define_screen() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image, table

    x, y = hl.Var("x"), hl.Var("y")
    scene, curve, matrix, given, rows = image("scene", 3), table("curve"), table("matrix", 2), _Inputs(), _Rows(x, y)
    gain = hl.Param(hl.Float(32), "gain")
    shown = rows.held("plain", rendered_expr([scene[n, x, y] * gain for n in range(3)], curve))
    made = _coloured_expr(shown, given, rows)
    out = codes("screen_coloured", rows.held("fitted", fitted_expr(made, matrix)), x, y)
    rows.compute_at(out)
    return "screen_coloured", out, [scene, curve, matrix, gain, *given.given()]


def coloured(
    shown: NDArray[np.float32], how: Moves, curves: Curves | None = None, *, when: int = BEFORE_FIT
) -> NDArray[np.float32]:
    """A picture with its colours moved.

    shown: float32 (height, width, 3), display-linear Rec.2020. curves, when: as for `rendition.rendered`: those of
    single channels, which act after. Returns float32 (height, width, 3); what lies outside of an output's gamut is for
    `fit.fitted`.
    """
    shown = require("shown", shown, np.float32, (None, None, 3))
    result = np.empty_like(shown)
    kernel("coloured")(shown, *how.given(), *checked_curves(curves, when), result)
    return result


def rendered_coloured(
    scene: NDArray[np.float32],
    curve: NDArray[np.float32],
    curves: Curves | None,
    gain: float,
    how: Moves,
    *,
    when: int = BEFORE_FIT,
) -> NDArray[np.float32]:
    """The same of a scene, rendered in the same pass: scene, curve, curves, gain, when as for `rendition.rendered`."""
    scene = require("scene", scene, np.float32, (None, None, 3))
    curve = require("curve", curve, np.float32, (TABLE_SIZE,))
    result = np.empty_like(scene)
    kernel("rendered_coloured")(scene, curve, float(gain), *how.given(), *checked_curves(curves, when), result)
    return result


def coloured_placed(
    shown: NDArray[np.float32],
    how: Moves,
    masks: NDArray[np.float32],
    pegs: NDArray[np.float32],
    curves: Curves | None = None,
    *,
    when: int = BEFORE_FIT,
) -> NDArray[np.float32]:
    """The same, with what the pegs of several places add. masks: (height, width, n). pegs: (n, HUES + 1, 3):
    `BY_HUE`."""
    shown = require("shown", shown, np.float32, (None, None, 3))
    own = checked_masks(shown, masks)
    columns = (HUES + 1) * len(BY_HUE)
    tables = those_of(np.asarray(pegs).reshape(len(own), -1), len(own), columns)
    result = np.empty_like(shown)
    kernel("coloured_placed")(shown, *how.given(), *checked_curves(curves, when), own, *tables, result)
    return result


def screen_coloured(
    scene: NDArray[np.float32],
    curve: NDArray[np.float32],
    matrix: NDArray[np.float32],
    gain: float,
    how: Moves,
) -> NDArray[np.uint8]:
    """Scene to screen in one pass with colours moved, where no curve of a single channel is bent; scene, curve, matrix,
    gain and what is returned: as for `screen.screen`."""
    scene = require("scene", scene, np.float32, (None, None, 3))
    curve = require("curve", curve, np.float32, (TABLE_SIZE,))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    result = np.empty((*scene.shape[:2], 4), np.uint8)
    kernel("screen_coloured")(scene, curve, matrix, float(gain), *how.given(), result)
    return result
