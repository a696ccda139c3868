"""The camera's own rendition as a starting point: exposure and curve fitted to the preview in a raw file."""

import cv2
import numpy as np

from ..colour.spaces import luminance, sRGB_to_Lab
from ..colour.types import Array, Display
from ..develop.graph.engine import Engine
from ..develop.stages.rendition import curve, scene_value
from ..errors import ArgumentError
from ..recipe.change import Settings
from ..recipe.leaves import Points
from ..recipe.model import Recipe, Tone

LONG_SIDE = 500
CALM_PX = 2.0
KNOTS = (0.02, 0.1, 0.25, 0.5, 0.75, 0.9, 0.98)
"""Quantiles of the picture's lightness at which the curve is fitted."""
LEAST_GAP = 0.04
NARROW = 0.02
"""Half-width, in lightness, of the tones that speak for a knot."""
SAME_SHAPE, SAME_L = 0.03, 0.012
MOST_EV = 6.0


def camera_start(engine: Engine, preview: Display, recipe: Recipe) -> Settings:
    """Settings of Tone under which the picture comes nearest to its preview in lightness.

    preview: linear sRGB, upright. Its light is the camera's choice: balance is left as it is in `recipe`.
    Raises ArgumentError when the preview shows another part of the scene than the picture.
    """
    plain = Recipe(mend=recipe.mend, tone=Tone(rendition=recipe.tone.rendition))
    own_L = _lightness(engine, plain)
    height, width = own_L.shape
    if abs(np.log(preview.shape[1] * height / (preview.shape[0] * width))) > SAME_SHAPE:
        raise ArgumentError("the preview in the file shows another part of the picture; it cannot be followed")
    seen_L = _calm(cv2.resize(preview.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA))
    own, seen = (max(scene_value(plain.tone, _middle(L)), 1e-5) for L in (own_L, seen_L))
    exposure_EV = round(float(np.clip(np.log2(seen / own), -MOST_EV, MOST_EV)), 2)
    raised_L = _lightness(engine, plain.change("tone.exposure_EV", exposure_EV)[0])
    return (("tone.exposure_EV", exposure_EV), ("tone.curve.lightness", _curve(raised_L.ravel(), seen_L.ravel())))


def _lightness(engine: Engine, recipe: Recipe) -> Array:
    return _calm(engine.render(recipe, engine.level_for(recipe, LONG_SIDE), result="display"))


def _calm(display: Display) -> Array:
    """Display lightness 0..1, sharpness and small shifts smoothed away."""
    return np.asarray(cv2.GaussianBlur(sRGB_to_Lab(display)[..., 0], (0, 0), CALM_PX) / 100.0)


def _middle(L: Array) -> float:
    """Display-linear value of the median lightness."""
    return float(luminance(100.0 * float(np.median(L))))


def _curve(own_L: Array, seen_L: Array) -> Points:
    """A rising curve from the picture's lightness to the preview's, through medians at KNOTS."""
    points: list[tuple[float, float]] = [(0.0, 0.0)]
    for x in np.quantile(own_L, KNOTS):
        near = np.abs(own_L - x) < NARROW
        y = float(np.median(seen_L[near])) if near.any() else float(x)
        if x - points[-1][0] >= LEAST_GAP and x <= 1.0 - LEAST_GAP:
            points.append((round(float(x), 4), round(min(max(y, points[-1][1]), 1.0), 4)))
    return _simple((*points, (1.0, 1.0)))


def _simple(points: Points) -> Points:
    """Without the points that the curve through the others meets within SAME_L anyway."""
    at = 1
    while at < len(points) - 1:
        fewer = (*points[:at], *points[at + 1 :])
        if abs(float(curve(fewer, points[at][0])) - points[at][1]) < SAME_L:
            points = fewer
        else:
            at += 1
    return points
