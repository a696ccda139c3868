"""Each kind of mask part as a function of what it sees, which fills an array (height, width), 0..1."""

import math
from collections.abc import Callable, Iterable

import cv2
import numpy as np

from ..colour.types import Array
from ..kernels import masks as kernels
from ..recipe.places import (
    Background,
    Bright,
    Brush,
    Colour,
    Dim,
    Edges,
    Ellipse,
    Faces,
    Focus,
    Ground,
    Lasso,
    Mapped,
    MaskPart,
    Middle,
    Muted,
    People,
    Ramp,
    Reach,
    Saturated,
    SkinOf,
    Sky,
    Subject,
    Zones,
)
from .brush import painted
from .view import Mask, MaskWindow, Point

GREY_ZONE = 5.0
"""Of middle grey; a zone is one EV."""
BEYOND = 1e6
"""Zones that no picture has."""
OVER = 4
"""Finer than the px of a region that an outline is drawn."""
LEAST_SOFT = 1e-6
SOFT_FACE = 0.35
EDGE_PX = 12.0
"""Of the full size: over which an edge is taken to rise."""


def bright(part: Bright, view: MaskWindow, out: Mask) -> None:
    kernels.tones(view.display, view.weights(part.channel), part.exponent, kernels.BRIGHT, out)


def dim(part: Dim, view: MaskWindow, out: Mask) -> None:
    kernels.tones(view.display, view.weights(part.channel), part.exponent, kernels.DIM, out)


def middle(part: Middle, view: MaskWindow, out: Mask) -> None:
    kernels.tones(view.display, view.weights(part.channel), part.exponent, kernels.MIDDLE, out)


def zones(part: Zones, view: MaskWindow, out: Mask) -> None:
    zone_range(part.low, part.high, part.soft, view, out)


def zone_range(low: float, high: float, soft: float, view: MaskWindow, out: Mask | None = None) -> Mask:
    """1 in a range of zones, falling to 0 over `soft` zones beyond either end."""
    low, high = min(low, high), max(low, high)
    # the ends of the ladder hold all beyond them
    low, high = low if low > 0.0 else -BEYOND, high if high < 10.0 else BEYOND
    return kernels.zone_range(view.EV, low - GREY_ZONE, high - GREY_ZONE, soft, out)


def colour(part: Colour, view: MaskWindow, out: Mask) -> None:
    picks = [view.colours[pick] for pick in part.picks]
    soft = max(part.soft_percent / 100.0, LEAST_SOFT)
    kernels.colours(view.Lab, picks, part.hue_deg, part.chroma, part.lightness, soft, out)


def saturated(part: Saturated, view: MaskWindow, out: Mask) -> None:
    kernels.chromas(view.Lab, part.chroma, part.soft, out)


def muted(part: Muted, view: MaskWindow, out: Mask) -> None:
    saturated(part, view, out)
    np.subtract(1.0, out, out=out)


def ramp(part: Ramp, view: MaskWindow, out: Mask) -> None:
    along_x, along_y = part.x2 - part.x, part.y2 - part.y
    length = max(along_x**2 + along_y**2, 1e-12)
    by_x, by_y = along_x / length, along_y / length
    rise = 1.0 + part.x * by_x + part.y * by_y, -by_x, -by_y
    kernels.laid(view.x, view.y, kernels.RAMP, rise, out=out)


def ellipse(part: Ellipse, view: MaskWindow, out: Mask) -> None:
    turn = math.radians(part.turn_deg)
    cos, sin = math.cos(turn), math.sin(turn)
    # along its width and its height, in halves of them
    u, v = (2.0 / part.w * cos, 2.0 / part.w * sin), (-2.0 / part.h * sin, 2.0 / part.h * cos)
    forms = [(-part.x * by_x - part.y * by_y, by_x, by_y) for by_x, by_y in (u, v)]
    soft = max(part.soft_percent / 100.0, LEAST_SOFT)
    kernels.laid(view.x, view.y, kernels.ELLIPSE, forms[0], forms[1], soft, out)


def lasso(part: Lasso, view: MaskWindow, out: Mask) -> None:
    """Drawn where the outline lies in the region; the distance to it is that of the frame's own px, so that its edge is
    as sharp at every size."""
    out[...] = 0.0
    if len(part.path) < 3:
        return
    outline = np.array(part.path)
    per_px = view.px / view.long_side
    way = view.straight_way()
    if way is not None:
        _draw(outline @ way[0].T + way[1], out)
        return
    # bent: drawn as it lies in the frame, and looked up from there
    low, high = np.array([view.x.min(), view.y.min()]), np.array([view.x.max(), view.y.max()])
    width, height = np.ceil((high - low) / per_px).astype(int) + 5
    drawn = np.zeros((height, width), np.float32)
    _draw((outline - low) / per_px + 2.0, drawn)
    at_x, at_y = ((plane - start) / per_px + 2.0 for plane, start in zip((view.x, view.y), low, strict=True))
    cv2.remap(drawn, at_x.astype(np.float32), at_y.astype(np.float32), cv2.INTER_LINEAR, dst=out)


