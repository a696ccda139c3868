"""What the pixels of a picture say about its light, in all of it or in parts of it.

Where two surfaces meet, or one turns away from the light, the difference between the neighbouring values has
the light's own colour more often than the surfaces themselves (the grey edge of van de Weijer, Gevers, Gijsenij,
"Edge-based color constancy", 2007), and so have the brightest places (white patch, Land 1977). So these gather, in
log chromaticity, where the light lies. Every likely light is given a score, a weighted sum of the logarithms of
their densities round it and of how usual such a light is: a convolution of the log chromaticities (Barron,
"Convolutional color constancy", 2015) with few numbers, which tools/learn_lights.py learned from photographs under
known lights. The scores, as probabilities, say which light it is and how sure that is.
"""

from dataclasses import dataclass
from functools import cache, lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.temperature import cct_to_xy, duv_limit
from ...colour.types import Array, Camera
from ...develop.frame.camera_colour import neutral_under
from ...errors import ArgumentError
from ...image.channels import highest, lowest
from ...image.reduce import reduced
from ...raw.frame import CameraColour
from ..table.learned import learned
from ..table.values import ColourKey, LightValue

WORKING_PX = 400
"""Long side of the picture that is looked at."""
BLOCKS_LONG = 12
"""Blocks along the long side, of which parts are made."""
LEAST_PIXELS = 200
EDGE_PX = {"edge2": 2.0, "edge4": 4.0}
"""Radii of the edges that are looked at."""
STRONG = 0.6
"""Quantile of edges; weaker ones are noise."""
WIDTHS_EV = {"edge2": (0.06, 0.14, 0.4), "edge4": (0.06, 0.14, 0.4), "top": (0.14, 0.4), "bright": (0.14, 0.4),
             "pixels": (0.14, 0.4)}  # fmt: skip
"""Of the densities of each kind of evidence, as standard deviations in log2 of red and blue over green."""
USUAL = ("duv", "duv_side", "mired", "mired_far", "coolest", "warmest")
CUES = tuple(f"{kind}_{width:g}" for kind, widths in WIDTHS_EV.items() for width in widths) + USUAL
"""Names of the columns of `Evidence.cues`."""
NO_EVIDENCE = 0.003
"""Density that is taken where there is none."""
STEP_EV, MARGIN_EV = 0.03, 0.8
NEAR_MIRED = 25.0
"""A light is right when it is found within this."""
PEAK_MIRED, PEAK_DUV = 30.0, 0.009
CAMERA_MIRED, CAMERA_FLOOR = 60.0, 0.3
"""How far a camera's own choice of light is usually off, as a standard deviation, and that it may be quite wrong."""
DOUBT = 1.6
"""Power of the probability that is shown as certainty: at 70 % shown, 80 % counted, two to four in
a hundred were wrong (`./dev bench readings`)."""


@dataclass(frozen=True, eq=False)
class Candidates:
    """The lights that a picture may have been taken under."""

    logs: Array
    """(n, 2) log2 of red and blue over green of a white under each."""
    mired: Array
    duv: Array
    usual: Array
    """(n, 6) how usual each is, by USUAL."""
    corner: Array
    """(2,) where the table of log chromaticities begins."""
    shape: tuple[int, int]
    place: NDArray[np.int64]
    """(n, 2) of each in that table."""


@dataclass(frozen=True, eq=False)
class Marks:
    """One kind of evidence: weighted points in log chromaticity."""

    place: NDArray[np.int64]
    """(m,) flat place in the table."""
    block: NDArray[np.int64]
    weight: Array
    totals: Array
    """(blocks,) weight in each block, that outside of the table included."""


@dataclass(frozen=True)
class Estimate:
    """A light and what speaks for it."""

    mired: float
    duv: float
    probability: float
    """That the light is within NEAR_MIRED of it."""

    @property
    def certainty(self) -> float:
        return float(self.probability**DOUBT)

    @property
    def value(self) -> LightValue:
        return LightValue(1e6 / self.mired, self.duv, self.certainty)


