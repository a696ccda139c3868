"""All findings of a picture, the one that changes it most first."""

from dataclasses import replace

import numpy as np

from ..colour.difference import delta_E_2000
from ..colour.spaces import sRGB_to_Lab
from ..develop.engine import Engine
from ..errors import RecipeError
from ..measure.picture import PictureReading
from ..raw.sensor import LEVELS
from ..recipe.model import Recipe
from .contrast import crushed, end_gap, even_out, flat, middle_moved
from .light import balance_differs, grey_card, two_lights
from .mend import fringes, lens_known
from .model import Finding
from .tone import clipped, lifted_past_noise, lifted_past_steps, under_exposed, uneven

JUDGES = (
    fringes, lens_known, grey_card, balance_differs, two_lights, under_exposed, clipped, lifted_past_noise,
    lifted_past_steps, flat, crushed, end_gap, even_out, middle_moved, uneven,
)  # fmt: skip
"""Every finding that Matiz knows: readings and recipe in, Finding or None out."""

MOST_PIXELS = 20_000


def find(engine: Engine, reading: PictureReading, recipe: Recipe) -> list[Finding]:
    """Every finding of every station that is not left out, sorted by gain."""
    found = [f for judge in JUDGES if (f := judge(reading, recipe)) and recipe.is_active(f.station)]
    if not found:
        return []
    now = _small_Lab(engine, recipe)
    ranked = [replace(f, gain=_gain(engine, recipe, f, now)) for f in found]
    return sorted(ranked, key=lambda f: -f.gain)


def fixed(recipe: Recipe, finding: Finding) -> Recipe:
    """The recipe with a finding's fix done."""
    if not finding.fix:
        raise RecipeError(f"{finding.id}: this finding has no fix")
    return recipe.change_all(finding.fix, label=finding.fix_label)[0]


def _gain(engine: Engine, recipe: Recipe, finding: Finding, now: np.ndarray) -> float:
    if not finding.fix:
        return 0.0
    after = _small_Lab(engine, fixed(recipe, finding))
    return float(delta_E_2000(now, after).mean()) * finding.certainty


def _small_Lab(engine: Engine, recipe: Recipe) -> np.ndarray:
    pixels = engine.render(recipe, LEVELS - 1, result="display").reshape(-1, 3)
    sample = pixels[:: max(1, len(pixels) // MOST_PIXELS)]
    return sRGB_to_Lab(sample)
