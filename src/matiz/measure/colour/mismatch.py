"""One material in two hues: a smooth area, such as a sky, of which a part has another hue than the rest.

A sky, still water or a wall may change in lightness, and its hue may drift, but it does not step. So smooth areas are
looked for whose hues fall into two heaps with next to nothing between them, each lying together in the picture. What is
rough (rock, leaves) is not judged: its hues spread by themselves.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.difference import delta_E_2000
from ...colour.spaces import RGB_to_XYZ_matrix
from ...colour.types import Array, Display
from ...develop.frame.mapping import Mapping
from ...develop.frame.tiles import Region
from ...kernels.masks import lab

CALM_PX, ROUGH_PX = 5, 9
MOST_ROUGH = 2.0
"""Spread of L* over ROUGH_PX up to which an area is smooth."""
LEAST_SHARE, LEAST_PART = 0.05, 0.12
"""Of the picture: a smaller area is not judged; of the area: a smaller part is a cloud."""
LEAST_CHROMA = 6.0
"""C*ab of both parts: greys have no hue to compare."""
LEAST_DEG, MOST_DEG = 3.2, 50.0
"""Of hue between the parts: less is not seen, more is another thing."""
MOST_dL = 8.0
"""L* between what lies close on either side of the border between the parts: more is an edge of things."""
LEAST_APART = 6.0
"""Distance of the heaps over their spread (Ashman, Bird and Zepf 1994)."""
MOST_BETWEEN = 0.25
"""Of the lower heap's density: how many lie between them."""
LEAST_TOGETHER = 0.5
"""Of each part that lies in one piece."""
MOST_WIDE_DEG = 70.0
"""Of hue within an area that is one thing."""
DRIFTS = (7, 4)
"""Terms of a drift that is taken off: one that bends, and an even one."""
FITTED_PX, TURNS, LIKELIEST = 1200, 8, 6
_TO_WHITE = np.asarray(RGB_to_XYZ_matrix("sRGB") / RGB_to_XYZ_matrix("sRGB").sum(axis=1)[:, None], np.float32)
BORDER_PX, GAP_PX, CLOSED_PX, EDGE_PX = 7, 25, 7, 1.5
LEAST_PX = 200
MOST_CERTAIN = 0.6
"""By hue alone nobody knows whether it is one thing: a wall may be painted in two."""
MAP_PX = 190
"""Long side of the map that is kept of a part."""


@dataclass(frozen=True)
class Mismatch:
    """Two parts of one area: the lesser one, and the rest. Boxes in px of the picture that was read."""

    part: Region
    """A box well inside of the part that is off."""
    rest: Region
    """A box well inside of the rest."""
    dh: float
    """Degrees of CIELAB hue that the part is off by."""
    dE00: float
    """What that turn alone makes."""
    share: float
    """Of the picture that the part is."""
    certainty: float
    where: NDArray[np.float32]
    """How much each px of the picture that was read belongs to the part, 0..1."""


def find_mismatch(display: Display) -> Mismatch | None:
    """The clearest one of a picture in display-linear sRGB, (height, width, 3); None where there is none."""
    Lab = lab(np.ascontiguousarray(display, np.float32), _TO_WHITE)
    # what the heaps are told by must not be the noise of single px, nor blocks of compression
    calm = cv2.GaussianBlur(cv2.medianBlur(Lab, CALM_PX), (0, 0), CALM_PX / 2.0)
    mean, square = (cv2.blur(each, (ROUGH_PX, ROUGH_PX)) for each in (Lab[..., 0], Lab[..., 0] ** 2))
    rough = np.sqrt(np.maximum(square - mean**2, 0.0))
    smooth = (rough < MOST_ROUGH) & (calm[..., 0] > 12.0) & (calm[..., 0] < 97.0)
    smooth = cv2.erode(smooth.astype(np.uint8), np.ones((3, 3), np.uint8))
    count, labels, found, _ = cv2.connectedComponentsWithStats(smooth)
    areas = sorted((n for n in range(1, count) if found[n, 4] > LEAST_SHARE * smooth.size), key=lambda n: -found[n, 4])
    judged = (_judged(calm, labels == n) for n in areas)
    return max((each for each in judged if each is not None), key=lambda each: each.certainty, default=None)


