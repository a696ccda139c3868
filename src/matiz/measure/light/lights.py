"""Mixed light: how many lights fall on a picture, which, and where.

Most surfaces lie on the warm side of neutral: wood, sand, skin, soil. So in every block of the picture
the colour that, taken for grey, would mean the coolest light is the best guess at the light there, and a
block's share of the warm light is its place between the coolest and the warmest of these guesses; within a
neighbourhood the warmer pixels have more of it than the cooler ones. That parts any picture in two. What
edges and bright places say of the light is then read in each part, and whether to believe that there are two
lights depends on signs: how far each part denies the light of the other, how calm the border is, how near the
lights are to those that occur. What the signs weigh was learned from photographs under one light and under two.

The idea of local estimates and two clusters follows Riess, Eibenberger, Angelopoulou, "Illuminant color
estimation for real-world mixed-illuminant scenes", 2011, and the shares Hsu et al., "Light mixture
estimation for spatially varying white balance", 2008; the rest is ours and measured in the tests.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.temperature import cct_to_xy, duv_limit
from ...colour.types import Array, Camera
from ...develop.frame.camera_colour import neutral_under
from ...errors import ArgumentError
from ...image.channels import highest, lowest
from ...image.guided import coefficients
from ...image.reduce import reduced
from ...raw.frame import CameraColour
from ..table.learned import learned
from ..table.values import ColourKey, LightValue
from .evidence import Estimate, Evidence, gather

WORKING_PX = 300
BLOCKS_LONG = 30
"""Blocks along the long side."""
NEAR_LOCUS_EV, NEAR_LOCUS_BRIGHT_EV = 0.18, 0.25
"""How far a colour may lie from the line of likely lights, in log2 of red and blue over green."""
COOLEST = 0.02
"""Quantile of the blocks."""
LEAST_SPLIT_MIRED = 40.0
"""Blocks that spread over less are under one light."""
LEAST_APART_MIRED = 90.0
LEAST_KNOWN_APART_MIRED = 10.0
"""Of lights that were picked: nearer ones are the same."""
PICK_BLOCKS, PICK_WEIGHT, UNKNOWN = 1.5, 5.0, 0.05
"""How far a pick tells of the place around it, in blocks, and what it weighs beside a block's own guess; and what it
weighs that nothing is known of a block."""
LEAST_CERTAINTY, TRUSTED = 0.3, 0.75
"""Below the one nothing is said of two lights; the other is what the signs are trusted with: they promise a quarter too
much on photographs that were not learned from."""
FAINT = 0.02
"""Weight of a block in the part that it does not belong to, so that no part is empty."""
GUESS_MIRED, GUESS_FLOOR = 15.0, 0.15
ABOUT_MIRED = 40.0
"""About the light of the other part."""
SURFACES_MIRED = 20.0
"""How much warmer than its light an everyday surface is, typically."""
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


def read_lights(
    colour: CameraColour, camera: Camera, single: LightValue | None, evidence: Evidence | None = None
) -> Lights:
    """camera: upright camera values of the whole picture at a small level, some hundred px long.

    single: the light measured as if there were one. evidence: what the camera's values say, when it is there already.
    """
    one = Lights(() if single is None else (FoundLight(single, 1.0),), None)
    split = divided(colour, camera)
    evidence = gather(colour, camera) if evidence is None else evidence
    if split is None or evidence is None:
        return one
    pair = Pair.measured(evidence, split)
    certainty = pair.certainty
    if certainty < LEAST_CERTAINTY or pair.apart_mired < LEAST_APART_MIRED:
        return one
    warm, cool = (LightValue(1e6 / found.mired, found.duv, certainty) for found in (pair.warm, pair.cool))
    lights = _by_share(camera, warm, cool, split.share)
    return lights if lights.found[1].share > LEAST_SHARE else one


def _by_share(camera: Camera, warm: LightValue, cool: LightValue, share: Grid) -> Lights:
    """Two lights, by the share of the warm one in every pixel of the small picture; that of the greater exposure
    first."""
    weight = np.minimum(reduced(camera, WORKING_PX)[..., 1], 1.0)
    warm_share = float((share * weight).sum() / max(float(weight.sum()), 1e-9))
    found = FoundLight(warm, warm_share), FoundLight(cool, 1.0 - warm_share)
    return Lights(found, 1.0 - share) if warm_share >= 0.5 else Lights(found[::-1], share)


@dataclass(frozen=True, eq=False)
class Split:
    """How a picture would part into two lights, if there were two."""

    share: Grid
    """(height, width) of the warm one in every pixel of the small picture."""
    warm_mired: float
    cool_mired: float
    """Guesses at the two lights: from the warmest and brightest places, and from the coolest."""
    spread_mired: float
    """Of the blocks."""
    known: float
    """Share of the blocks that have a likely neutral."""


def divided(colour: CameraColour, camera: Camera) -> Split | None:
    """None when nothing in the picture could show two lights."""
    camera = reduced(camera, WORKING_PX)
    guessed = _guessed(colour, camera)
    if guessed is None:
        return None
    mired, off, usable, blocks = guessed
    known = blocks[np.isfinite(blocks)]
    likely = usable & (off < NEAR_LOCUS_BRIGHT_EV)
    if len(known) < LEAST_BLOCKS or not likely.any():
        return None
    cool = float(np.quantile(known, COOLEST))
    bright = mired[_bright(camera, likely)]
    # where the warm one gives nearly all
    warm = max(float(np.quantile(bright, WARMEST_BRIGHT)), float(np.quantile(known, WARMEST_BLOCKS)))
    if warm - cool < LEAST_SPLIT_MIRED:
        return None
    share = _followed(_shares(blocks, cool + SURFACES_MIRED, warm - SURFACES_MIRED / 2.0), mired)
    return Split(share, warm, cool, float(known.std()), len(known) / blocks.size)


@dataclass(frozen=True)
class KnownLight:
    """The light of a place that was named as grey."""

    value: LightValue
    at: tuple[float, float]
    """Of the picture's width and height, 0..1."""


