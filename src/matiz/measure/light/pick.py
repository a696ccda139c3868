"""A neutral picked in the picture: the light that makes it grey, and whether the pick is to be trusted."""

from dataclasses import dataclass

import numpy as np

from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...errors import ArgumentError
from ...recipe.model import Recipe
from ...wording import duv
from ..table.values import LightValue
from .light import FULL, neutral_light

FULL_SHARE = 0.1
"""A pick is clipped when this share of its values lies over FULL."""
MOST_DUV = 0.03
"""Further from the black bodies no light lies that a recipe takes."""


@dataclass(frozen=True)
class Pick:
    """What a picked area says."""

    light: LightValue
    unevenness: float
    """Standard deviation over mean of its most uneven channel: noise, or a picture's own detail."""


def picked(engine: Engine, recipe: Recipe, area: Region) -> Pick:
    """An area in px of the upright full-size picture, taken for grey.

    Raises ArgumentError, in words for the user, when it is clipped or no light makes it grey.
    """
    camera = engine.render(recipe, 0, area, result="camera").reshape(-1, 3)
    if float(np.quantile(camera, 1.0 - FULL_SHARE)) > FULL:
        raise ArgumentError("The pick is clipped, so its colour cannot be trusted. Pick something darker.")
    mean, spread = camera.mean(axis=0).astype(np.float64), camera.std(axis=0)
    try:
        light = neutral_light(engine.frame.colour, mean)
    except ArgumentError:
        raise ArgumentError("No light makes this colour neutral. Pick something grey or white.") from None
    if abs(light.duv) > MOST_DUV:
        raise ArgumentError(
            f"This is too colourful to be a neutral (Duv {duv(light.duv)}). Pick something grey or white."
        )
    return Pick(light, float((spread / np.maximum(mean, 1e-6)).max()))
