"""Readings of the Tone station: headroom, clipping, zones, middle."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import lightness
from ...colour.types import Display, SceneLinear
from ...develop.graph.engine import Engine
from ...develop.stages.rendition import NO_BLACK_EV, STRAIGHT, curve, rendered
from ...image.robust import huber
from ...kernels.units import MIDDLE_GREY
from ...raw.frame import Frame
from ...recipe.leaves import Points
from ...recipe.model import Recipe, Tone
from ..table.table import LONG_SIDE
from .luminances import Luminances, luminance_EV
from .patches import CLIP_MARGIN, FullReading, PatchBox, black_patches, is_full

HEADROOM_SHARE = 0.001
LIGHTNESS_BINS = 64
DARK = 0.1
"""Quantile of the picture that stands for its darks."""
UNEVEN_BLOCKS, HUBER_EV = 24, 0.3
LEAST_RISE = 0.25
"""Slope of the tone curve below which tones run together. Common practice, no source."""
ZONES = ("0", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X")


@dataclass(frozen=True)
class RangeReading:
    """What the stored values say, whatever is done to them."""

    headroom_EV: float
    """How far exposure could have been raised until 0.1 % of a raw channel clips; 0 when it does."""
    clipped: tuple[float, float, float]
    """Share of each raw channel that is full, 0..1."""


Uneven = tuple[tuple[float, float], float]
"""See ToneReading.uneven_EV and uneven_share."""


@dataclass(frozen=True)
class ToneReading:
    """What Tone shows of a picture."""

    zones: tuple[float, ...]
    """Share of the picture in each zone 0..X under the recipe."""
    zones_before: tuple[float, ...]
    """The same before haze, zones and local contrast, at the recipe's exposure."""
    middle_EV: float
    """Median luminance in EV from middle grey at the recipe's exposure."""
    distribution: tuple[float, ...]
    """Shares of display lightness 0..100 in even bins, after the rendition and before the curve."""
    high_EV: float
    """The luminance that 0.5 % of the picture exceeds, in EV from diffuse white."""
    uneven_EV: tuple[float, float]
    """Slope of the light as a plane, in EV over the picture's width, rightward, and height, downward."""
    uneven_share: float
    """How much of all differences of luminance within the picture that plane explains, 0..1."""
    crushed: float
    """Share of the picture whose tones the curve runs together."""
    black: float
    """Share of the picture that is shown black."""
    black_patches: tuple[PatchBox, ...]
    lift_EV: float
    """How far exposure, zones and haze lift the darkest tenth of the picture."""
    middle_L: tuple[float, float, float]
    """Display lightness of the picture's middle tone: without contrast (haze, local contrast, black point and
    curve), with all of it but the curve, and as it is shown."""


def raw_range(frame: Frame) -> tuple[float, tuple[float, float, float]]:
    """Headroom in EV and the clipped share of each channel, from the stored values."""
    headroom, clipped = np.inf, []
    for values, full in _channel_counts(frame):
        total = values.sum()
        above = np.cumsum(values[::-1])[::-1]
        at_full = int(np.ceil(full * (1.0 - CLIP_MARGIN)))
        clipped.append(float(above[min(at_full, len(above) - 1)] / total) if at_full < len(above) else 0.0)
        # the largest count that more than 0.1 % of the photosites reach
        bright = int(np.flatnonzero(above > HEADROOM_SHARE * total)[-1])
        if clipped[-1] > HEADROOM_SHARE:
            headroom = 0.0
        elif bright > 0:
            headroom = min(headroom, float(np.log2(full / bright)))
    return max(0.0, float(headroom)) if np.isfinite(headroom) else 0.0, (clipped[0], clipped[1], clipped[2])


def patch_levels(engine: Engine, recipe: Recipe, full: FullReading) -> tuple[float, ...]:
    """Brightest channel of each patch, scene-linear before exposure and Tone's scene part: the median over what is
    full in it."""
    level = min(1, engine.level_for(recipe, LONG_SIDE))
    width, height = engine.size(recipe, level)
    levels = []
    for patch in full.patches:
        x, y = patch.x >> level, patch.y >> level
        box = (x, y, min(max(patch.w >> level, 1), width - x), min(max(patch.h >> level, 1), height - y))
        camera, working = (engine.peek(recipe, level, box, result=result) for result in ("camera", "working"))
        values = working.max(axis=2)[is_full(camera).any(axis=2)]
        levels.append(float(np.median(values)) if values.size else 1.0)
    return tuple(levels)


def lightness_distribution(luminances: Luminances, tone: Tone) -> tuple[float, ...]:
    """Shares of display lightness in LIGHTNESS_BINS even bins over 0..100."""
    scene = MIDDLE_GREY * 2.0**luminances.EV
    shown = lightness(rendered(tone.rendition, scene, white_EV=tone.white_EV, black_EV=tone.black_EV))
    bins = np.minimum((shown / 100.0 * LIGHTNESS_BINS).astype(np.int64), LIGHTNESS_BINS - 1)
    counts = luminances.counts
    shares = np.bincount(bins, weights=counts, minlength=LIGHTNESS_BINS) / counts.sum()
    return tuple(float(v) for v in shares)