def _draw(outline: Array, out: Mask) -> None:
    """What an outline, in px of the mask, holds; its edge is as soft as a px."""
    height, width = out.shape
    low = np.clip(np.floor(outline.min(axis=0)).astype(int) - 1, 0, (width, height))
    high = np.clip(np.ceil(outline.max(axis=0)).astype(int) + 2, 0, (width, height))
    if (high <= low).any():
        return
    size = high - low
    grid = np.zeros((size[1] * OVER, size[0] * OVER), np.uint8)
    points = (outline - low + 0.5) * OVER - 0.5
    cv2.fillPoly(grid, [np.rint(points * 16.0).astype(np.int32).reshape(-1, 1, 2)], 255, cv2.LINE_8, 4)
    # halves of halves: OpenCV is quick at those
    half = cv2.resize(grid, (int(size[0]) * 2, int(size[1]) * 2), interpolation=cv2.INTER_AREA)
    small = cv2.resize(half, (int(size[0]), int(size[1])), interpolation=cv2.INTER_AREA)
    np.multiply(small, np.float32(1.0 / 255.0), out=out[low[1] : high[1], low[0] : high[0]])


def reach(part: Reach, view: MaskWindow, out: Mask) -> None:
    meant, kept_out = (_picked_colours(picks, view) for picks in (part.picks, part.keep_out))
    kernels.near(view.Lab, view.x, view.y, meant, kept_out, part.distance, part.difference, out)


def _picked_colours(picks: Iterable[Point], view: MaskWindow) -> list[tuple[float, ...]]:
    return [(*pick, *(float(value) for value in view.colours[pick])) for pick in picks]


def edges(part: Edges, view: MaskWindow, out: Mask) -> None:
    """By the slope of calmed lightness, so that it is the same however large the picture is seen."""
    L = np.ascontiguousarray(view.Lab[..., 0])
    across, down = (cv2.Sobel(L, cv2.CV_32F, dx, 1 - dx, ksize=3, scale=1.0 / 8.0) for dx in (1, 0))
    t = np.clip(cv2.magnitude(across, down) * (EDGE_PX / view.px / part.rise), 0.0, 1.0)
    np.multiply(t * t, 3.0 - 2.0 * t, out=out)


def mapped(part: Mapped, view: MaskWindow, out: Mask) -> None:
    shares = part.shares.shares
    if not shares.size:
        out[...] = 0.0
        return
    # its cells fill the frame, whose long side is 1
    per_cell = max(shares.shape)
    at_x, at_y = (np.asarray(plane * per_cell - 0.5, np.float32) for plane in (view.x, view.y))
    cv2.remap(shares, at_x, at_y, cv2.INTER_LINEAR, dst=out, borderMode=cv2.BORDER_REPLICATE)


def brush(part: Brush, view: MaskWindow, out: Mask) -> None:
    out[...] = view.painted_of(view, part.strokes) if view.painted_of else painted(part.strokes.values(), view)


def subject(part: Subject, view: MaskWindow, out: Mask) -> None:
    is_background = isinstance(part, Background)
    # a tap on what is meant says the same of the other side
    yes, no = (part.keep_out, part.picks) if is_background else (part.picks, part.keep_out)
    out[...] = view.finder.subject(view, tuple(yes), tuple(no), int(part.n)) if view.finder is not None else 0.0
    if is_background:
        np.subtract(1.0, out, out=out)


def sky(part: Sky, view: MaskWindow, out: Mask) -> None:
    out[...] = view.finder.sky(view) if view.finder is not None else 0.0
    if isinstance(part, Ground):
        np.subtract(1.0, out, out=out)


def faces(part: Faces, view: MaskWindow, out: Mask) -> None:
    """An oval over each face, from brow to chin and between the ears, soft at its rim."""
    out[...] = 0.0
    found = view.finder.faces() if view.finder is not None else []
    chosen = found if not part.n else found[int(part.n) - 1 : int(part.n)]
    for face in chosen:
        middle_x, middle_y = face.x + face.w / 2.0, face.y + face.h * 0.46
        across, down = face.w * 0.52, face.h * 0.66
        r = np.sqrt(((view.x - middle_x) / across) ** 2 + ((view.y - middle_y) / down) ** 2)
        t = np.clip((1.0 - r) / SOFT_FACE + 0.5, 0.0, 1.0)
        np.maximum(out, t * t * (3.0 - 2.0 * t), out=out)


def people(part: People, view: MaskWindow, out: Mask) -> None:
    out[...] = view.finder.people(view, int(part.n)) if view.finder is not None else 0.0


def skin(_: SkinOf, view: MaskWindow, out: Mask) -> None:
    out[...] = view.finder.skin(view) if view.finder is not None else 0.0


def focus(_: Focus, view: MaskWindow, out: Mask) -> None:
    out[...] = view.finder.focus(view) if view.finder is not None else 0.0


PARTS: dict[type[MaskPart], Callable[..., object]] = {
    Bright: bright, Dim: dim, Middle: middle, Zones: zones, Colour: colour, Saturated: saturated, Muted: muted,
    Ramp: ramp, Ellipse: ellipse, Lasso: lasso, Reach: reach, Edges: edges, Brush: brush, Mapped: mapped,
    Subject: subject, Background: subject, Sky: sky, Ground: sky, Faces: faces, People: people,
    SkinOf: skin, Focus: focus,
}  # fmt: skip
"""The function of each kind that sees the picture; the mask of another place is joined as that place has it."""