@dataclass(frozen=True, eq=False)
class Evidence:
    """What the pixels of one picture say."""

    candidates: Candidates
    kinds: tuple[Marks, ...]
    """In the order of WIDTHS_EV."""
    rows: int
    columns: int

    @property
    def pixels(self) -> Array:
        """(blocks,) usable pixels in each block."""
        return self.kinds[-1].totals

    def cues(self, part: Array) -> Array:
        """(n, len(CUES)) of every candidate. part: (blocks,) how much each block counts, 0..1."""
        candidates, columns = self.candidates, []
        for marks, widths in zip(self.kinds, WIDTHS_EV.values(), strict=True):
            counts = np.bincount(marks.place, marks.weight * part[marks.block], int(np.prod(candidates.shape)))
            table = counts.reshape(candidates.shape).astype(np.float32)
            whole = max(float(marks.totals @ part), 1e-12)
            for width in widths:
                sigma = width / STEP_EV
                near = cv2.GaussianBlur(table, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT)
                found = near[candidates.place[:, 0], candidates.place[:, 1]] * (2.0 * np.pi * sigma**2) / whole
                columns.append(np.log(NO_EVIDENCE + np.maximum(found, 0.0)))
        return np.concatenate([np.stack(columns, axis=1), candidates.usual], axis=1).astype(np.float64)

    def probabilities(self, part: Array | None = None, as_shot: LightValue | None = None,
                      weights: Array | None = None) -> Array:  # fmt: skip
        """(n,) of the candidates, which sum to 1.

        as_shot: the camera's own choice, when it made one. weights: (len(CUES),) when not the ones that Matiz has.
        """
        part = np.ones(self.rows * self.columns) if part is None else part
        score = self.cues(part) @ (learned_weights() if weights is None else weights)
        if as_shot is not None and as_shot.certainty > 0:
            score = score + self.camera_score(as_shot)
        odds = np.exp(score - score.max())
        return np.asarray(odds / odds.sum())

    def camera_score(self, as_shot: LightValue) -> Array:
        """(n,) what the camera's own choice of light adds to the score of each candidate."""
        off = (self.candidates.mired - as_shot.mired) / CAMERA_MIRED
        return np.asarray(np.log(CAMERA_FLOOR + np.exp(-0.5 * off**2)))

    def estimate(self, probabilities: Array) -> Estimate:
        """The light of the highest peak of the probabilities, in its middle."""
        mired, duv = self.candidates.mired, self.candidates.duv
        top = np.argsort(-probabilities)[:30]
        far = ((mired - mired[top, None]) / 12.0) ** 2 + ((duv - duv[top, None]) / 0.004) ** 2
        best = top[int(np.argmax(np.exp(-0.5 * far) @ probabilities))]
        peak = probabilities * ((np.abs(mired - mired[best]) < PEAK_MIRED) & (np.abs(duv - duv[best]) < PEAK_DUV))
        peak = peak / peak.sum()
        middle = float(peak @ mired)
        return Estimate(
            middle,
            float(peak @ duv),
            float(probabilities[np.abs(mired - middle) < NEAR_MIRED].sum()),
        )


@cache
def learned_weights() -> Array:
    """(len(CUES),) of the cues of a light."""
    table = learned("light_cues")
    return np.array([table[name] for name in CUES])


