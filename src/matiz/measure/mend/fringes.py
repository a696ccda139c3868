"""Reading of sideways colour fringes: how much larger or smaller red and blue are drawn than green.

The lens scales the picture a little differently for each colour. In blocks with edges that lie across
the way from the middle, red (or blue) is fitted by green, its mean, and its slope along that way; the
share of the slope is the shift there, and the shifts grow with the distance from the middle. Green is
then scaled by what was found and the fit repeated, so that shifts over a pixel are found too.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from ...image.robust import huber
from ...raw.frame import Mosaic

BLOCK = 16
"""Side of a block, in cells of the mosaic."""
ROUNDS = 4
LEAST_RADIUS = 0.25
"""Of half the diagonal: nearer the middle a shift says little of the scale."""
LEAST_AGREEMENT = 0.9
"""Share of red's variance that green must explain: else the block holds coloured detail."""
LEAST_BLOCKS = 12
LEAST_SLOPE = 2e-5
"""Variance of the slope in a block, of square roots per cell: less is noise and shading."""
SMOOTH_PX = 0.8
MOST_CELLS, STRIP_ROWS, MARGIN_ROWS = 1_000_000, 4 * BLOCK, 12
"""Cells that are looked at, and the strips of them in larger frames; the margin is for shifts and slopes."""
SMALLEST_STEP = 0.01
"""In cells at the corner: a round that moves less is the last."""

Plane = NDArray[np.float32]


@dataclass(frozen=True)
class FringeReading:
    """How much further from the middle than green each colour lies at the corner, in px of the full frame."""

    red_px: float
    blue_px: float
    certainty: float
    """0..1, from how well the blocks agree."""


