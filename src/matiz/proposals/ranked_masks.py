"""Which mask parts one thing from another best: every candidate is tried on two places of the picture.

How well two sets of values are told apart is the distance of their means over their mean spread, d' of signal detection
(Green and Swets, "Signal detection theory and psychophysics", 1966).
"""

from dataclasses import dataclass

import numpy as np

from ..develop.frame.tiles import level_for
from ..develop.graph.engine import Engine
from ..develop.graph.graph import mask
from ..develop.places.weighing import Masked
from ..masks.view import Point
from ..recipe.model import Recipe
from ..recipe.places import CHANNELS, Bright, Colour, Dim, MaskPart, Middle, Muted, Saturated
from ..recipe.tree import Rows

LOOKED_AT_PX = 1400
"""Least long side of the picture that is looked at."""
AROUND = 0.012
"""Of the long side: how far around a place counts."""
EXPONENTS = (1.0, 2.0, 4.0)
LEAST_HELD, LEAST_APART = 0.3, 0.15
"""Of the mask where it is meant, and of its distance to where it is not: with less it is of no use."""
LEAST_SPREAD = 0.02
"""Of a mask's values: less is not seen, and would make a difference of nothing look large."""
MOST = 12


@dataclass(frozen=True)
class RankedMask:
    """A candidate, how well it parts the two places, and its mean in either."""

    part: MaskPart
    d_prime: float
    meant: float
    not_meant: float


def ranked_masks(engine: Engine, recipe: Recipe, meant: Point, not_meant: Point) -> list[RankedMask]:
    """The MOST best of bright, dim and middle of every channel, and of colours, best first; none where nothing parts
    them.

    meant, not_meant: places of the frame, in units of its long side.
    """
    level = level_for(engine.size(recipe), LOOKED_AT_PX)
    parts = candidates(meant)
    # all of them at once: what they look at is made once, and nothing of it is kept
    node = mask(*(Masked(Rows([("p1", part)])) for part in parts))
    here, there = (
        engine.peek(recipe, level, _around(engine, recipe, level, place), result=node) for place in (meant, not_meant)
    )
    found = []
    for n, part in enumerate(parts):
        ours, theirs = here[..., n], there[..., n]
        apart = float(ours.mean() - theirs.mean())
        spread = max(float(np.sqrt((ours.var() + theirs.var()) / 2.0)), LEAST_SPREAD)
        if ours.mean() >= LEAST_HELD and apart >= LEAST_APART:
            found.append(RankedMask(part, apart / spread, float(ours.mean()), float(theirs.mean())))
    return sorted(found, key=lambda each: -each.d_prime)[:MOST]


def candidates(meant: Point) -> list[MaskPart]:
    """Everything that is tried."""
    tones: list[MaskPart] = [
        kind(exponent=exponent, channel=channel)
        for channel in CHANNELS for kind in (Bright, Dim, Middle) for exponent in EXPONENTS
    ]  # fmt: skip
    colours: list[MaskPart] = [Colour(picks=(meant,), hue_deg=hue) for hue in (15.0, 30.0)]
    chromas: list[MaskPart] = [kind(chroma=chroma) for kind in (Saturated, Muted) for chroma in (15.0, 30.0)]
    return [*tones, *colours, *chromas]


def _around(engine: Engine, recipe: Recipe, level: int, place: Point) -> tuple[int, int, int, int]:
    mapping = engine.mapping(recipe)
    long_side = max(mapping.frame_size)
    x, y = mapping.to_picture([np.array(place) * long_side - 0.5])[0] / 2.0**level
    width, height = mapping.size_at(level)
    reach = max(2, round(AROUND * long_side / 2.0**level))
    left, top = (int(np.clip(round(v) - reach, 0, max(n - 2 * reach, 0))) for v, n in ((x, width), (y, height)))
    return left, top, min(2 * reach, width), min(2 * reach, height)