def gather(colour: CameraColour, camera: Camera) -> Evidence | None:
    """camera: upright camera values (height, width, 3) of the whole picture, 1 at the white level, at a small level.

    None when the picture has too few usable pixels, or the camera sees no likely light.
    """
    candidates = _candidates(ColourKey(colour))
    camera = reduced(camera, WORKING_PX)
    usable = ((highest(camera) < 0.95) & (lowest(camera) > 0.003)).ravel()
    if candidates is None or np.count_nonzero(usable) < LEAST_PIXELS:
        return None
    block, rows, columns = _blocks(camera.shape[:2])
    block = block[usable]
    kinds = []
    for radius in EDGE_PX.values():
        steps = _edges(camera, radius)
        values = np.concatenate([step.reshape(-1, 3)[usable] for step in steps])
        green = values[:, 1]
        strong = (lowest(values[None])[0] > 1e-6) & (green > np.quantile(green, STRONG))
        kinds.append(
            _marks(candidates, values[strong], green[strong], np.tile(block, len(steps))[strong], rows * columns)
        )
    values = camera.reshape(-1, 3)[usable]
    luminance = values @ np.array([0.25, 0.6, 0.15], np.float32)
    for weight in (luminance**4, luminance, np.ones_like(luminance)):
        kinds.append(_marks(candidates, values, weight, block, rows * columns))
    return Evidence(candidates, tuple(kinds), rows, columns)


def _edges(camera: Camera, radius_px: float) -> list[Camera]:
    smooth = cv2.GaussianBlur(camera, (0, 0), radius_px)
    return [np.abs(cv2.Sobel(smooth, cv2.CV_32F, *way)) for way in ((1, 0), (0, 1))]


def _blocks(shape: tuple[int, ...]) -> tuple[NDArray[np.int64], int, int]:
    """The block of every pixel, flat, and the rows and columns of blocks."""
    height, width = shape
    side = max(height, width) / BLOCKS_LONG
    rows, columns = max(1, round(height / side)), max(1, round(width / side))
    row, column = np.arange(height) * rows // height, np.arange(width) * columns // width
    return (row[:, None] * columns + column[None]).ravel(), rows, columns


def _marks(candidates: Candidates, values: Camera, weight: Camera, block: NDArray[np.int64], blocks: int) -> Marks:
    safe, weights = np.maximum(values, 1e-9).astype(np.float64), weight.astype(np.float64)
    logs = np.log2(safe[:, [0, 2]] / safe[:, 1:2])
    place = np.floor((logs - candidates.corner) / STEP_EV).astype(np.int64)
    inside = (place >= 0).all(axis=1) & (place < candidates.shape).all(axis=1)
    totals = np.bincount(block, weights, blocks).astype(np.float64)
    flat = place[inside, 0] * candidates.shape[1] + place[inside, 1]
    return Marks(flat, block[inside], weights[inside], totals)


@lru_cache(maxsize=8)
def _candidates(camera: ColourKey) -> Candidates | None:
    logs, found = [], []
    for mired in np.arange(60.0, 560.0, 8.0):
        cct_K = 1e6 / mired
        for duv in np.arange(-0.016, 0.0201, 0.004):
            if duv > duv_limit(cct_K):
                continue
            try:
                neutral = neutral_under(camera.colour, cct_K, cct_to_xy(cct_K, duv))
            except ArgumentError:
                continue
            logs.append(np.log2(neutral[[0, 2]] / neutral[1]))
            found.append((mired, duv))
    if not found:
        return None
    lights, (mired_of, duv_of) = np.array(logs), np.array(found).T
    corner = lights.min(axis=0) - MARGIN_EV
    rows, columns = np.ceil((lights.max(axis=0) + MARGIN_EV - corner) / STEP_EV).astype(int)
    usual = _usual(mired_of, duv_of)
    place = ((lights - corner) / STEP_EV).astype(np.int64)
    return Candidates(lights, mired_of, duv_of, usual, corner, (int(rows), int(columns)), place)


def _usual(mired: Array, duv: Array) -> Array:
    """By USUAL: distance from the locus, its side, mired and its square; blue surfaces look like light above 8,000 K,
    and warm ones like light below 2,500 K, far more often than such lights are found."""
    side, far = duv / 0.01, (mired - 200.0) / 100.0
    coolest, warmest = np.maximum(0.0, (125.0 - mired) / 25.0), np.maximum(0.0, (mired - 400.0) / 50.0)
    return np.stack([-(side**2), side, far, -(far**2), -coolest, -warmest], axis=1)