def read_fringes(mosaic: Mosaic) -> FringeReading | None:
    """None for a mosaic that is not 2x2, or where too few blocks have edges."""
    if not mosaic.is_bayer:
        return None
    row, column = mosaic.red
    height, width = mosaic.values.shape
    cells = (width // 2, height // 2)
    strips = _strips(mosaic, cells)
    found = []
    for colour, (y, x) in (("red", (row, column)), ("blue", (1 - row, 1 - column))):
        # green's two places have their middle in the middle of the cell
        result = _scale(strips, colour, cells, ((x - 0.5) / 2, (y - 0.5) / 2))
        if result is None:
            return None
        found.append(result)
    corner = math.hypot(width, height) / 2
    (k_red, error_red), (k_blue, error_blue) = found
    spread_px = max(error_red, error_blue) * corner
    return FringeReading(k_red * corner, k_blue * corner, float(np.exp(-((spread_px / 0.3) ** 2))))


@dataclass(frozen=True)
class _Strip:
    """Rows of cells as square roots, with a margin above and below."""

    top: int
    """Of the first row without the margin, and in the whole."""
    inner: slice
    red: Plane
    green: Plane
    blue: Plane


def _strips(mosaic: Mosaic, cells: tuple[int, int]) -> list[_Strip]:
    """The whole of a small frame; of a large one strips from top to bottom, which tell as much as is needed."""
    width, height = cells
    if width * height <= MOST_CELLS:
        cuts = [(0, height)]
    else:
        count = math.ceil(MOST_CELLS / (width * STRIP_ROWS))
        tops = np.linspace(0, height - STRIP_ROWS, count).astype(int)
        cuts = [(int(top), int(top) + STRIP_ROWS) for top in tops]
    row, column = mosaic.red
    out = []
    for top, bottom in cuts:
        first, last = max(0, top - MARGIN_ROWS), min(height, bottom + MARGIN_ROWS)

        def plane(y: int, x: int, rows: tuple[int, int] = (first, last)) -> Plane:
            return _plane(mosaic, y, x, rows)

        red, blue = plane(row, column), plane(1 - row, 1 - column)
        green = 0.5 * (plane(row, 1 - column) + plane(1 - row, column))
        out.append(_Strip(top, slice(top - first, bottom - first), red, green, blue))
    return out


def _plane(mosaic: Mosaic, row: int, column: int, rows: tuple[int, int]) -> Plane:
    """One photosite of each cell of some rows as square roots: (rows, columns) of cells."""
    black = float(mosaic.black[row, column])
    width = mosaic.values.shape[1] // 2 * 2
    values = mosaic.values[2 * rows[0] + row : 2 * rows[1] : 2, column:width:2].astype(np.float32)
    root = np.sqrt(np.maximum((values - black) / np.float32(mosaic.white - black), 0.0))
    return np.asarray(cv2.GaussianBlur(root, (0, 0), SMOOTH_PX), np.float32)


def _scale(
    strips: list[_Strip], colour: str, cells: tuple[int, int], offset: tuple[float, float]
) -> tuple[float, float] | None:
    """Relative scale of a colour against green less 1, and its standard error; offset (x, y) of its place in cells."""
    half = math.hypot(*cells) / 2
    k, error = 0.0, 0.0
    for _ in range(ROUNDS):
        parts = [part for strip in strips if (part := _strip_shifts(strip, colour, cells, offset, k)) is not None]
        if sum(len(part[0]) for part in parts) < LEAST_BLOCKS:
            return None
        step, error = _fitted(tuple(np.concatenate(values) for values in zip(*parts, strict=True)), half)
        k += step
        if abs(step) * half < SMALLEST_STEP:
            break
    return k, error


def _strip_shifts(
    strip: _Strip, colour: str, cells: tuple[int, int], offset: tuple[float, float], k: float
) -> tuple[Array, ...] | None:
    """What the blocks of a strip tell of a colour, green being scaled by 1 + k already: see `_shifts`."""
    width, height = cells
    plane: Plane = getattr(strip, colour)
    first = strip.top - strip.inner.start
    y, x = np.mgrid[0 : plane.shape[0], 0:width].astype(np.float32)
    from_x, from_y = x - np.float32((width - 1) / 2), y + np.float32(first - (height - 1) / 2)
    radius = np.hypot(from_x, from_y)
    away = np.maximum(radius, np.float32(1.0))
    at_x = x + np.float32(offset[0]) - np.float32(k) * from_x
    at_y = y + np.float32(offset[1]) - np.float32(k) * from_y
    moved = cv2.remap(strip.green, at_x, at_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)
    slope_x = cv2.Sobel(moved, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
    slope_y = cv2.Sobel(moved, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)
    way = (from_x / away, from_y / away)
    outward = slope_x * way[0] + slope_y * way[1]
    half = np.float32(math.hypot(*cells) / 2)
    rows = strip.inner
    return _shifts(plane[rows], moved[rows], outward[rows], radius[rows] / half, (way[0][rows], way[1][rows]))


def _fitted(blocks: tuple[Array, ...], half: float) -> tuple[float, float]:
    """Scale and its error: robust least squares (Huber) of the shifts on the distance from the middle.

    Warm light from one side and blue from the other moves colours against each other too, but everywhere
    the same way: such a shift is fitted beside the scale, and left out.
    """
    shift, at, way_x, way_y, weight = blocks
    # a colour drawn larger by k lies k * radius further out: its slope comes in with the other sign
    terms = np.stack([-at * half, way_x, way_y], axis=1)

    def limit(rest: Array) -> float:
        return 1.5 * max(1.4826 * _weighted_median(rest, weight), 1e-6)

    solved, held = huber(terms, shift, limit=limit, weight=weight, rounds=8)
    scale = limit(np.abs(shift - terms @ solved)) / 1.5
    spread = np.linalg.inv((terms * held[:, None]).T @ terms)
    # effective number of blocks: weights are far from even
    error = math.sqrt(max(spread[0, 0] * held.sum(), 0.0)) * scale * math.sqrt((held**2).sum()) / held.sum()
    return float(solved[0]), error


def _shifts(
    plane: Plane, green: Plane, outward: Plane, radius: Plane, way: tuple[Plane, Plane]
) -> tuple[Array, ...] | None:
    """Of each block that tells: shift outward in cells, distance from the middle (corner 1), direction, weight."""

    def means(image: Plane) -> Array:
        size = (image.shape[1] // BLOCK, image.shape[0] // BLOCK)
        part = np.ascontiguousarray(image[: size[1] * BLOCK, : size[0] * BLOCK])
        return cv2.resize(part, size, interpolation=cv2.INTER_AREA).astype(np.float64).ravel()

    if min(plane.shape) < 2 * BLOCK:
        return None
    c, g, d = means(plane), means(green), means(outward)
    gg, dd, gd = (
        means(a * b) - e * f for a, b, e, f in ((green, green, g, g), (outward, outward, d, d), (green, outward, g, d))
    )
    cg, cd, cc = means(plane * green) - c * g, means(plane * outward) - c * d, means(plane * plane) - c * c
    # least squares of c on g and d, both about their means
    determinant = gg * dd - gd * gd
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (cg * dd - cd * gd) / determinant, (cd * gg - cg * gd) / determinant
        agreement = (a * cg + b * cd) / cc
        shift = b / a
    at, way_x, way_y = means(radius), means(way[0]), means(way[1])
    good = (determinant > 0) & (dd > LEAST_SLOPE) & (agreement > LEAST_AGREEMENT) & (a > 0.1) & (at > LEAST_RADIUS)
    good &= np.abs(shift) < 1.5
    weight = dd[good] / np.maximum(1.0 - agreement[good], 0.01)
    return shift[good], at[good], way_x[good], way_y[good], weight


def _weighted_median(values: Array, weight: Array) -> float:
    order = np.argsort(values)
    total = np.cumsum(weight[order])
    return float(values[order][np.searchsorted(total, total[-1] / 2)])
