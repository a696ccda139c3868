"""One skin or cloth followed through a set: where it is in each picture, how far its colour drifts, and what levels it.

It is found by what surrounds it: features (SIFT, Lowe 2004) that lie as they do in the anchor, but for a turn, a shift
and a size. Where too few do it is lost, which is said, and the user shows it; colour is not asked, since that is what
drifts.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array
from ...develop.frame.camera_colour import light_xy
from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...recipe.change import Settings
from ...recipe.model import Recipe
from ..colour.pairs import PairReading, middle_of, shown_lab
from ..colour.solve import SolvePath, brought
from ..table.values import value_of

LONG_PX = 1600
"""Of the level at which features are looked for, at most."""
AROUND, LEAST_AROUND_PX = 3.0, 220
"""How far round the area features count, in its sizes, and in px of that level at least."""
RATIO, NEAR_PX, LEAST_ALIKE = 0.75, 4.0, 10
"""A feature counts whose best likeness is so much better than the next one; those that lie as in the anchor within so
many px; how many must."""
LEAST_SHARE = 0.25
"""Of the features that found a likeness, that must lie as in the anchor."""
MOST_SIZED, LEAST_INSIDE = 2.5, 0.8
MARGIN, LEAST_MARGIN_PX, CALM_PX, LEAST_LIKENESS = 0.5, 16.0, 1.5, 0.7
"""Round the area, in its sizes and px of that level, that must look as in the anchor; its fine detail, which blur and
noise take, left out; and how alike: tried on turned and newly lit photographs and the demo."""
LEAST_dE = 1.0
"""ΔE00 that is worth levelling: less is not seen from one picture to the next. Common practice, no source."""
MOST_dE = 12.0
"""ΔE00 from the anchor beyond which something else is likely to lie there, such as who stands behind who moved away."""
HELPS, GOOD_dE = 0.5, 2.0
"""Share of a drift, and ΔE00, that levelling must leave at most: what is cut off or out of reach is not half mended."""

Grey = NDArray[np.uint8]


@dataclass(frozen=True, eq=False)
class Thing:
    """What is followed: its colour in the anchor as it is shown, and what surrounds it there."""

    Lab: tuple[float, float, float]
    corners: Array
    """(4, 2) of its area, px of the small picture."""
    points: Array
    """(n, 2) of the features round it."""
    likenesses: NDArray[np.float32]
    """(n, 128) of them."""
    seen: Grey
    """The small picture itself, (height, width)."""
    step: int
    """Full-size px per px of it."""


@dataclass(frozen=True)
class Levelled:
    """The recipe values that bring it back, and how far it is from the anchor then."""

    settings: Settings
    after: PairReading


def thing_at(engine: Engine, recipe: Recipe, area: Region) -> Thing:
    """What lies in an area of a picture, px of its upright full size."""
    Lab = middle_of(shown_lab(engine, recipe, area))[0]
    small, step = _small(engine, recipe)
    x, y, w, h = (value / step for value in area)
    room = max(AROUND * max(w, h), LEAST_AROUND_PX) / 2.0
    mask = np.zeros(small.shape, np.uint8)
    left, top = (max(0, round(v)) for v in (x + w / 2 - room, y + h / 2 - room))
    mask[top : round(y + h / 2 + room), left : round(x + w / 2 + room)] = 255
    points, likenesses = _features(small, mask)
    L, a, b = (round(float(v), 3) for v in Lab)
    return Thing((L, a, b), np.array([(x, y), (x + w, y), (x + w, y + h), (x, y + h)]), points, likenesses, small, step)


def find_again(engine: Engine, recipe: Recipe, thing: Thing) -> Region | None:
    """Where the same thing lies in another picture, px of its upright full size; None where it is lost."""
    small, step = _small(engine, recipe)
    moved = _moved(small, thing)
    if moved is None:
        return None
    corners = thing.corners @ moved[:, :2].T + moved[:, 2]
    (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
    height, width = small.shape
    x0, x1 = (float(np.clip(v, 0, width)) for v in (left, right))
    y0, y1 = (float(np.clip(v, 0, height)) for v in (top, bottom))
    if (x1 - x0) * (y1 - y0) < LEAST_INSIDE * (right - left) * (bottom - top):
        return None
    return round(x0 * step), round(y0 * step), max(2, round((x1 - x0) * step)), max(2, round((y1 - y0) * step))


def way_to(engine: Engine, recipe: Recipe, thing: Thing) -> Array | None:
    """How a thing of the anchor lies in another picture, (2, 3): from px of its upright full size to px of the other's,
    by a turn, a size and a shift; None where it is lost."""
    small, step = _small(engine, recipe)
    moved = _moved(small, thing)
    return None if moved is None else np.column_stack([moved[:, :2] * (step / thing.step), moved[:, 2] * step])


def _moved(small: Grey, thing: Thing) -> Array | None:
    points, likenesses = _features(small, None)
    if min(len(points), len(thing.points)) < LEAST_ALIKE:
        return None
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(thing.likenesses, likenesses, k=2)
    good = [first for first, second in (pair for pair in pairs if len(pair) == 2)
            if first.distance < RATIO * second.distance]  # fmt: skip
    if len(good) < LEAST_ALIKE:
        return None
    here, there = (np.array([each[n] for n in index]) for each, index in
                   ((thing.points, [m.queryIdx for m in good]), (points, [m.trainIdx for m in good])))  # fmt: skip
    moved, held = cv2.estimateAffinePartial2D(here, there, ransacReprojThreshold=NEAR_PX)
    if moved is None or int(held.sum()) < max(LEAST_ALIKE, LEAST_SHARE * len(good)):
        return None
    if not 1.0 / MOST_SIZED < float(np.hypot(*moved[:, 0])) < MOST_SIZED:
        return None
    return np.asarray(moved) if _likeness(thing, small, moved) >= LEAST_LIKENESS else None


@dataclass(frozen=True)
class Followed:
    """The same thing in a picture."""

    area: Region
    """Px of the upright full-size picture."""
    drift: PairReading
    """From the anchor."""
    levelled: Levelled | None
    """None where it is as in the anchor, or cannot be brought back."""


def follow(engine: Engine, recipe: Recipe, thing: Thing, area: Region | None = None) -> Followed | None:
    """The same thing in another picture; None where it is lost. area: where it lies, from one who knows."""
    found = area or find_again(engine, recipe, thing)
    if found is None:
        return None
    drift = drift_of(engine, recipe, thing, found)
    if area is None and drift.dE00 > MOST_dE:
        return None
    return Followed(found, drift, level(engine, recipe, thing, found))


def _likeness(thing: Thing, small: Grey, moved: Array) -> float:
    """Correlation -1..1 of the area and a margin as they are in the anchor and where they would lie in another picture:
    where the surroundings stayed and the thing went away, it is low."""
    (left, top), (right, bottom) = thing.corners.min(axis=0), thing.corners.max(axis=0)
    margin = MARGIN * max(right - left, bottom - top) + LEAST_MARGIN_PX
    height, width = thing.seen.shape
    x0, y0 = max(0, round(left - margin)), max(0, round(top - margin))
    x1, y1 = min(width, round(right + margin)), min(height, round(bottom + margin))
    here = thing.seen[y0:y1, x0:x1].astype(np.float32)
    way = moved.copy()
    way[:, 2] += moved[:, :2] @ np.array([x0, y0])
    there = cv2.warpAffine(small, way, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                           borderMode=cv2.BORDER_REPLICATE).astype(np.float32)  # fmt: skip
    one, other = (cv2.GaussianBlur(each, (0, 0), CALM_PX).ravel() for each in (here, there))
    one, other = one - one.mean(), other - other.mean()
    return float(one @ other / max(float(np.sqrt((one @ one) * (other @ other))), 1e-6))


def drift_of(engine: Engine, recipe: Recipe, thing: Thing, area: Region) -> PairReading:
    """By how much what lies in an area of another picture differs from the anchor."""
    return PairReading.of(np.array(thing.Lab), middle_of(shown_lab(engine, recipe, area))[0])


def level(engine: Engine, recipe: Recipe, thing: Thing, area: Region) -> Levelled | None:
    """Exposure and light of the whole picture that bring what lies in an area to its colour in the anchor; None where
    that is not worth it, or does not help by half."""
    before = drift_of(engine, recipe, thing, area)
    if before.dE00 < LEAST_dE:
        return None
    light = value_of(light_xy(engine.frame.colour, recipe.in_force().light))
    EV = recipe.tone.exposure_EV

    def made(values: Any) -> dict[str, Any]:
        stops, warmer, duv = values
        cct_K = 1e6 / (1e6 / light.cct_K - warmer)
        return {"tone.exposure_EV": round(min(max(EV + stops, -6.0), 6.0), 3),
                "light.cct_K": round(float(np.clip(cct_K, 1500.0, 25_000.0)), 1),
                "light.duv": round(float(np.clip(light.duv + duv, -0.03, 0.03)), 5)}  # fmt: skip

    def seen(values: Array) -> Array:
        under = recipe.change_all(tuple(made(values.tolist()).items()), label="Level")[0]
        return middle_of(shown_lab(engine, under, area))[0]

    way = SolvePath((0.0, 0.0, 0.0), (0.1, 8.0, 0.002), (-2.0, -80.0, -0.015), (2.0, 80.0, 0.015), (3, 2, 5), made)
    target = np.array(thing.Lab)
    values = brought(seen, target, way)
    after = PairReading.of(target, seen(values))
    helps = after.dE00 <= min(HELPS * before.dE00, GOOD_dE)
    return Levelled(tuple(made(values.tolist()).items()), after) if helps else None


def _small(engine: Engine, recipe: Recipe) -> tuple[Grey, int]:
    """The picture in grey, as it was taken but for how it lies; and full-size px per px."""
    # what was decided about light and tone must not change what is alike
    plain = recipe.in_force().untouched()
    level = 0
    while max(engine.size(plain)) >> level > LONG_PX:
        level += 1
    width, height = engine.size(plain, level)
    shown = engine.peek(plain, level, (0, 0, width, height), result="draft")
    return cv2.cvtColor(np.ascontiguousarray(shown[..., :3]), cv2.COLOR_BGR2GRAY), 1 << level


def _features(small: Grey, mask: Grey | None) -> tuple[Array, NDArray[np.float32]]:
    found, likenesses = cv2.SIFT.create(contrastThreshold=0.02).detectAndCompute(small, mask)
    if likenesses is None:
        return np.zeros((0, 2)), np.zeros((0, 128), np.float32)
    # the root of a likeness tells more apart (Arandjelovic and Zisserman 2012)
    rooted = np.sqrt(likenesses / np.maximum(likenesses.sum(axis=1, keepdims=True), 1e-6))
    return np.array([each.pt for each in found]), rooted.astype(np.float32)