def known_lights(colour: CameraColour, camera: Camera, first: KnownLight, second: KnownLight) -> Lights:
    """The lights of a picture of which two are known; one when they are the same or nothing tells where each falls."""
    warm, cool = sorted((first, second), key=lambda known: -known.value.mired)
    share = None
    if warm.value.mired - cool.value.mired >= LEAST_KNOWN_APART_MIRED:
        share = parted(colour, camera, warm, cool)
    if share is None:
        return Lights((FoundLight(first.value, 1.0),), None)
    return _by_share(camera, warm.value, cool.value, share)


def parted(colour: CameraColour, camera: Camera, warm: KnownLight, cool: KnownLight) -> Grid | None:
    """Share of the warm one of two known lights in every pixel of the small picture; None when nothing tells."""
    camera = reduced(camera, WORKING_PX)
    guessed = _guessed(colour, camera)
    if guessed is None:
        return None
    mired, _, _, blocks = guessed
    low, high = cool.value.mired, warm.value.mired
    # a place looks as warm as its light, or warmer
    surfaces = min(SURFACES_MIRED, (high - low) / 4.0) / 2.0
    share = np.clip((blocks - low - surfaces) / (high - low - 2.0 * surfaces), 0.0, 1.0)
    known = np.isfinite(blocks)
    share, weight = np.where(known, share, 0.5), np.where(known, 1.0, UNKNOWN)
    rows, columns = blocks.shape
    y, x = np.mgrid[0:rows, 0:columns] + 0.5
    for light, there in ((warm, 1.0), (cool, 0.0)):
        square = (x - light.at[0] * columns) ** 2 + (y - light.at[1] * rows) ** 2
        near = PICK_WEIGHT * np.exp(-0.5 * square / PICK_BLOCKS**2)
        share, weight = (share * weight + there * near) / (weight + near), weight + near
    return _followed(share.astype(np.float32), mired)


