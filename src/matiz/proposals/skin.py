"""The skin that was picked: its hue and chroma at three lightnesses, as a reference to even out toward."""

from itertools import pairwise

import numpy as np

from ..colour.spaces import sRGB_to_Lab
from ..develop.graph.engine import Engine
from ..errors import ArgumentError
from ..recipe.model import Recipe

ABOUT = 0.12
"""Of the long side: how far around the pick skin is looked for."""
ALIKE = 14.0
"""How far its a* and b* may be off those of the pick."""
LEAST_PX = 12
LOW, HIGH = 12.0, 96.0
HUES = (10.0, 95.0)
"""Degrees of CIELAB hue that skin lies well within, from sunburnt to sallow. Common practice, no source."""
NARROW = 6.0
"""L* that the three lightnesses part by at least."""
LONG_SIDE = 700


def reference_of(engine: Engine, recipe: Recipe, x: float, y: float) -> tuple[float, ...]:
    """L*, a*, b* of the darks, the middles and the lights of skin about a place, px of the full-size picture, as it is
    shown without any evening out. Raises ArgumentError where nothing like skin is there."""
    plain = recipe.applied([("colour.skin.evenness_percent", 0.0), ("colour.black_and_white", "off")])
    level = engine.level_for(plain, LONG_SIDE)
    Lab = sRGB_to_Lab(engine.render(plain, level, result="small display"))
    height, width = Lab.shape[:2]
    column, row = min(int(x / 2**level), width - 1), min(int(y / 2**level), height - 1)
    spot = Lab[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3].reshape(-1, 3)
    picked = np.median(spot, axis=0)
    hue = float(np.degrees(np.arctan2(picked[2], picked[1])) % 360.0)
    if not HUES[0] < hue < HUES[1] or picked[0] < LOW:
        raise ArgumentError(f"no skin has a hue of {hue:.0f}° at L* {picked[0]:.0f}: pick a cheek or a forehead")
    rows, columns = np.mgrid[0:height, 0:width]
    near = np.hypot(rows - row, columns - column) < ABOUT * max(height, width)
    alike = np.hypot(*(np.moveaxis(Lab[..., 1:], -1, 0) - picked[1:, None, None])) < ALIKE
    own = Lab[near & alike & (Lab[..., 0] > LOW) & (Lab[..., 0] < HIGH)]
    if len(own) < LEAST_PX:
        raise ArgumentError("too little of that colour: pick skin, not a highlight or a shadow")
    ends = np.quantile(own[:, 0], (0.1, 0.37, 0.63, 0.9))
    out: list[float] = []
    for low, high in pairwise(ends):
        part = own[(own[:, 0] >= low) & (own[:, 0] <= high)]
        out += [round(float(v), 2) for v in np.median(part if len(part) else own, axis=0)]
    # a lightness of its own for each, even on skin that is lit evenly
    out[0], out[6] = min(out[0], out[3] - NARROW), max(out[6], out[3] + NARROW)
    return tuple(out)
