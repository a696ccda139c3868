"""What strokes of a brush have painted, one upon the other.

A stroke covers what it passes, softly toward its rim; where it passes twice, the more of both counts: one stroke
never builds up by itself. Each stroke then goes its strength of the way from what is there to its limit, or wipes that
share of it off.
"""

from collections.abc import Iterable, Iterator

import numpy as np

from ..colour.types import Array
from ..kernels.strokes import COLUMNS, laid_on
from ..recipe.places import Stroke
from .view import Mask, MaskWindow, Point

BLOCK = 64
"""Px to a side that are painted at a time: strokes that do not pass them are not looked at."""
SAMPLE = 16
"""Px from one place of a block that is looked at to the next; a block is a whole number of them."""
ROUNDEST_PX = 0.75
"""Of the view: half the least width of a stroke's edge, so that a hard brush draws no steps."""


def painted(strokes: Iterable[Stroke], view: MaskWindow, before: Mask | None = None) -> Mask:
    """The mask (height, width), 0..1, that strokes leave; before: what others have left, which is not written to."""
    mask = np.zeros(view.shape, np.float32) if before is None else before.copy()
    pieces, owners, boxes = _pieces(list(strokes), view)
    if not len(pieces):
        return mask
    keeps = bool(pieces[:, COLUMNS.index("likeness")].any())
    for part, (left, top, right, bottom) in _blocks(view, boxes):
        here = (boxes[:, 0] <= right) & (boxes[:, 1] <= bottom) & (boxes[:, 2] >= left) & (boxes[:, 3] >= top)
        if here.any():
            own, of = pieces[here], owners[here]
            own[:, COLUMNS.index("ends")] = np.append(of[1:] != of[:-1], True)
            lab = view.Lab[part] if keeps else None
            mask[part] = laid_on(mask[part], view.x[part], view.y[part], lab, own)
    return mask


def starts(strokes: Iterable[Stroke]) -> Iterator[Point]:
    """Where strokes that keep to a colour begin: whose colours they want to know."""
    for stroke in strokes:
        if stroke.keep_to and len(stroke.path):
            yield start_of(stroke)


def start_of(stroke: Stroke) -> Point:
    x, y = stroke.path.points[0, :2]
    return float(x), float(y)


def _pieces(strokes: list[Stroke], view: MaskWindow) -> tuple[Array, Array, Array]:
    """Their pieces as the kernel takes them, which stroke each belongs to, and the box that each reaches."""
    made, owners = [], []
    for n, stroke in enumerate(strokes):
        if len(stroke.path):
            made.append(_of(stroke, view))
            owners.append(np.full(len(made[-1]), n))
    if not made:
        return np.zeros((0, len(COLUMNS)), np.float32), np.zeros(0, int), np.zeros((0, 4))
    pieces = np.concatenate(made)
    at = {name: pieces[:, k] for k, name in enumerate(COLUMNS)}
    reach = np.maximum(at["radius"], at["to_radius"])
    sides = (
        np.minimum(at["x"], at["to_x"]) - reach, np.minimum(at["y"], at["to_y"]) - reach,
        np.maximum(at["x"], at["to_x"]) + reach, np.maximum(at["y"], at["to_y"]) + reach,
    )  # fmt: skip
    return pieces, np.concatenate(owners), np.stack(sides, axis=1)


def _of(stroke: Stroke, view: MaskWindow) -> Array:
    points = stroke.path.points.astype(np.float64)
    if len(points) == 1:
        points = np.concatenate([points, points])
    weight = points[:, 2] if stroke.path.columns > 2 else np.ones(len(points))
    radius, rim = stroke.radius_px / view.long_side, ROUNDEST_PX * view.px / view.long_side
    # a rim of a px at least lies half inside and half outside of a hard edge
    soft = max((1.0 - stroke.hardness_percent / 100.0) * radius, 2.0 * rim)
    outer = radius + max(0.0, rim - (1.0 - stroke.hardness_percent / 100.0) * radius / 2.0)
    out = np.zeros((len(points) - 1, len(COLUMNS)), np.float32)
    columns: dict[str, Array | float] = {
        "x": points[:-1, 0], "y": points[:-1, 1], "to_x": points[1:, 0], "to_y": points[1:, 1],
        "radius": outer, "to_radius": outer, "weight": weight[:-1], "to_weight": weight[1:],
        "soft": min(soft / outer, 1.0), "limit": stroke.limit_percent / 100.0,
        "strength": stroke.strength_percent / 100.0 * (-1.0 if stroke.erase == "on" else 1.0),
    }  # fmt: skip
    if stroke.keep_to:
        L, a, b = (float(value) for value in view.colours[start_of(stroke)])
        columns |= {"L": L, "a": a, "b": b, "likeness": stroke.keep_to**-2.0}
    for name, value in columns.items():
        out[:, COLUMNS.index(name)] = value
    return out


def _blocks(view: MaskWindow, boxes: Array) -> Iterator[tuple[tuple[slice, slice], Array]]:
    """The parts of a view that are painted at a time, and left, top, right and bottom of each in the frame; those that
    lie beyond all boxes are left out."""
    height, width = view.shape
    tops, lefts = np.arange(0, height, BLOCK), np.arange(0, width, BLOCK)
    # a px in so many tells where a block lies
    rim = SAMPLE * view.px / view.long_side
    planes = view.x[::SAMPLE, ::SAMPLE], view.y[::SAMPLE, ::SAMPLE]
    sides = np.stack([
        extreme.reduceat(extreme.reduceat(plane, tops // SAMPLE, axis=0), lefts // SAMPLE, axis=1) + off
        for extreme, off in ((np.minimum, -rim), (np.maximum, rim)) for plane in planes
    ])  # fmt: skip
    low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
    near = (sides[0] <= high[0]) & (sides[1] <= high[1]) & (sides[2] >= low[0]) & (sides[3] >= low[1])
    for row, column in np.argwhere(near):
        part = np.s_[tops[row] : tops[row] + BLOCK, lefts[column] : lefts[column] + BLOCK]
        yield part, sides[:, row, column]
