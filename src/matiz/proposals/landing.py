"""A picked white, told where to land: the light that makes it neutral and the curve that puts it there."""

from ..colour.spaces import decode_sRGB, lightness
from ..develop.frame.tiles import Region
from ..develop.graph.engine import Engine
from ..develop.stages.rendition import through
from ..errors import ArgumentError
from ..measure.colour.spot import tone_of
from ..measure.light.pick import picked
from ..recipe.change import Settings
from ..recipe.model import Recipe, manual_light
from ..wording import number

DARKEST_PICK = 0.2
"""Display lightness 0..1 below which a pick is no white."""


def landing(engine: Engine, recipe: Recipe, area: Region, code: float) -> Settings:
    """Settings under which the mean of an area is neutral and shown at `code` of 255.

    Raises ArgumentError, in words for the user, for what cannot be picked as a neutral, or is too dark for a white.
    """
    light = picked(engine, recipe, area).light
    settings = (*manual_light(light.cct_K, light.duv), ("light.adaptation_percent", 100.0))
    balanced = recipe.change_all([*settings, ("tone.active", "on")], label="")[0]
    tone = tone_of(engine, balanced, area)
    if tone < DARKEST_PICK:
        raise ArgumentError(f"That is too dark for a white, {number(100.0 * tone, 0, 'L*')}: raise exposure first.")
    wanted = float(lightness(decode_sRGB(code / 255.0))) / 100.0
    return (*settings, ("tone.curve.lightness", through(recipe.tone.curve.lightness, tone, wanted)))
