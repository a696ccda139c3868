"""Mixed light: how many lights fall on a picture, which, and where.

Most surfaces lie on the warm side of neutral: wood, sand, skin, soil. So in every block of the picture
the colour that, taken for grey, would mean the coolest light is the best guess at the light there.
Where these guesses spread over more than surfaces under one light do, there are two lights. The cool one
shows itself in the coolest blocks; the warm one in the brightest places (lamps and what they shine on)
and in the warmest blocks; once there are two for sure, the very warmest of these show it best. A block's
share of the warm light is its place between the two, and within a neighbourhood the warmer pixels have
more of it than the cooler ones.

The idea of local estimates and two clusters follows Riess, Eibenberger, Angelopoulou, "Illuminant color
estimation for real-world mixed-illuminant scenes", 2011, and the shares Hsu et al., "Light mixture
estimation for spatially varying white balance", 2008; the rest is ours and measured in the tests.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.temperature import cct_to_xy, duv_limit
from ..colour.types import Array, Camera
from ..develop.camera_colour import neutral_to_xy, neutral_under
from ..errors import ArgumentError
from ..image.guided import coefficients
from ..raw.frame import CameraColour
from .values import ColourKey, LightValue, value_of

WORKING_PX = 300
BLOCKS_LONG = 30
"""Blocks along the long side."""
NEAR_LOCUS_EV, NEAR_LOCUS_BRIGHT_EV = 0.18, 0.25
"""How far a colour may lie from the line of likely lights, in log2 of red and blue over green."""
COOLEST, WARM = 0.02, 0.9
"""Quantiles of the blocks."""
LEAST_APART_MIRED = 145.0
"""Surfaces under one light spread over up to 136 mired in the tests' simulated rooms."""
SURFACES_MIRED = 20.0
"""How much warmer than its light an everyday surface is, typically."""
WARM_SPREAD_MIRED = 75.0
"""How much warmer than the brightest places surfaces under the same light are, at most."""
LEAST_SHARE = 0.06
LEAST_BLOCKS = 30
BRIGHT, WARMEST_BRIGHT, WARMEST_BLOCKS = 0.96, 0.97, 0.95
"""Quantiles: of luminance; of mired of what is brighter, and of the blocks: the warmer is the warm light of a pair."""
NEIGHBOURHOOD = 0.15
"""Of the long side: within it the map follows the colour of pixels."""
NEIGHBOURHOOD_MIRED = 10.0
"""Steps well above it are followed."""
FINER, CALM_OUTLINE = 4, 0.013
"""Steps of an outline in a pixel of the map; how far its tatters are smoothed away, of the long side."""
LEAST_TERRITORY = 0.004
"""Of the picture: smaller islands are not drawn."""
TABLE_REACH, TABLE_STEP = 5.0, 0.04
"""Of the table of colours, in log2 of red and blue over green: a step is about 3 mired."""
COARSE, COARSE_REACH_EV = 8, 0.6
"""Points of the line of which one is enough for colours further off than this."""
BINS = np.arange(50.0, 600.0, 4.0)

Grid = NDArray[np.float32]


@dataclass(frozen=True)
class FoundLight:
    """One of the lights of a picture."""

    value: LightValue
    share: float
    """Of the picture's exposure, 0..1."""


@dataclass(frozen=True, eq=False)
class Lights:
    """The lights of a picture, that with the larger share first."""

    found: tuple[FoundLight, ...]
    second: Grid | None
    """(rows, columns) over the whole picture: share of the second light, 0..1; None for one light."""

    @property
    def apart_mired(self) -> float:
        return abs(self.found[0].value.mired - self.found[1].value.mired) if len(self.found) > 1 else 0.0


@dataclass(frozen=True, eq=False)
class Territory:
    """Where one of two lights gives more than the other; px of the upright full-size picture."""

    light: FoundLight
    outlines: tuple[Array, ...]
    """Each (n, 2): a line between the two lights, from border to border or round an island."""
    centre: tuple[float, float]
    """Well inside the largest of them, for a label."""


