"""One picture's light for others of the shoot: the same light, or the same change of it."""

from ..develop.frame.camera_colour import as_shot_xy, light_xy
from ..measure.table.values import value_of
from ..raw.frame import CameraColour
from ..recipe.change import Settings
from ..recipe.model import Recipe, manual_light


def given_light(colour: CameraColour, recipe: Recipe, to: CameraColour | None = None) -> Settings:
    """Settings that balance another picture for the light of one of camera `colour` under `recipe`.

    to: the other picture's camera colour, for a relative gift: its own light as shot is moved by as many mired
    and as much Duv as the first one's was. None gives the light itself.
    """
    recipe = recipe.in_force()
    light = value_of(light_xy(colour, recipe.light))
    mired, duv = light.mired, light.duv
    if to is not None:
        before, own = value_of(as_shot_xy(colour)), value_of(as_shot_xy(to))
        mired, duv = own.mired + mired - before.mired, own.duv + duv - before.duv
    settings = manual_light(1e6 / max(mired, 1.0), duv)
    return (*settings, ("light.adaptation_percent", recipe.light.adaptation_percent))
