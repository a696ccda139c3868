"""Two areas made alike: a place found from the first, and the light, chroma and lightness that bring it to the
second."""

from dataclasses import dataclass

import numpy as np

from ..colour.types import Array
from ..develop.engine import Engine
from ..develop.tiles import Region
from ..errors import ArgumentError
from ..measure.pairs import PairReading, compare, middle_of, shown_lab
from ..recipe.model import Recipe
from ..recipe.places import Place, Reach
from ..recipe.tree import Rows, Section, added, replaced

STEPS = {"exposure_EV": 0.1, "warmer_mired": 8.0, "greener_duv": 0.002}
"""Of what a correction is made of: how far each is moved to see what it does."""
LIMITS = {"exposure_EV": 3.0, "warmer_mired": 150.0, "greener_duv": 0.03}
DIGITS = {"exposure_EV": 3, "warmer_mired": 2, "greener_duv": 5}
ROUNDS = 7
DONE_dE = 0.1
REACH_SHARE, LEAST_REACH, MOST_REACH = 0.45, 0.06, 0.5
"""Of the distance to what it must not reach: how far a mask does; and its limits, of the long side."""
SPREADS, LEAST_OFF, MOST_OFF = 4.0, 10.0, 40.0
"""How far a colour of the mask may be off, in spreads of the area, and its limits, L*a*b*."""


@dataclass(frozen=True)
class Match:
    """Places that make two areas alike, and how far these are apart before and after."""

    places: tuple[Place, ...]
    before: PairReading
    after: PairReading


def make_alike(engine: Engine, recipe: Recipe, first: Region, second: Region, *, halfway: bool = False) -> Match:
    """Bring the first area of a picture, px of its full size, to the second; `halfway`: each to their middle.

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
        place = _brought(engine, changed, _mask(engine, recipe, area, other), area, target)
        places.append(place)
        changed = changed.change_all(added(changed, [("places", place)]), label="Match")[0]
    after = compare(*(shown_lab(engine, changed, area) for area in (first, second)))
    return Match(tuple(places), before, after)


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


def _brought(engine: Engine, recipe: Recipe, mask: Rows[Section], area: Region, target: Array) -> Place:
    """A place with the light that brings the middle of an area to a colour L*, a*, b*: Newton's way, three numbers for
    three."""
    names = list(STEPS)
    values = np.zeros(len(names))
    base = Place(name="Matched", mask=mask, hold_chroma="off")
    ident = recipe.places.fresh_id()

    def seen(at: Array) -> Array:
        place = replaced(base, **dict(zip(names, (float(v) for v in at), strict=True)))
        under = recipe.change_all([(f"places.{ident}", place)], label="x")[0]
        return middle_of(shown_lab(engine, under, area))[0]

    limits = np.array([LIMITS[name] for name in names])
    now = seen(values)
    for _ in range(ROUNDS):
        if np.linalg.norm(target - now) < DONE_dE:
            break
        steps = np.array([STEPS[name] for name in names])
        slopes = np.stack([(seen(values + one) - now) / step for one, step in zip(np.diag(steps), steps, strict=True)])
        # in units of the steps, and held a little: where an area is white or black nothing moves it
        unit = (slopes * steps[:, None]).T
        move = np.linalg.solve(unit.T @ unit + 1e-3 * np.eye(3), unit.T @ (target - now)) * steps
        tried = np.clip(values + move, -limits, limits)
        reached = seen(tried)
        if np.linalg.norm(target - reached) > np.linalg.norm(target - now):
            tried = np.clip(values + move / 3.0, -limits, limits)
            reached = seen(tried)
            if np.linalg.norm(target - reached) >= np.linalg.norm(target - now):
                break
        values, now = tried, reached
    rounded = {name: round(float(value), DIGITS[name]) for name, value in zip(names, values, strict=True)}
    return replaced(base, **rounded)