def territories(lights: Lights, size: tuple[int, int]) -> tuple[Territory, ...]:
    """The parts of a picture `size` (width, height) that each of two lights rules; none for one light."""
    if lights.second is None:
        return ()
    calm = cv2.GaussianBlur(lights.second, (0, 0), CALM_OUTLINE * max(lights.second.shape))
    fine = cv2.resize(calm, None, fx=FINER, fy=FINER, interpolation=cv2.INTER_LINEAR)
    scale = np.array([size[0] / fine.shape[1], size[1] / fine.shape[0]])
    out = []
    for light, inside in zip(lights.found, (fine < 0.5, fine >= 0.5), strict=True):
        mask = inside.astype(np.uint8)
        found, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        large = [c for c in found if cv2.contourArea(c) > LEAST_TERRITORY * mask.size]
        if not large:
            continue
        # the border counts as an end, so that a label keeps clear of it
        depth = cv2.distanceTransform(cv2.copyMakeBorder(mask, 1, 1, 1, 1, cv2.BORDER_CONSTANT), cv2.DIST_L2, 5)
        y, x = np.unravel_index(int(np.argmax(depth)), depth.shape)
        outlines = tuple(line * scale for contour in large for line in _inner(contour[:, 0], fine.shape))
        out.append(Territory(light, outlines, (float(x * scale[0]), float(y * scale[1]))))
    return tuple(out)


def _inner(contour: NDArray[np.int32], shape: tuple[int, ...]) -> list[Array]:
    """The stretches of a closed contour that do not run along the picture's border, without their stairs."""
    rows, columns = shape[:2]
    inside = (contour > 0).all(axis=1) & (contour < np.array([columns - 1, rows - 1])).all(axis=1)
    if inside.all():
        return [_calm(np.vstack([contour, contour[:1]]))]
    # begin on the border, so that no stretch is cut in two
    start = int(np.flatnonzero(~inside)[0])
    contour, inside = np.roll(contour, -start, axis=0), np.roll(inside, -start)
    cuts = np.flatnonzero(np.diff(inside.astype(int))) + 1
    parts = np.split(contour, cuts)
    return [
        _calm(part) for part, first in zip(parts, np.split(inside, cuts), strict=True) if first[0] and len(part) > 2
    ]


def _calm(line: NDArray[np.int32]) -> Array:
    """A moving mean along a line; its ends stay."""
    padded = np.pad(line.astype(np.float64) + 0.5, ((3, 3), (0, 0)), mode="edge")
    return np.stack([np.convolve(padded[:, k], np.ones(7) / 7.0, mode="valid") for k in range(2)], axis=1)


def read_lights(colour: CameraColour, camera: Camera, single: LightValue | None) -> Lights:
    """camera: upright camera values of the whole picture at a small level, some hundred px long.

    single: the light measured as if there were one.
    """
    one = Lights(() if single is None else (FoundLight(single, 1.0),), None)
    camera = _small(camera)
    table = _table(ColourKey(colour))
    if table is None or min(camera.shape[:2]) < 4 * BLOCKS_LONG // 10:
        return one
    logs = np.log2(np.maximum(camera[..., [0, 2]], 1e-6) / np.maximum(camera[..., 1:2], 1e-6)).astype(np.float64)
    place = np.clip(np.rint((logs + TABLE_REACH) / TABLE_STEP), 0, len(table) - 1).astype(np.int64)
    mired, off = np.moveaxis(table[place[..., 0], place[..., 1]], -1, 0)
    usable = (camera.max(axis=2) < 0.95) & (camera.min(axis=2) > 0.002)
    blocks = _blocks(camera, mired, usable & (off < NEAR_LOCUS_EV))
    known = blocks[np.isfinite(blocks)]
    if len(known) < LEAST_BLOCKS:
        return one
    cool = float(np.quantile(known, COOLEST))
    bright = mired[_bright(camera, usable & (off < NEAR_LOCUS_BRIGHT_EV))]
    warm = _warm(bright, float(np.quantile(known, WARM)))
    if warm - cool < LEAST_APART_MIRED:
        return one
    # where the warm one gives nearly all
    warm = max(float(np.quantile(bright, WARMEST_BRIGHT)), float(np.quantile(known, WARMEST_BLOCKS)))
    share = _followed(_shares(blocks, cool, warm), mired)
    weight = np.minimum(camera[..., 1], 1.0)
    warm_share = float((share * weight).sum() / max(float(weight.sum()), 1e-9))
    if not LEAST_SHARE < warm_share < 1.0 - LEAST_SHARE:
        return one
    apart = float(np.clip((warm - cool - LEAST_APART_MIRED) / 100.0, 0.0, 1.0))
    certainty = 0.4 + 0.5 * apart
    pair = [
        FoundLight(_value(colour, logs, usable, mired, warm, certainty), warm_share),
        FoundLight(_value(colour, logs, usable, mired, cool, certainty), 1.0 - warm_share),
    ]
    if warm_share >= 0.5:
        return Lights((pair[0], pair[1]), 1.0 - share)
    return Lights((pair[1], pair[0]), share)


