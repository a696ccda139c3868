"""One place of the picture: which tone the curve meets there, which colour it has."""

import math
from dataclasses import replace

import numpy as np

from ...colour.spaces import lightness, sRGB_to_Lab
from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...develop.stages.rendition import STRAIGHT
from ...errors import ArgumentError
from ...recipe.model import Curve, Recipe
from .colour import oklch_of

HALF_PX = 3


def spot(engine: Engine, recipe: Recipe, x: float, y: float, half_px: int = HALF_PX) -> Region:
    """The area within `half_px` of a point, px of the upright full-size picture, cut at its borders."""
    width, height = engine.size(recipe)
    if not (0 <= x < width and 0 <= y < height):
        raise ArgumentError(f"{x:g}, {y:g} does not lie within the picture, {width}x{height} px")
    left, top = max(0, int(x) - half_px), max(0, int(y) - half_px)
    right, bottom = min(width, int(x) + half_px + 1), min(height, int(y) + half_px + 1)
    return left, top, right - left, bottom - top


def tone_of(engine: Engine, recipe: Recipe, area: Region, channel: str = "lightness") -> float:
    """The mean tone of an area as a curve meets it, display lightness 0..1.

    channel: "lightness", or "red", "green" or "blue" for the curve of a channel, which follows that of lightness.
    """
    names = ("red", "green", "blue")
    if channel != "lightness" and channel not in names:
        raise ArgumentError(f"channel: lightness, {', '.join(names)}; got {channel!r}")
    recipe = recipe.in_force()
    if channel == "lightness":
        # colours are moved after that curve, and before those of channels
        recipe = recipe.with_plain("colour")
    before = Curve() if channel == "lightness" else replace(recipe.tone.curve, **{channel: STRAIGHT})
    straight = replace(recipe, tone=replace(recipe.tone, curve=before))
    mean = engine.render(straight, 0, area, result="display").reshape(-1, 3).mean(axis=0)
    shown = sRGB_to_Lab(mean)[0] if channel == "lightness" else lightness(mean[names.index(channel)])
    return float(shown) / 100.0


def hue_and_chroma(engine: Engine, recipe: Recipe, area: Region) -> tuple[float, float]:
    """The hue in degrees, 0..360, and the chroma C*ab of the mean of an area as it is shown."""
    _, a, b = Lab_of(engine, recipe, area)
    return math.degrees(math.atan2(b, a)) % 360.0, math.hypot(a, b)


def hue_of(engine: Engine, recipe: Recipe, area: Region) -> tuple[float, float]:
    """The hue in degrees, 0..360, and the chroma, both Oklab's, of the mean of an area as it is shown."""
    mean = engine.peek(recipe, 0, area, result="display").reshape(-1, 3).mean(axis=0, dtype=np.float64)
    _, chroma, hue = oklch_of(mean)
    return float(hue), float(chroma)


def Lab_of(engine: Engine, recipe: Recipe, area: Region) -> tuple[float, float, float]:
    """L*, a*, b* of the mean of an area as it is shown."""
    mean = engine.peek(recipe, 0, area, result="display").reshape(-1, 3).mean(axis=0, dtype=np.float64)
    L, a, b = (float(value) for value in sRGB_to_Lab(mean))
    return L, a, b
