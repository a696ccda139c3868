"""What a hand has painted or drawn round in one picture, laid where the same thing lies in another one of its set."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from ...colour.types import Array
from ...develop.frame.tiles import Region, Size, common
from ...develop.graph.engine import Engine
from ...recipe.model import Recipe
from ...recipe.places import Brush, Lasso, Place, Stroke
from ...recipe.shapes import Shape
from ...recipe.tree import Rows, Section
from .same import MOST_dE, drift_of, thing_at, way_to

LEAST_PX, MOST_RADIUS_PX = 16.0, 4000.0
"""Side of what is looked for; and of a stroke, at most."""


class DrawnPlace:
    """What is drawn of a place in the picture in which it was drawn."""

    def __init__(self, place: Place, engine: Engine, recipe: Recipe) -> None:
        """place: one that `is_drawn`."""
        self.place, self._frame, self._mapping = place, engine.frame.size, engine.mapping(recipe)
        # what else is decided in each must not count as a difference
        self._around = self._area()
        self.thing = thing_at(engine, recipe.untouched(), self._around)

    def laid(self, engine: Engine, recipe: Recipe) -> Place | None:
        """The place as it lies in another picture; None where what lies under it is not found again."""
        way = way_to(engine, recipe, self.thing)
        if way is None or self._is_another(engine, recipe, way):
            return None
        there, long_side, grows = engine.mapping(recipe), max(engine.frame.size), float(np.hypot(*way[:, 0]))

        def moved(points: ArrayLike) -> Array:
            """Of the long side of the one frame, and of the other."""
            seen = self._mapping.to_picture(_in_px(points, self._frame))
            return np.asarray((there.to_frame(seen @ way[:, :2].T + way[:, 2]) + 0.5) / long_side)

        def stroke(own: Stroke) -> Stroke:
            points, radius = own.path.points, min(max(round(own.radius_px * grows, 1), 1.0), MOST_RADIUS_PX)
            path = Shape.of(np.column_stack([moved(points[:, :2]), points[:, 2:]])) if len(points) else own.path
            return replace(own, path=path, radius_px=radius)

        def part(own: Section) -> Section:
            if isinstance(own, Lasso) and own.path:
                return replace(own, path=tuple((round(float(x), 6), round(float(y), 6)) for x, y in moved(own.path)))
            if isinstance(own, Brush):
                return replace(own, strokes=Rows([(name, stroke(each)) for name, each in own.strokes.items()]))
            return own

        return replace(self.place, mask=Rows([(name, part(each)) for name, each in self.place.mask.items()]))

    def _is_another(self, engine: Engine, recipe: Recipe, way: Array) -> bool:
        """Whether something else lies there now, such as who stands behind who moved away."""
        x, y, w, h = self._around
        corners = np.array([(x, y), (x + w, y), (x + w, y + h), (x, y + h)]) @ way[:, :2].T + way[:, 2]
        (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
        found = round(left), round(top), round(right - left), round(bottom - top)
        area = common(found, (0, 0, *engine.size(recipe)))
        return min(area[2:]) < 2 or drift_of(engine, recipe.untouched(), self.thing, area).dE00 > MOST_dE

    def _area(self) -> Region:
        """All that is drawn, px of the picture."""
        lows, highs = [], []
        for points, reach in _drawn(self.place):
            at = _in_px(points, self._frame)
            lows.append(at.min(axis=0) - reach)
            highs.append(at.max(axis=0) + reach)
        (x0, y0), (x1, y1) = np.min(lows, axis=0), np.max(highs, axis=0)
        seen = self._mapping.to_picture(np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]))
        size = np.array(self._mapping.size, np.float64)
        low, high = np.clip(seen.min(axis=0), 0.0, size - LEAST_PX), np.clip(seen.max(axis=0), LEAST_PX, size)
        w, h = np.maximum(high - low, LEAST_PX)
        return round(low[0]), round(low[1]), round(w), round(h)


def is_drawn(place: Place) -> bool:
    """Whether a hand has painted or drawn any of its mask."""
    return any(True for _ in _drawn(place))


def _drawn(place: Place) -> Iterator[tuple[ArrayLike, float]]:
    """Points of each line, of the frame's long side, and how far it reaches to its sides, px."""
    for part in place.mask.values():
        if isinstance(part, Lasso) and part.path:
            yield part.path, 0.0
        elif isinstance(part, Brush):
            for each in part.strokes.values():
                if isinstance(each, Stroke) and len(each.path):
                    yield each.path.points[:, :2], each.radius_px


def _in_px(points: ArrayLike, frame: Size) -> Array:
    return np.asarray(points, np.float64) * max(frame) - 0.5
