"""Each kind of mask part as a function of what it sees: (height, width), 0..1."""

import math
from collections.abc import Callable

import cv2
import numpy as np

from ..colour.types import Array
from ..recipe.places import (
    Bright,
    Colour,
    Dim,
    Ellipse,
    Lasso,
    MaskPart,
    Middle,
    Muted,
    Ramp,
    Reach,
    Saturated,
    Zones,
)
from .view import Mask, View

GREY_ZONE = 5.0
"""Of middle grey; a zone is one EV."""
LEAST_CHROMA = 8.0
"""C*ab below which a hue says less and less."""


def bright(part: Bright, view: View) -> Mask:
    return _power(view.tone(part.channel), part.exponent)


def dim(part: Dim, view: View) -> Mask:
    return _power(1.0 - view.tone(part.channel), part.exponent)


def middle(part: Middle, view: View) -> Mask:
    return 1.0 - _power(np.abs(2.0 * view.tone(part.channel) - 1.0), part.exponent)


def zones(part: Zones, view: View) -> Mask:
    zone = view.EV + GREY_ZONE
    low, high = min(part.low, part.high), max(part.low, part.high)
    # the ends of the ladder hold all beyond them
    off = np.maximum(low - zone if low > 0.0 else -1.0, zone - high if high < 10.0 else -1.0)
    return _falling(off, part.soft)


def colour(part: Colour, view: View) -> Mask:
    best = np.zeros(view.shape, np.float32)
    L, a, b = (np.ascontiguousarray(view.Lab[..., n]) for n in range(3))
    chroma = view.chroma
    for pick in part.picks:
        own_L, own_a, own_b = (float(value) for value in view.colours[pick])
        own = float(np.hypot(own_a, own_b))
        # how far the hue is turned, from the cosine; near grey it is noise
        cosine = (a * own_a + b * own_b) / np.maximum(chroma * own, 1e-6)
        turned = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
        sure = np.minimum(np.minimum(chroma, own) / LEAST_CHROMA, 1.0)
        off = np.maximum(turned * sure / part.hue_deg, np.abs(chroma - own) / part.chroma)
        off = np.maximum(off, np.abs(L - own_L) / part.lightness)
        best = np.maximum(best, _inside(off, part.soft_percent))
    return best


def saturated(part: Saturated, view: View) -> Mask:
    return _smooth((view.chroma - part.chroma) / part.soft + 0.5)


def muted(part: Muted, view: View) -> Mask:
    return np.asarray(1.0 - saturated(part, view))


def ramp(part: Ramp, view: View) -> Mask:
    along_x, along_y = part.x2 - part.x, part.y2 - part.y
    length = max(along_x**2 + along_y**2, 1e-12)
    # one slope in x and one in y
    by_x, by_y = along_x / length, along_y / length
    return _smooth((1.0 + part.x * by_x + part.y * by_y) - view.x * by_x - view.y * by_y)


def ellipse(part: Ellipse, view: View) -> Mask:
    turn = math.radians(part.turn_deg)
    x, y = view.x - part.x, view.y - part.y
    wide, high = 2.0 / part.w, 2.0 / part.h
    across = x * (wide * math.cos(turn)) + y * (wide * math.sin(turn))
    down = y * (high * math.cos(turn)) - x * (high * math.sin(turn))
    return _inside(cv2.magnitude(across, down).reshape(across.shape), part.soft_percent)


def lasso(part: Lasso, view: View) -> Mask:
    """Drawn where the outline lies in the region; the distance to it is that of the frame's own px, so that its edge is
    as sharp at every size."""
    if len(part.path) < 3:
        return np.zeros(view.shape, np.float32)
    outline = np.array(part.path)
    per_px = view.px / view.long_side
    low, high = np.array([view.x.min(), view.y.min()]), np.array([view.x.max(), view.y.max()])
    size = np.ceil((high - low) / per_px).astype(int) + 5
    grid = np.zeros((size[1] * OVER, size[0] * OVER), np.uint8)
    points = ((outline - low) / per_px + 2.5) * OVER - 0.5
    cv2.fillPoly(grid, [np.rint(points * 16.0).astype(np.int32).reshape(-1, 1, 2)], 1, cv2.LINE_8, 4)
    small = cv2.resize(grid.astype(np.float32), tuple(int(n) for n in size), interpolation=cv2.INTER_AREA)
    at_x, at_y = (view.x - low[0]) / per_px + 2.0, (view.y - low[1]) / per_px + 2.0
    sampled = cv2.remap(small, at_x.astype(np.float32), at_y.astype(np.float32), cv2.INTER_LINEAR)
    return np.asarray(sampled, np.float32)


OVER = 3
"""Finer than the px of a region that an outline is drawn."""


def reach(part: Reach, view: View) -> Mask:
    meant, kept_out = (_near(picks, part, view) for picks in (part.picks, part.keep_out))
    # where both reach, the nearer one has it
    return np.asarray(meant * meant / np.maximum(meant + kept_out, 1e-6), np.float32)


def _near(picks: tuple[tuple[float, float], ...], part: Reach, view: View) -> Mask:
    best = np.zeros(view.shape, np.float32)
    for pick in picks:
        far = ((view.x - pick[0]) ** 2 + (view.y - pick[1]) ** 2) / part.distance**2
        off = [view.Lab[..., n] - float(view.colours[pick][n]) for n in range(3)]
        unlike = (off[0] * off[0] + off[1] * off[1] + off[2] * off[2]) / part.difference**2
        best = np.maximum(best, cv2.exp(np.ascontiguousarray(-far - unlike, np.float32)))
    return best


def _power(values: Mask, exponent: float) -> Mask:
    return np.asarray(cv2.pow(np.maximum(values, 0.0), exponent), np.float32).reshape(values.shape)


def _inside(off: Array, soft_percent: float) -> Mask:
    """1 inside, 0 from `off` = 1 on; the last share of the way is fall-off."""
    soft = max(soft_percent / 100.0, 1e-6)
    return _smooth((1.0 - off) / soft)


def _falling(off: Array, soft: float) -> Mask:
    """1 up to 0, 0 from `soft` on."""
    return _smooth(1.0 - off / max(soft, 1e-6))


def _smooth(t: Array) -> Mask:
    t = np.clip(np.asarray(t, np.float32), 0.0, 1.0)
    return t * t * (np.float32(3.0) - np.float32(2.0) * t)


PARTS: dict[type[MaskPart], Callable[..., Mask]] = {
    Bright: bright, Dim: dim, Middle: middle, Zones: zones, Colour: colour, Saturated: saturated, Muted: muted,
    Ramp: ramp, Ellipse: ellipse, Lasso: lasso, Reach: reach,
}  # fmt: skip
"""The function of each kind."""