def _small(camera: Camera) -> Camera:
    height, width = camera.shape[:2]
    scale = WORKING_PX / max(height, width)
    if scale >= 1.0:
        return camera
    size = max(1, round(width * scale)), max(1, round(height * scale))
    return np.asarray(cv2.resize(camera, size, interpolation=cv2.INTER_AREA), np.float32)


def _line(colour: CameraColour) -> tuple[Array, Array]:
    """log2 of red and blue over green of likely lights, (n, 2), and their mired, (n,)."""
    points, kept = [], []
    for reciprocal in np.arange(60.0, 560.0, 4.0):
        cct_K = 1e6 / reciprocal
        try:
            neutral = neutral_under(colour, cct_K, cct_to_xy(cct_K, min(0.001, 0.5 * duv_limit(cct_K))))
        except ArgumentError:
            continue
        points.append(np.log2(neutral[[0, 2]] / neutral[1]))
        kept.append(reciprocal)
    return np.array(points), np.array(kept)


@lru_cache(maxsize=4)
def _table(camera: ColourKey) -> Array | None:
    """Mired and distance of `_along` for every log2 of red and blue over green, (n, n, 2); None without lights."""
    line, reciprocal = _line(camera.colour)
    if len(line) < 2:
        return None
    steps = np.arange(-TABLE_REACH, TABLE_REACH + TABLE_STEP / 2, TABLE_STEP)
    logs = np.stack(np.meshgrid(steps, steps, indexing="ij"), axis=-1)
    mired, off = _along(logs.reshape(-1, 2), line, reciprocal)
    return np.stack([mired, off], axis=-1).reshape(logs.shape)


def _along(logs: Array, line: Array, reciprocal: Array) -> tuple[Array, Array]:
    """Mired of the nearest point of the line to each of `logs` (n, 2), and the distance to it."""
    mired, off = _along_all(logs, line[::COARSE], reciprocal[::COARSE])
    near = off < COARSE_REACH_EV
    mired[near], off[near] = _along_all(logs[near], line, reciprocal)
    return mired, off


def _along_all(logs: Array, line: Array, reciprocal: Array) -> tuple[Array, Array]:
    """The same, by every stretch of the line."""
    best, mired = np.full(len(logs), np.inf), np.zeros(len(logs))
    for start, end, low, high in zip(line[:-1], line[1:], reciprocal[:-1], reciprocal[1:], strict=True):
        way = end - start
        off = logs - start
        share = np.clip(off @ way / (way @ way), 0.0, 1.0)
        distance = ((off - share[:, None] * way) ** 2).sum(axis=1)
        nearer = distance < best
        best[nearer] = distance[nearer]
        mired[nearer] = low + share[nearer] * (high - low)
    return mired, np.sqrt(best)


