"""The display part of all places: scene to display as the rendition has it, then what each place changes of it.

What exposure lightens keeps its colour: the a* and b* that it would have been shown with in the light that it had.
Blending follows W3C Compositing and Blending Level 1, of the picture with itself, on sRGB-encoded values.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import require
from .encoding import encoded_expr
from .fit import fitted_expr
from .loader import kernel
from .masks import compressed_expr, lab_expr
from .places import Owned, by_row, checked_masks, finish, sums_expr, those_of
from .rendition import BEFORE_FIT, TABLE_SIZE, Curves, checked_curves, curved_expr, rendered_expr
from .screen import codes

CHANGES = ("lift", "tint_a", "tint_b")
"""What a place changes: the stops of exposure that it lightens by with chroma held, and offsets of a* and b*."""
BLENDS = ("multiply", "screen", "soft_light")
"""Of the picture with itself."""
BEND_SIZE = 257
"""Entries of what a place's curve adds to lightness, evenly from L* 0 to 100."""
TINT_ENDS = 15.0
"""L* from black and from white within which a tint fades: they have no room for colour."""


def define() -> list[tuple[str, Any, list[Any]]]:
    return [
        _define_placed("display_placed"), _define_placed("display_placed_curved", is_curved=True),
        _define_placed("display_coded", is_coded=True), _define_blended(),
    ]  # fmt: skip


def _define_placed(name: str, *, is_curved: bool = False, is_coded: bool = False) -> tuple[str, Any, list[Any]]:
    """is_curved: with the curves of single channels, which cost half as much again. is_coded: to the screen at once."""
    import halide as hl

    from .pipeline import VECTOR, image, row_product, table

    x, y = hl.Var("x"), hl.Var("y")
    scene, curve, curves = image("scene", 3), table("curve"), table("curves", 2)
    masks = hl.ImageParam(hl.Float(32), 3, "masks")
    lifts, tints, bends = Owned.inputs("lifts"), Owned.inputs("tints"), Owned.inputs("bends")
    to_white, from_white = table("to_white", 2), table("from_white", 2)
    gain = hl.Param(hl.Float(32), "gain")
    (lifted,), of_lift = sums_expr(x, y, masks, lifts, 1)
    tinted, of_tint = sums_expr(x, y, masks, tints, 2)
    lift, tint_a, tint_b = (func[x, y] for func in (lifted, *tinted))

    def shown(own_gain: Any) -> list[Any]:
        values = rendered_expr([scene[i, x, y] * own_gain for i in range(3)], curve)
        return curved_expr(values, curves, hl.Expr(True)) if is_curved else values

    def held_row(called: str, values: list[Any]) -> list[Any]:
        """Values that several others follow from, worked out once a row."""
        func = hl.Func(called)
        func[x, y] = tuple(values)
        rows.append(func)
        return [func[x, y][n] for n in range(len(values))]

    rows: list[Any] = []
    plain = held_row("plain", shown(gain))
    lightness = 116.0 * compressed_expr(row_product(to_white, 1, plain)) - 16.0
    # lightness as it is lifted, colour as it would be shown without: both the same where nothing is lifted
    unlifted = held_row("unlifted", shown(gain * hl.fast_exp(lift * hl.f32(-np.log(2.0)))))
    _, a, b = lab_expr(unlifted, to_white)
    L, a, b = held_row("held_lab", [lightness, a, b])

    bend, (at, mask) = hl.Func("bend"), bends.domain(x, y, masks)
    position = hl.clamp(L / 100.0, 0.0, 1.0) * float(BEND_SIZE - 1)
    entry = hl.clamp(hl.i32(position), 0, BEND_SIZE - 2)
    bend[x, y] = hl.f32(0.0)
    bend[x, y] += mask * hl.lerp(bends.table[entry, at.x], bends.table[entry + 1, at.x], position - hl.f32(entry))

    room = hl.clamp(hl.min(L, 100.0 - L) / TINT_ENDS, 0.0, 1.0)
    fy = (hl.clamp(L + bend[x, y], 0.0, 100.0) + 16.0) / 116.0
    fx, fz = fy + (a + tint_a * room) / 500.0, fy - (b + tint_b * room) / 200.0
    relative = held_row("relative", [_opened(f) for f in (fx, fy, fz)])
    changed = (lift > 0.0) | (tint_a != 0.0) | (tint_b != 0.0) | (bend[x, y] != 0.0)
    made = [
        hl.select(changed, hl.clamp(row_product(from_white, n, relative), 0.0, 1.0), value)
        for n, value in enumerate(plain)
    ]
    inputs = [scene, curve, *([curves] if is_curved else []), masks]
    inputs += [*lifts.given(), *tints.given(), *bends.given(), to_white, from_white, gain]
    summed = [lifted, *tinted, bend], [of_lift, of_tint, of_tint, at]
    if is_coded:
        matrix = table("matrix", 2)
        made = held_row("made", made)
        out = codes(name, fitted_expr(made, matrix), x, y)
        by_row(out, *summed, x, y)
        inputs.append(matrix)
    else:
        out = finish(name, made, *summed, x, y)
    for func in rows:
        func.compute_at(out, y).vectorize(x, VECTOR, hl.TailStrategy.GuardWithIf)
    return name, out, inputs


