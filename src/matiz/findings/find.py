"""All findings of a picture, the one that changes it most first."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from ..colour.difference import delta_E_2000
from ..colour.spaces import sRGB_to_Lab
from ..develop.frame.tiles import deepest
from ..develop.graph.engine import Engine
from ..errors import RecipeError
from ..measure.picture import PictureReading
from ..recipe.model import Recipe
from .attention import pulls_the_eye, subject_not_held
from .border import bright_at_border
from .colour import better_grey, cast_on_subject, out_of_gamut, over_saturated, spots_on_skin, two_hues, uneven_skin
from .contrast import crushed, end_gap, even_out, flat, middle_moved
from .detail import halos, noisy, over_smoothed, sharpens_noise, sharpens_skin, sharpens_sky, smeared, soft
from .finish import fall_off_noticed, glow_greys, signature_lost
from .light import balance_differs, grey_card, second_light, two_lights
from .mend import converging, dusty, fringes, lens_known, tilted
from .merged import frame_missing, moved_while_merged
from .model import Finding
from .people import uneven_faces
from .places import bands, drained, halo, hard_edge, idle_place, leaks, lost_ends
from .retouch import noise_differs, seen_twice
from .tone import clipped, lifted_past_noise, lifted_past_steps, under_exposed, uneven

JUDGES = (
    tilted, converging, moved_while_merged, frame_missing, dusty, seen_twice, noise_differs, bright_at_border,
    fringes, lens_known,
    grey_card, balance_differs, two_lights, second_light, under_exposed, clipped, lifted_past_noise,
    lifted_past_steps, flat, crushed, end_gap, even_out, middle_moved, uneven, out_of_gamut, over_saturated,
    uneven_skin, spots_on_skin, two_hues, better_grey, cast_on_subject, idle_place, hard_edge, bands, leaks, halo,
    lost_ends, drained, uneven_faces, pulls_the_eye, subject_not_held, noisy, sharpens_noise, sharpens_skin,
    sharpens_sky, halos, over_smoothed, soft, smeared, fall_off_noticed, glow_greys, signature_lost,
)  # fmt: skip
"""Every judge that Matiz has."""

MOST_PIXELS = 20_000


def find(engine: Engine, reading: PictureReading, recipe: Recipe) -> list[Finding]:
    """Every finding of every station that is not left out, sorted by gain."""
    return ranked(with_gains(engine, recipe, judged(reading, recipe)))


def judged(reading: PictureReading, recipe: Recipe) -> list[Finding]:
    """What the judges say whose readings are there, in their order; how much each gains is not known yet."""
    found = [finding for judge in JUDGES if reading.has(judge.needs) for finding in judge(reading, recipe)]
    return [finding for finding in found if recipe.is_active(finding.station)]


def with_gains(engine: Engine, recipe: Recipe, findings: Iterable[Finding]) -> list[Finding]:
    """The findings with how much each fix changes the picture."""
    findings = list(findings)
    if not any(finding.has_fix for finding in findings):
        return findings
    now = _small_Lab(engine, recipe)
    return [replace(finding, gain=_gain(engine, recipe, finding, now)) for finding in findings]


def ranked(findings: Iterable[Finding]) -> list[Finding]:
    return sorted(findings, key=lambda finding: -finding.gain)


def fixed(recipe: Recipe, finding: Finding) -> Recipe:
    """The recipe with a finding's fix done."""
    if not finding.has_fix:
        raise RecipeError(f"{finding.id}: this finding has no fix")
    return recipe.change_all(finding.settings(recipe), label=finding.fix_label)[0]


def _gain(engine: Engine, recipe: Recipe, finding: Finding, now: np.ndarray) -> float:
    if not finding.has_fix:
        return 0.0
    if finding.fills:
        return finding.certainty  # what is filled is filled at full size: too slow for a guess
    after = _small_Lab(engine, fixed(recipe, finding))
    if after.shape != now.shape:
        return finding.certainty  # the picture itself has another size then
    return float(delta_E_2000(now, after).mean()) * finding.certainty


def _small_Lab(engine: Engine, recipe: Recipe) -> np.ndarray:
    pixels = engine.render(recipe, deepest(engine.size(recipe)), result="small display").reshape(-1, 3)
    sample = pixels[:: max(1, len(pixels) // MOST_PIXELS)]
    return sRGB_to_Lab(sample)