def _guessed(colour: CameraColour, camera: Camera) -> tuple[Array, Array, NDArray[np.bool_], Array] | None:
    """Of every pixel: the mired of the light that would make it grey, how far it lies from such a light, whether it is
    neither clipped nor black; and the guess at the light in every block. None when there is too little to tell."""
    table = _table(ColourKey(colour))
    if table is None or min(camera.shape[:2]) < 4 * BLOCKS_LONG // 10:
        return None
    logs = np.log2(np.maximum(camera[..., [0, 2]], 1e-6) / np.maximum(camera[..., 1:2], 1e-6)).astype(np.float64)
    place = np.clip(np.rint((logs + TABLE_REACH) / TABLE_STEP), 0, len(table) - 1).astype(np.int64)
    mired, off = np.moveaxis(table[place[..., 0], place[..., 1]], -1, 0)
    usable = (highest(camera) < 0.95) & (lowest(camera) > 0.002)
    blocks = _blocks(camera, mired, usable & (off < NEAR_LOCUS_EV))
    return (mired, off, usable, blocks) if np.isfinite(blocks).any() else None


@dataclass(frozen=True, eq=False)
class Pair:
    """The lights of the two parts of a picture, and the signs by which to believe that they are two."""

    warm: Estimate
    cool: Estimate
    signs: dict[str, float]

    @classmethod
    def measured(cls, evidence: Evidence, split: Split, weights: Array | None = None) -> "Pair":
        """weights: of the cues of a light, when not the ones that Matiz has."""
        shape = (evidence.columns, evidence.rows)
        share = cv2.resize(split.share, shape, interpolation=cv2.INTER_AREA).astype(np.float64)
        warm_part, cool_part = (np.clip(part.ravel(), FAINT, 1.0) for part in (2.0 * share - 1.0, 1.0 - 2.0 * share))
        at = evidence.candidates.mired
        parts = (None, warm_part, cool_part)
        whole, in_warm, in_cool = (evidence.probabilities(part, weights=weights) for part in parts)
        in_warm, in_cool = _guided(in_warm, at, split.warm_mired), _guided(in_cool, at, split.cool_mired)
        single, warm, cool = (evidence.estimate(odds) for odds in (whole, in_warm, in_cool))
        weight = evidence.pixels / max(float(evidence.pixels.sum()), 1.0)
        warm_share = float(share.ravel() @ weight)
        steps = np.abs(np.diff(share, axis=0)).mean() + np.abs(np.diff(share, axis=1)).mean()
        apart = warm.mired - cool.mired
        signs = {
            "apart": apart / 100.0,
            "warm_probability": warm.probability,
            "cool_probability": cool.probability,
            "whole_probability": single.probability,
            "warm_in_cool": float(in_cool[np.abs(at - warm.mired) < ABOUT_MIRED].sum()),
            "cool_in_warm": float(in_warm[np.abs(at - cool.mired) < ABOUT_MIRED].sum()),
            "single_between": (single.mired - cool.mired) / max(apart, 20.0),
            "least_share": min(warm_share, 1.0 - warm_share),
            "decided": float(np.abs(2.0 * share.ravel() - 1.0) @ weight),
            "tatters": float(steps / max(float(share.std()), 1e-3)),
            "off_locus": abs(warm.duv) + abs(cool.duv),
            "blocks_spread": split.spread_mired / 100.0,
            "cool_differs": abs(cool.mired - split.cool_mired) / 100.0,
            "warm_differs": abs(warm.mired - split.warm_mired) / 100.0,
            "known": split.known,
        }
        return cls(warm, cool, signs)

    @property
    def apart_mired(self) -> float:
        return self.warm.mired - self.cool.mired

    @property
    def certainty(self) -> float:
        """That there are two lights, both within a tenth of what they are taken for, and the map is right."""
        return believed(self.signs, learned("light_pairs"))


def believed(signs: dict[str, float], weights: dict[str, float]) -> float:
    """The certainty that signs of two lights give, 0..1, by weights of them and their offset."""
    score = weights["offset"] + sum(weights[name] * value for name, value in signs.items())
    return float(TRUSTED / (1.0 + np.exp(-np.clip(score, -30.0, 30.0))))


def _guided(odds: Array, mired: Array, guess_mired: float) -> Array:
    """Probabilities (n,) of lights with a guess at the light, which may be quite wrong."""
    guided = odds * (GUESS_FLOOR + np.exp(-0.5 * ((mired - guess_mired) / GUESS_MIRED) ** 2))
    return np.asarray(guided / guided.sum())


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
    share = (filled - cool) / (warm - cool)
    return np.clip(share, 0.0, 1.0).astype(np.float32)
