"""The second light of a picture as a place: where it falls, balanced for what the whole is balanced for."""

import numpy as np

from ...colour.temperature import cct_to_xy
from ...colour.types import Array
from ...develop.frame.camera_colour import balance, light_xy, xy_to_neutral
from ...develop.places.weighing import warmer_stops
from ...image.reduce import reduced
from ...raw.frame import CameraColour
from ...recipe.model import Recipe
from ...recipe.places import Mapped, Place
from ...recipe.shapes import Grid
from ...recipe.tree import Rows
from ..table.values import LightValue
from .lights import Grid as Shares

MAP_PX = 150
"""Long side of the map that is kept: light changes slowly, and what colours follow is in the picture itself."""
STEPS = 12


def place_of_light(colour: CameraColour, recipe: Recipe, light: LightValue, shares: Shares) -> Place:
    """The place in which a light looks as neutral as that which the recipe balances for.

    shares: (rows, columns) of the frame, how much of the light is this one. The correction is what a grey needs there,
    fitted in mired and Duv.
    """
    now = balance(colour, light_xy(colour, recipe.light))
    grey = now.matrix @ (now.gains * xy_to_neutral(colour, cct_to_xy(light.cct_K, light.duv)))
    mired, duv = _fitted(-np.log2(np.maximum(grey / grey[1], 1e-3)))
    held = Grid.of(reduced(np.asarray(shares, np.float32), MAP_PX))
    name = f"Light of {round(light.cct_K, -1):.0f} K"
    return Place(name=name, mask=Rows([("m1", Mapped(shares=held))]), warmer_mired=mired, greener_duv=duv)


def _fitted(stops: Array) -> tuple[float, float]:
    """Mired and Duv of a place whose changes are nearest to stops of red and blue over green. Newton's method: both
    act almost straight."""
    wanted = np.array([stops[0] - stops[1], stops[2] - stops[1]])

    def made(at: Array) -> Array:
        own = warmer_stops(float(at[0]), float(at[1]))
        return np.array([own[0] - own[1], own[2] - own[1]])

    at = np.zeros(2)
    for _ in range(STEPS):
        steps = np.array([1.0, 1e-3])
        slopes = np.stack([(made(at + step) - made(at - step)) / (2.0 * step.max()) for step in np.diag(steps)], axis=1)
        step = np.linalg.lstsq(slopes, wanted - made(at), rcond=None)[0]
        at = at + step
        at = np.clip(at, (-300.0, -0.03), (300.0, 0.03))
        if (np.abs(step) < 0.05 * steps).all():
            break
    return round(float(at[0]), 1), round(float(at[1]), 5)
