"""What several readings ask: where points and faces of the frame lie in the picture, and pixels there."""

import numpy as np
from numpy.typing import ArrayLike

from ...develop.frame.tiles import Region
from ...develop.stages.node import Pixels
from ...masks.faces import Face
from ...recipe.model import Recipe
from .table import Sight
from .values import Outline


def plain(recipe: Recipe) -> Recipe:
    return recipe.with_plain()


def without_detail(recipe: Recipe) -> Recipe:
    """What is full is told by what the camera took, noise and all."""
    return recipe.with_plain("detail")


def in_picture(sight: Sight, points: ArrayLike) -> Outline:
    return tuple((float(x), float(y)) for x, y in sight.mapping.to_picture(points))


def round_at(sight: Sight, x: float, y: float, r: float) -> Outline:
    """Sixteen points round a spot of the frame, as they lie in the picture."""
    turn, reach = np.linspace(0.0, 2.0 * np.pi, 16, endpoint=False), 1.6 * r
    return in_picture(sight, np.stack([x + reach * np.cos(turn), y + reach * np.sin(turn)], axis=1))


def faces_seen(sight: Sight, per_px: float) -> list[Face]:
    """The faces of the frame as they lie in the picture, whose px are so many of the full size each."""
    long_side = max(sight.frame.size)

    def to(points: Pixels) -> Pixels:
        return np.asarray((sight.mapping.to_picture(points * long_side - 0.5) + 0.5) / per_px - 0.5)

    return [face.moved(to) for face in sight.engine.found.faces()]


def pixels_at(sight: Sight, recipe: Recipe, region: Region, result: str) -> Pixels:
    return sight.engine.render(recipe, 0, region, result=result)
