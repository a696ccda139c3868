"""Rims: what a change of tone does beside strong edges, against what it does further away in the same smooth area."""

import cv2
import numpy as np

from matiz.colour.spaces import sRGB_to_Lab
from matiz.colour.types import Array
from matiz.develop.graph.engine import Engine
from matiz.raw.decode import read_frame
from matiz.recipe.change import Settings
from matiz.recipe.model import plain_recipe

from .photographs import Photograph

SHOWN_PX = 900
SMOOTH_L, AREA = 5.0, 0.03
"""Most range of lightness round a pixel of a smooth area, and the least of such an area, of the picture."""
BESIDE, AWAY, SPREAD = (0.004, 0.025), 0.035, 0.03
"""Distances from an edge, of the long side; and the width over which what is away is averaged."""


def rim_L(photograph: Photograph, settings: Settings) -> float | None:
    """95 of 100 pixels beside strong edges change within so many L* of what lies away; None without a smooth area."""
    engine = Engine(read_frame(photograph.path))
    recipe = plain_recipe(engine.frame.start)
    level = max(0, int(np.log2(max(engine.size(recipe)) / SHOWN_PX)))
    changed = recipe.change_all(settings, label="x")[0]
    before, after = (_lightness(engine.render(each, level, result="display")) for each in (recipe, changed))
    change, long_side = after - before, max(before.shape)
    window = np.ones((max(3, long_side // 100) | 1,) * 2, np.uint8)
    lively = cv2.dilate(before, window) - cv2.erode(before, window) >= SMOOTH_L
    count, areas, stats, _ = cv2.connectedComponentsWithStats((~lively).astype(np.uint8))
    found = []
    for n in range(1, count):
        if stats[n, cv2.CC_STAT_AREA] < AREA * before.size:
            continue
        inside = areas == n
        edge = ((~inside) & lively).astype(np.uint8)
        distance = cv2.distanceTransform(1 - edge, cv2.DIST_L2, 5) / long_side
        away = inside & (distance > AWAY)
        around = cv2.GaussianBlur(away.astype(np.float32), (0, 0), SPREAD * long_side)
        beside = inside & (distance > BESIDE[0]) & (distance < BESIDE[1]) & (around > 0.05)
        if min(np.count_nonzero(away), np.count_nonzero(beside)) < 200:
            continue
        # a change that follows lightness is no rim
        slope = _slope(before[away], change[away])
        mean_change, mean_before = (_mean(values, away, around, long_side) for values in (change, before))
        found.append(np.abs(change - mean_change - slope * (before - mean_before))[beside])
    return float(np.quantile(np.concatenate(found), 0.95)) if found else None


def _slope(x: Array, y: Array) -> float:
    x = x - x.mean()
    return float((x * y).mean() / max(float((x * x).mean()), 1.0))


def _mean(values: Array, away: Array, around: Array, long_side: int) -> Array:
    weighed = np.where(away, values, 0.0).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(weighed, (0, 0), SPREAD * long_side) / np.maximum(around, 1e-6))


def _lightness(display: Array) -> Array:
    return np.asarray(sRGB_to_Lab(display.reshape(-1, 3))[:, 0].reshape(display.shape[:2]), np.float32)
