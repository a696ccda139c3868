"""Two areas made alike: a place found from the first, and the light, chroma and lightness that bring it to the
second."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...colour.spaces import Lab_to_Oklab
from ...colour.types import Array
from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...errors import ArgumentError
from ...recipe.colour import Peg
from ...recipe.model import Recipe
from ...recipe.paths import added
from ...recipe.places import Place, Reach
from ...recipe.tree import Rows, Section, replaced
from .pairs import PairReading, compare, middle_of, shown_lab
from .solve import SolvePath, brought

REACH_SHARE, LEAST_REACH, MOST_REACH = 0.45, 0.06, 0.5
"""Of the distance to what it must not reach: how far a mask does; and its limits, of the long side."""
SPREADS, LEAST_OFF, MOST_OFF = 4.0, 10.0, 40.0
"""How far a colour of the mask may be off, in spreads of the area, and its limits, L*a*b*."""


def _lit(values: Sequence[float]) -> dict[str, Any]:
    return dict(zip(("exposure_EV", "warmer_mired", "greener_duv"), values, strict=True))


BY_LIGHT = SolvePath((0.0, 0.0, 0.0), (0.1, 8.0, 0.002), (-3.0, -150.0, -0.028), (3.0, 150.0, 0.028), (3, 2, 5), _lit)
"""Stops, mired and Duv: texture stays, as under another light."""


def _by_hue(at_deg: float) -> SolvePath:
    """A peg: a turn of hue, and a factor of chroma."""

    def made(values: Sequence[float]) -> dict[str, Any]:
        turn, chroma = values
        return {"pegs": Rows([("p1", Peg(at_deg=at_deg, reach_deg=180.0, hue_deg=turn, chroma=chroma))])}

    return SolvePath((0.0, 1.0), (2.0, 0.05), (-80.0, 0.2), (80.0, 3.0), (2, 3), made)


@dataclass(frozen=True)
class Match:
    """Places that make two areas alike, and how far these are apart before and after."""

    places: tuple[Place, ...]
    before: PairReading
    after: PairReading


def make_alike(engine: Engine, recipe: Recipe, first: Region, second: Region, *, halfway: bool = False) -> Match:
    """Bring the first area of a picture, px of its full size, to the second; halfway: each to their middle.

    The correction is one of light (stops, mired, Duv), which keeps texture, solved so that the areas' middles meet.
    Raises ArgumentError where the two lie over each other.
    """
    if _overlap(first, second):
        raise ArgumentError("the two areas lie over each other: choose them apart")
    lab = [shown_lab(engine, recipe, area) for area in (first, second)]
    before = compare(*lab)
    middles = [middle_of(each)[0] for each in lab]
    targets = [(middles[0] + middles[1]) / 2.0] * 2 if halfway else [middles[1]]
    places, changed = [], recipe
    for area, other, target in zip((first, second), (second, first), targets, strict=False):
        place = _brought(engine, changed, _mask(engine, recipe, area, other), area, target, BY_LIGHT)
        places.append(place)
        changed = changed.change_all(added(changed, [("places", place)]), label="Match")[0]
    after = compare(*(shown_lab(engine, changed, area) for area in (first, second)))
    return Match(tuple(places), before, after)


def turn_hue(engine: Engine, recipe: Recipe, area: Region, mask: Rows[Section], turn_deg: float) -> Match:
    """Turn the hue of what a mask holds, and the area lies in, by degrees of CIELAB; lightness and chroma stay.
    before, after: of the area from what it is to be."""
    now = middle_of(shown_lab(engine, recipe, area))[0]
    turn = np.radians(turn_deg)
    cos, sin = np.cos(turn), np.sin(turn)
    target = np.array([now[0], now[1] * cos - now[2] * sin, now[1] * sin + now[2] * cos])
    _, a, b = Lab_to_Oklab(now)
    way = _by_hue(round(float(np.degrees(np.arctan2(b, a))) % 360.0, 1))
    place = _brought(engine, recipe, mask, area, target, way)
    changed = recipe.change_all(added(recipe, [("places", place)]), label="Match")[0]
    reached = middle_of(shown_lab(engine, changed, area))[0]
    return Match((place,), PairReading.of(target, now), PairReading.of(target, reached))


def _overlap(first: Region, second: Region) -> bool:
    (ax, ay, aw, ah), (bx, by, bw, bh) = first, second
    return ax < bx + bw and bx < ax + aw and ay < by + bh and by < ay + ah


def _mask(engine: Engine, recipe: Recipe, area: Region, other: Region) -> Rows[Section]:
    """What is near the area and coloured like it, kept out of the other."""
    mapping, long_side = engine.mapping(recipe), max(engine.frame.size)

    def in_frame(points: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
        there = (mapping.to_frame(points) + 0.5) / long_side
        return tuple((round(float(x), 5), round(float(y), 5)) for x, y in there)

    x, y, w, h = area
    inside = [(x + w * across, y + h * down) for across in (0.2, 0.5, 0.8) for down in (0.2, 0.5, 0.8)]
    meant, kept_out = in_frame(inside), in_frame([(other[0] + other[2] / 2.0, other[1] + other[3] / 2.0)])
    far = float(np.hypot(*(np.array(meant).mean(axis=0) - kept_out[0])))
    spread = float(np.linalg.norm(np.std(shown_lab(engine, recipe, area), axis=0)))
    reach = Reach(
        picks=meant,
        keep_out=kept_out,
        distance=round(min(max(REACH_SHARE * far, LEAST_REACH), MOST_REACH), 3),
        difference=round(min(max(SPREADS * spread, LEAST_OFF), MOST_OFF), 1),
    )
    return Rows([("m1", reach)])


def _brought(engine: Engine, recipe: Recipe, mask: Rows[Section], area: Region, target: Array, way: SolvePath) -> Place:
    """A place with the correction that brings the middle of an area nearest to a colour L*, a*, b*."""
    base, ident = Place(name="Matched", mask=mask, hold_chroma="off"), recipe.places.fresh_id()

    def place(at: Array) -> Place:
        return replaced(base, **way.made([round(float(v), n) for v, n in zip(at, way.digits, strict=True)]))

    def seen(at: Array) -> Array:
        under = recipe.change_all([(f"places.{ident}", replaced(base, **way.made(at.tolist())))], label="x")[0]
        return middle_of(shown_lab(engine, under, area))[0]

    return place(brought(seen, target, way))