def zone_of(EV: NDArray[np.float32]) -> NDArray[np.int64]:
    """The zone 0..10 of each pixel: 1 EV wide, zone V around middle grey; the ends take the rest."""
    return np.clip(np.floor(EV + 5.5), 0, 10).astype(np.int64)


def tone_reading(
    uneven: Uneven, working: SceneLinear, scene: SceneLinear, display: Display, tone: Tone, step: int
) -> ToneReading:
    """The readings that follow the recipe, beside those that do not.

    working, scene: the picture before and after the tone stage; display: as it is shown; step: full-size px
    per px of it.
    """
    after, before = (Luminances.of(luminance_EV(picture, tone.exposure_EV)) for picture in (scene, working))
    distribution = lightness_distribution(after, tone)
    brightest = np.maximum(np.maximum(scene[..., 0], scene[..., 1]), scene[..., 2])
    high = max(float(np.quantile(brightest, 0.995)), 1e-6)
    black, black_ones = black_patches(display, step)
    return ToneReading(
        zones=after.zones(),
        zones_before=before.zones(),
        middle_EV=after.quantile(0.5),
        distribution=distribution,
        high_EV=float(np.log2(high)) + tone.exposure_EV,
        uneven_EV=uneven[0],
        uneven_share=uneven[1],
        crushed=crushed_share(distribution, tone.curve.lightness),
        black=black,
        black_patches=black_ones,
        lift_EV=after.quantile(DARK) - before.quantile(DARK) + tone.exposure_EV,
        middle_L=_middle_L(before.quantile(0.5), after.quantile(0.5), tone),
    )


def _middle_L(before_EV: float, after_EV: float, tone: Tone) -> tuple[float, float, float]:
    """See ToneReading.middle_L: medians of luminance before and after the tone stage, as lightness."""
    plain, toned = (
        float(lightness(rendered(tone.rendition, MIDDLE_GREY * 2.0**EV, white_EV=tone.white_EV, black_EV=black_EV)))
        for EV, black_EV in ((before_EV, NO_BLACK_EV), (after_EV, tone.black_EV))
    )
    return plain, toned, 100.0 * float(curve(tone.curve.lightness, toned / 100.0))


def uneven_light(EV: NDArray[np.float32]) -> Uneven:
    """A plane through the luminance (height, width) in EV, at any exposure.

    A robust fit (Huber) of medians of blocks, so that dark things and lamps count for little.
    """
    rows, columns = min(UNEVEN_BLOCKS, EV.shape[0]), min(UNEVEN_BLOCKS, EV.shape[1])
    strips = np.array_split(EV, rows, axis=0)
    blocks = np.array([[np.median(part) for part in np.array_split(strip, columns, axis=1)] for strip in strips])
    y, x = np.meshgrid(np.linspace(-0.5, 0.5, rows), np.linspace(-0.5, 0.5, columns), indexing="ij")
    terms = np.stack([np.ones(blocks.size), x.ravel(), y.ravel()], axis=1)
    values = blocks.ravel().astype(np.float64)
    solved, _ = huber(terms, values, limit=HUBER_EV)
    left = np.abs(values - terms @ solved).mean() / max(float(np.abs(values - np.median(values)).mean()), 1e-9)
    return (float(solved[1]), float(solved[2])), float(min(max(1.0 - left, 0.0), 1.0))


def crushed_share(distribution: tuple[float, ...], points: Points) -> float:
    """Share of the picture whose tones a curve runs together: where it rises less than LEAST_RISE.

    distribution: shares of display lightness before the curve, in even bins over 0..100.
    """
    if points == STRAIGHT:
        return 0.0
    edges = np.linspace(0.0, 1.0, len(distribution) + 1)
    rise = np.diff(curve(points, edges)) * len(distribution)
    return float(np.array(distribution)[rise < LEAST_RISE].sum())


def _channel_counts(frame: Frame) -> list[tuple[NDArray[Any], float]]:
    """Per channel: how often each count above black occurs, and the count that is full."""
    if frame.linear is not None:
        stored = np.clip(frame.linear * 4095.0, 0, 4095).astype(np.uint16)
        return [(np.bincount(stored[..., c].ravel(), minlength=4096), 4095.0) for c in range(3)]
    mosaic = frame.mosaic
    assert mosaic is not None
    rows, columns = mosaic.pattern.shape
    out: list[tuple[NDArray[Any], float]] = []
    for channel in range(3):
        counts, full = np.zeros(65_536), np.inf
        for row, column in np.argwhere(mosaic.pattern == channel):
            black = mosaic.black[row, column]
            values = mosaic.values[row::rows, column::columns]
            shifted = np.bincount(values.ravel(), minlength=65_536)
            offset = round(float(black))
            counts[: 65_536 - offset] += shifted[offset:]
            counts[0] += shifted[:offset].sum()
            full = min(full, mosaic.white - float(black))
        out.append((counts, float(full)))
    return out
