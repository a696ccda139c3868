"""One picture's light for others of the shoot: the same light, or the same change of it."""

from ..colour.temperature import duv_limit
from ..measure.values import value_of
from ..raw.camera_colour import as_shot_xy, light_xy
from ..raw.frame import CameraColour
from ..recipe.model import Recipe

Settings = tuple[tuple[str, object], ...]


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
    cct_K = round(min(max(1e6 / max(mired, 1.0), 1500.0), 25_000.0), 1)
    duv = round(min(max(duv, -0.03), duv_limit(cct_K) - 1e-5), 5)
    return (("light.source", "manual"), ("light.cct_K", cct_K), ("light.duv", duv),
            ("light.adaptation_percent", recipe.light.adaptation_percent))  # fmt: skip