def _define_blended() -> tuple[str, Any, list[Any]]:
    import halide as hl

    from .pipeline import image

    x, y = hl.Var("x"), hl.Var("y")
    shown, masks, changes = image("shown", 3), hl.ImageParam(hl.Float(32), 3, "masks"), Owned.inputs("changes")
    sums, place = sums_expr(x, y, masks, changes, len(BLENDS))
    values = [_blended(shown[n, x, y], *(func[x, y] for func in sums)) for n in range(3)]
    return "blended", finish("blended", values, sums, [place] * len(sums), x, y), [shown, masks, *changes.given()]


def _opened(f: Any) -> Any:
    """The tristimulus value, relative to white, whose `compressed_expr` is f."""
    import halide as hl

    return hl.select(f > 6 / 29, f * f * f, (f - hl.f32(4 / 29)) * hl.f32(3.0 * (6 / 29) ** 2))


def _blended(value: Any, multiply: Any, screen: Any, soft_light: Any) -> Any:
    import halide as hl

    e = encoded_expr(hl.clamp(value, 0.0, 1.0))
    dark = hl.select(e <= 0.25, ((16.0 * e - 12.0) * e + 4.0) * e, hl.sqrt(e))
    soft = hl.select(e <= 0.5, (2.0 * e - 1.0) * e * (1.0 - e), (2.0 * e - 1.0) * (dark - e))
    laid = hl.clamp(e + (screen - multiply) * (e - e * e) + soft_light * soft, 0.0, 1.0)
    decoded = hl.select(
        laid <= 0.04045, laid / 12.92, hl.fast_exp(2.4 * hl.fast_log((hl.max(laid, 0.04045) + 0.055) / 1.055))
    )
    return hl.select((multiply != 0.0) | (screen != 0.0) | (soft_light != 0.0), decoded, value)


def display_placed(
    scene: NDArray[np.float32],
    curve: NDArray[np.float32],
    curves: Curves | None,
    gain: float,
    masks: NDArray[np.float32],
    changes: NDArray[np.float32],
    bends: NDArray[np.float32],
    to_white: NDArray[np.float32],
    *,
    when: int = BEFORE_FIT,
) -> NDArray[np.float32]:
    """The display-referred picture with what several places change of it.

    scene, curve, curves, gain, when: as for `rendition.rendered`; the scene has the places' own light already. masks:
    (height, width, n). changes: (n, len(CHANGES)), see there. bends: (n, BEND_SIZE) what each place's curve adds to
    lightness. to_white: (3, 3) from linear Rec.2020 to XYZ relative to white. What places that lie over each other
    change adds up. Returns float32 (height, width, 3), display-linear Rec.2020, 0..1; where no place changes anything
    it is what the rendition gives, bit for bit.
    """
    channels, where = checked_curves(curves, when)
    given = _given(scene, curve, masks, changes, bends, to_white)
    result = np.empty(given[0].shape, np.float32)
    if where == BEFORE_FIT:
        kernel("display_placed_curved")(*given[:2], channels, *given[2:], float(gain), result)
    else:
        kernel("display_placed")(*given, float(gain), result)
    return result


def display_coded(
    scene: NDArray[np.float32],
    curve: NDArray[np.float32],
    gain: float,
    masks: NDArray[np.float32],
    changes: NDArray[np.float32],
    bends: NDArray[np.float32],
    to_white: NDArray[np.float32],
    matrix: NDArray[np.float32],
) -> NDArray[np.uint8]:
    """The same for the screen in one pass, where no curve of a single channel is bent: fitted to an output space, which
    `matrix` (3, 3) leads to from linear Rec.2020, and encoded. Returns what `screen.screen` does."""
    given = _given(scene, curve, masks, changes, bends, to_white)
    result = np.empty((*given[0].shape[:2], 4), np.uint8)
    kernel("display_coded")(*given, float(gain), require("matrix", matrix, np.float32, (3, 3)), result)
    return result


def _given(scene: Any, curve: Any, masks: Any, changes: Any, bends: Any, to_white: Any) -> tuple[Any, ...]:
    scene = require("scene", scene, np.float32, (None, None, 3))
    curve = require("curve", curve, np.float32, (TABLE_SIZE,))
    masks = checked_masks(scene, masks)
    changes = np.asarray(changes, np.float32)
    # beside a second column: compiled code takes no single one
    lift = np.stack([changes[:, 0], np.zeros(len(changes), np.float32)], axis=1)
    lifts, tints = those_of(lift, len(masks), 2), those_of(changes[:, 1:], len(masks), len(CHANGES) - 1)
    to_white = require("to_white", to_white, np.float32, (3, 3))
    from_white = np.linalg.inv(to_white.astype(np.float64)).astype(np.float32)
    return scene, curve, masks, *lifts, *tints, *those_of(bends, len(masks), BEND_SIZE), to_white, from_white


def blended(
    shown: NDArray[np.float32], masks: NDArray[np.float32], changes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """A display-linear picture (height, width, 3) blended with itself by several places. masks: (height, width, n).
    changes: (n, len(BLENDS)), how much of each; where there is none it stays bit for bit."""
    shown = require("shown", shown, np.float32, (None, None, 3))
    masks = checked_masks(shown, masks)
    result = np.empty_like(shown)
    kernel("blended")(shown, masks, *those_of(changes, len(masks), len(BLENDS)), result)
    return result