def in_frame(mapping: Mapping, where: NDArray[np.float32], step: int) -> NDArray[np.float32]:
    """A map of the picture, px of it `step` of the full size, as a coarse one of the whole frame."""
    width, height = mapping.frame_size
    scale = MAP_PX / max(width, height)
    columns, rows = max(2, round(width * scale)), max(2, round(height * scale))
    across, down = (np.arange(columns) + 0.5) * width / columns - 0.5, (np.arange(rows) + 0.5) * height / rows - 0.5
    places = np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2)
    there = ((mapping.to_picture(places) + 0.5) / step - 0.5).astype(np.float32).reshape(rows, columns, 2)
    return cv2.remap(where, there[..., 0], there[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)


def _judged(calm: NDArray[np.float32], area: NDArray[np.bool_]) -> Mismatch | None:
    L, a, b = np.moveaxis(calm, -1, 0)
    area = area & (np.hypot(a, b) > LEAST_CHROMA)
    if area.sum() < max(LEAST_PX, LEAST_SHARE * area.size):
        return None
    middle = np.angle((a[area] + 1j * b[area]).mean())
    hue = np.degrees(np.angle((a + 1j * b) * np.exp(-1j * middle)))
    if np.subtract(*np.quantile(hue[area], (0.95, 0.05))) > MOST_WIDE_DEG:
        # many things, or none with a hue of its own
        return None
    # a drift of many terms may take the step of a part with it: then one of fewer shows it
    found = (_parted_in_two(calm, area, _without_drift(hue, L, area, terms)) for terms in DRIFTS)
    return max((each for each in found if each is not None), key=lambda each: each.certainty, default=None)


def _parted_in_two(calm: NDArray[np.float32], area: NDArray[np.bool_], hue: Array) -> Mismatch | None:
    """By the hue of each px of an area, what drifts taken off, degrees."""
    L, own = calm[..., 0], hue[area]
    at = _parted(own)
    low, high = own[own < at], own[own >= at]
    if min(len(low), len(high)) < LEAST_PART * len(own):
        return None
    dh = float(np.median(high) - np.median(low))
    spread = float(np.hypot(_spread(low), _spread(high)) / np.sqrt(2.0))
    apart = dh / max(spread, 0.25)
    if not LEAST_DEG <= dh <= MOST_DEG or apart < LEAST_APART or _between(own, low, high) > MOST_BETWEEN:
        return None
    is_low_less = len(low) < len(high)
    part = area & ((hue < at) if is_low_less else (hue >= at))
    rest = area & ~part
    if min(_together(part), _together(rest)) < LEAST_TOGETHER or _step(L, part, rest) > MOST_dL:
        return None
    middle_of = np.median(calm[rest], axis=0).astype(np.float64)
    turned = (middle_of[1] + 1j * middle_of[2]) * np.exp(1j * np.radians(dh))
    dE = float(delta_E_2000(middle_of, np.array([middle_of[0], turned.real, turned.imag])))
    certainty = float(np.clip(0.4 + (apart - LEAST_APART) / 30.0, 0.0, MOST_CERTAIN))
    signed = -dh if is_low_less else dh
    return Mismatch(_inside(part), _inside(rest), signed, dE,
                    float(part.mean()), certainty, _softly(part, rest))  # fmt: skip


def _softly(part: NDArray[np.bool_], rest: NDArray[np.bool_]) -> NDArray[np.float32]:
    """The part with the small holes in it, and a soft edge."""
    filled = cv2.morphologyEx(part.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((CLOSED_PX, CLOSED_PX), np.uint8))
    wider = cv2.dilate(filled, np.ones((CALM_PX, CALM_PX), np.uint8)).astype(bool) & ~rest
    return cv2.GaussianBlur(wider.astype(np.float32), (0, 0), EDGE_PX)


def _without_drift(hue: Array, L: Array, area: NDArray[np.bool_], terms: int) -> Array:
    """Hue with what of it drifts over the area, or with lightness, taken off; a step of one part is no drift.

    Drift and step are fitted in turns, from several first guesses of where the step is; what leaves least is taken.
    """
    rows, columns = np.nonzero(area)
    y, x = (rows / area.shape[0] - 0.5, columns / area.shape[1] - 0.5)
    own, light = hue[area], (L[area] - L[area].mean()) / 30.0
    drift = np.stack([np.ones(len(x)), x, y, light, x * x, x * y, y * y][:terms], axis=1)
    thin = slice(None, None, max(1, len(own) // FITTED_PX))
    some, base = own[thin], drift[thin]
    first = [np.asarray(some >= _parted(some)), *_cuts(x[thin], y[thin])]
    # the likeliest first guesses are worth a closer look
    tried = sorted(((_solved(some, base, step)[1], n) for n, step in enumerate(first)))[:LIKELIEST]
    best, _ = min((_fitted(some, base, first[n]) for _, n in tried), key=lambda found: found[1])
    out = np.array(hue, np.float64)
    out[area] = own - drift @ best
    return out


def _cuts(x: Array, y: Array) -> list[NDArray[np.bool_]]:
    """First guesses of where a part is: on one side of a line."""
    out = []
    for angle in np.pi / 8.0 * np.arange(8):
        along = x * np.cos(angle) + y * np.sin(angle)
        out += [along >= edge for edge in np.quantile(along, (0.2, 0.4, 0.6, 0.8))]
    return out


def _solved(hue: Array, drift: Array, step: NDArray[np.bool_]) -> tuple[Array, float]:
    """The drift and the step, and the mean square that both leave."""
    terms = np.column_stack([drift, step])
    found = np.linalg.solve(terms.T @ terms + 1e-9 * np.eye(terms.shape[1]), terms.T @ hue)
    return found, float(np.mean((hue - terms @ found) ** 2))


def _fitted(hue: Array, drift: Array, step: NDArray[np.bool_]) -> tuple[Array, float]:
    """The drift beside a step, the step taken anew from what the drift leaves, and the mean square that both leave."""
    for _ in range(TURNS):
        found, left = _solved(hue, drift, step)
        flat = hue - drift @ found[:-1]
        again = np.asarray(flat >= found[-1] / 2.0 if found[-1] > 0.0 else flat < found[-1] / 2.0)
        if np.array_equal(again, step) or again.all() or not again.any():
            break
        step = again
    return found[:-1], left


def _parted(values: Array) -> float:
    """Where two heaps part best (Otsu 1979)."""
    counts, edges = np.histogram(values, 128)
    centres = (edges[:-1] + edges[1:]) / 2.0
    below = np.cumsum(counts).astype(np.float64)
    sums = np.cumsum(counts * centres)
    above = below[-1] - below
    with np.errstate(divide="ignore", invalid="ignore"):
        between = below * above * (sums / below - (sums[-1] - sums) / above) ** 2
    return float(edges[int(np.nanargmax(np.where(np.isfinite(between), between, -1.0))) + 1])


def _spread(values: Array) -> float:
    return float(np.subtract(*np.quantile(values, (0.84, 0.16)))) / 2.0


def _between(values: Array, low: Array, high: Array) -> float:
    """Density about the middle between two heaps over that of the lower one."""
    first, second = float(np.median(low)), float(np.median(high))
    wide = 0.15 * (second - first)

    def density(centre: float) -> float:
        return float((np.abs(values - centre) < wide).mean())

    return density((first + second) / 2.0) / max(min(density(first), density(second)), 1e-9)


def _together(where: NDArray[np.bool_]) -> float:
    """Share of a part that lies in one piece, but for what stands before it."""
    near = cv2.dilate(where.astype(np.uint8), np.ones((GAP_PX, GAP_PX), np.uint8))
    _, labels = cv2.connectedComponents(near)
    return float(np.bincount(labels[where]).max() / max(where.sum(), 1))


def _step(L: Array, part: NDArray[np.bool_], rest: NDArray[np.bool_]) -> float:
    """How far lightness steps where the parts meet."""
    near = np.ones((2 * BORDER_PX + 1, 2 * BORDER_PX + 1), np.uint8)
    sides = [first & (cv2.dilate(second.astype(np.uint8), near) > 0) for first, second in ((part, rest), (rest, part))]
    if min(side.sum() for side in sides) < BORDER_PX:
        # they do not meet: two things
        return np.inf
    return float(abs(np.median(L[sides[0]]) - np.median(L[sides[1]])))


def _inside(where: NDArray[np.bool_]) -> Region:
    """An upright box about the place that lies furthest inside, half as far to each side."""
    far = cv2.distanceTransform(np.pad(where, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    y, x = np.unravel_index(int(far.argmax()), far.shape)
    half = max(1, int(far[y, x] * 0.6))
    return int(x) - half, int(y) - half, 2 * half, 2 * half
