"""A picked white, told where to land: the light that makes it neutral and the curve that puts it there."""

import numpy as np

from ..colour.spaces import decode_sRGB, lightness
from ..develop.engine import Engine
from ..develop.rendition import through
from ..errors import ArgumentError
from ..measure.light import neutral_light
from ..measure.spot import tone_of
from ..raw.sensor import Region
from ..recipe.model import Recipe, Settings, manual_light

DARKEST_PICK = 0.2
"""Display lightness 0..1 below which a pick is no white."""


def landing(engine: Engine, recipe: Recipe, area: Region, code: float) -> Settings:
    """Settings under which the mean of an area is neutral and shown at `code` of 255.

    Raises ArgumentError when no light makes it neutral, or it is too dark to be taken for a white.
    """
    camera = engine.render(recipe, 0, area, result="camera").reshape(-1, 3).mean(axis=0)
    light = neutral_light(engine.frame.colour, camera.astype(np.float64))
    settings = (*manual_light(light.cct_K, light.duv), ("light.adaptation_percent", 100.0))
    balanced = recipe.change_all([*settings, ("tone.active", "on")], label="")[0]
    tone = tone_of(engine, balanced, area)
    if tone < DARKEST_PICK:
        raise ArgumentError(f"the pick is too dark for a white, {100.0 * tone:.0f} L*: raise exposure first")
    wanted = float(lightness(decode_sRGB(code / 255.0))) / 100.0
    return (*settings, ("tone.curve.lightness", through(recipe.tone.curve.lightness, tone, wanted)))
