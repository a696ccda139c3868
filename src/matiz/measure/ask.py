"""Which decision made a pixel what it is: the picture with one station left out at a time."""

from dataclasses import fields, replace

from ..colour.difference import delta_E_2000
from ..colour.spaces import sRGB_to_Lab
from ..colour.types import Array
from ..develop.graph.engine import Engine
from ..recipe.model import Recipe, specs
from .colour.spot import spot


def ask_pixel(engine: Engine, recipe: Recipe, x: int, y: int) -> dict[str, float]:
    """ΔE00 that each station makes at a place, px of the upright full-size picture; the largest first.

    A station with several decisions is also taken apart: "tone.zones_EV" and its like.
    """
    area = spot(engine, recipe, x, y)
    recipe = recipe.in_force()
    whole = _Lab(engine, recipe, area)
    # how the picture lies stays: the place is the same then
    plain = recipe.untouched()
    made: dict[str, float] = {}
    for station in dict.fromkeys(path.split(".")[0] for path in specs()):
        section = getattr(recipe, station)
        made[station] = _difference(engine, whole, replace(recipe, **{station: getattr(plain, station)}), area)
        for item in fields(section):
            usual = getattr(getattr(plain, station), item.name)
            if getattr(section, item.name) != usual:
                without = replace(recipe, **{station: replace(section, **{item.name: usual})})
                made[f"{station}.{item.name}"] = _difference(engine, whole, without, area)
    return dict(sorted(made.items(), key=lambda pair: -pair[1]))


def _Lab(engine: Engine, recipe: Recipe, area: tuple[int, int, int, int]) -> Array:
    return sRGB_to_Lab(engine.render(recipe, 0, area, result="display").reshape(-1, 3).mean(axis=0))


def _difference(engine: Engine, whole: Array, without: Recipe, area: tuple[int, int, int, int]) -> float:
    return float(delta_E_2000(whole, _Lab(engine, without, area)))