def _blocks(camera: Camera, mired: Array, good: NDArray[np.bool_]) -> Array:
    """Per block the coolest quarter's mired among its brighter likely neutrals; NaN where it has too few."""
    side = max(4, max(camera.shape[:2]) // BLOCKS_LONG)
    rows, columns = camera.shape[0] // side, camera.shape[1] // side
    out = np.full((rows, columns), np.nan)
    for row in range(rows):
        for column in range(columns):
            here = np.s_[row * side : (row + 1) * side, column * side : (column + 1) * side]
            likely = good[here]
            if likely.mean() < 0.25:
                continue
            green = camera[here][..., 1][likely]
            out[row, column] = np.quantile(mired[here][likely][green >= np.median(green)], 0.25)
    return out


def _bright(camera: Camera, good: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The brightest of the good pixels, luminance roughly taken."""
    luminance = camera @ np.array([0.25, 0.6, 0.15], np.float32)
    return good & (luminance >= np.quantile(luminance[good], BRIGHT))


def _warm(bright: Array, warmest: float) -> float:
    """Mired of the warm light: between what the brightest places show, `bright` (n,), and the warmest blocks."""
    counts, _ = np.histogram(bright, BINS)
    smooth = np.convolve(counts, np.exp(-0.5 * (np.arange(-9, 10) / 3.0) ** 2), mode="same")
    middle = 0.5 * (BINS[1:] + BINS[:-1])
    peaks = [
        middle[n]
        for n in range(1, len(smooth) - 1)
        if smooth[n] >= smooth[n - 1] and smooth[n] > smooth[n + 1]
        and counts[np.abs(middle - middle[n]) < 24.0].sum() > 0.05 * counts.sum()
    ]  # fmt: skip
    if not peaks:
        return warmest
    brightest = float(max(peaks))
    if warmest <= brightest:
        return brightest
    # far beyond what the brightest places show there are lights of their own, else only warm surfaces
    return warmest if warmest - brightest > WARM_SPREAD_MIRED else 0.5 * (brightest + warmest)


def _followed(blocks: Grid, mired: Array) -> Grid:
    """Shares of blocks as shares of pixels (height, width), which follow the pixels' colour (guided filter)."""
    height, width = mired.shape
    shares = cv2.resize(blocks, (width, height), interpolation=cv2.INTER_LINEAR)
    guide = cv2.blur(mired.astype(np.float32), (3, 3))
    a, b = coefficients(guide, shares, NEIGHBOURHOOD * max(height, width), NEIGHBOURHOOD_MIRED)
    return np.clip(a * guide + b, 0.0, 1.0)


def _shares(blocks: Array, cool: float, warm: float) -> Grid:
    """Share of the warm light in each block; blocks without a likely neutral take their neighbours'."""
    known = np.isfinite(blocks)
    values, weight = np.where(known, blocks, 0.0).astype(np.float32), known.astype(np.float32)
    filled = values
    for sigma in (1.0, 5.0, 30.0):
        around = cv2.GaussianBlur(weight, (0, 0), sigma)
        mean = cv2.GaussianBlur(values, (0, 0), sigma) / np.maximum(around, 1e-6)
        fresh = ~known & (around > 0.05)
        filled = np.where(fresh, mean, filled)
        known = known | fresh
    share = (filled - cool - SURFACES_MIRED) / (warm - cool - 1.5 * SURFACES_MIRED)
    return np.clip(share, 0.0, 1.0).astype(np.float32)


def _value(
    colour: CameraColour, logs: Array, usable: NDArray[np.bool_], mired: Array, light: float, certainty: float
) -> LightValue:
    """K and Duv of a light: its place on the line, and how far colours like it lie beside it."""
    cct_K = 1e6 / light
    like = usable & (np.abs(mired - light) < 15.0)
    if like.sum() < 50:
        return LightValue(cct_K, 0.0, certainty)
    centre = np.median(logs[like], axis=0)
    try:
        seen = value_of(neutral_to_xy(colour, np.array([2.0 ** centre[0], 1.0, 2.0 ** centre[1]])))
    except ArgumentError:
        return LightValue(cct_K, 0.0, certainty)
    return LightValue(cct_K, float(np.clip(seen.duv, -0.02, 0.02)), certainty)
