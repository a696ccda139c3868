"""Findings about the range of tones: whether it is filled, and what contrast does to it."""

from collections.abc import Iterator
from typing import Any

import numpy as np

from ..colour.spaces import luminance
from ..develop.stages.rendition import NO_BLACK_EV, SIGMOIDS, STRAIGHT, curve, scene_value, through
from ..kernels.units import MIDDLE_GREY
from ..measure.picture import PictureReading
from ..measure.tone.tone import crushed_share
from ..recipe.leaves import Points
from ..recipe.model import Recipe
from ..wording import EV, number, percent
from .model import Finding, needs
from .tone import LEFT_GAP_EV, under_exposed

LEAST_RANGE_L, SPREAD_L = 45.0, 60.0
DARK_L = 20.0
"""A picture that is darker all over is under-exposed, not flat."""
LEAST_EVEN_EV, FILLED_L = 0.4, 58.0
DIFFUSE_WHITE_EV = float(np.log2(1.0 / MIDDLE_GREY))
"""From middle grey."""
LEAST_CRUSHED = 0.12
LEAST_MOVED_L = 3.0
DARKEST_SHARE, LEAST_DARKEST_L, KEPT_L = 0.005, 18.0, 4.0


@needs("tone")
def flat(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The picture uses little of the tonal range, and its curve does not help."""
    ends = _used_range(reading)
    low, high = (100.0 * float(curve(recipe.tone.curve.lightness, end / 100.0)) for end in ends)
    if high - low >= LEAST_RANGE_L or ends[1] < DARK_L:
        return
    yield Finding(
        id="tone.flat",
        station="tone",
        claim=f"Flat: {percent(0.96, 0)} of the picture lies within {number(high - low, 0, 'L*')}",
        evidence={"from_L": round(low, 1), "to_L": round(high, 1)},
        fix=(("tone.curve.lightness", _spread(*ends)),),
        fix_label=f"A curve that spreads them over {number(SPREAD_L, 0, 'L*')}",
        certainty=0.6,
    )


def _used_range(reading: PictureReading) -> tuple[float, float]:
    """Display lightness of the darkest and the brightest 2 % before the curve."""
    shares = np.cumsum(reading.tone.distribution)
    low, high = (float(np.searchsorted(shares, q)) / len(shares) * 100.0 for q in (0.02, 0.98))
    return low, high


def _spread(low: float, high: float) -> Points:
    """A curve that spreads the lightness low..high over SPREAD_L, about their middle as far as there is room."""
    half = SPREAD_L / 200.0
    middle = min(max((low + high) / 200.0, half + 0.05), 0.95 - half)
    low = min(max(low / 100.0, 0.01), 0.98)
    ends = (low, min(max(high / 100.0, low + 0.01), 0.99))
    return ((0.0, 0.0), (round(ends[0], 4), round(middle - half, 4)), (round(ends[1], 4), round(middle + half, 4)),
            (1.0, 1.0))  # fmt: skip


@needs("tone")
def crushed(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The tone curve runs much of the picture together."""
    share = reading.tone.crushed
    if share < LEAST_CRUSHED:
        return
    left = next(k for k in range(9, -1, -1) if _crushed_at(k / 10.0, reading, recipe) < LEAST_CRUSHED)
    yield Finding(
        id="tone.crushed",
        station="tone",
        claim=f"The curve flattens detail in {percent(share)} of the picture",
        evidence={"share_%": round(100.0 * share, 2)},
        fix=(("tone.curve.lightness", _weakened(left / 10.0, recipe)),),
        fix_label=f"Keep {percent(left / 10.0, 0)} of the curve",
        certainty=0.8,
    )


def _weakened(share: float, recipe: Recipe) -> Points:
    """The tone curve with a share of its strength."""
    if share <= 0.0:
        return STRAIGHT
    return tuple((x, round(x + share * (y - x), 4)) for x, y in recipe.tone.curve.lightness)


def _crushed_at(share: float, reading: PictureReading, recipe: Recipe) -> float:
    return crushed_share(reading.tone.distribution, _weakened(share, recipe))


@needs("tone")
def end_gap(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Nothing in the picture comes near black."""
    shares = np.cumsum(reading.tone.distribution)
    darkest = float(np.searchsorted(shares, DARKEST_SHARE)) / len(shares) * 100.0
    if darkest < LEAST_DARKEST_L or recipe.tone.black_EV > NO_BLACK_EV:
        return
    # the scene value that is shown at that lightness becomes black, but for a little
    scene = scene_value(recipe.tone, float(luminance(max(darkest - KEPT_L, 1.0))))
    black_EV = float(np.log2(max(scene, 1e-6) / MIDDLE_GREY))
    if not -11.0 <= black_EV <= -2.0:
        return
    yield Finding(
        id="tone.end_gap",
        station="tone",
        claim=f"No black: the darkest {percent(DARKEST_SHARE)} begin at {number(darkest, 0, 'L*')}",
        evidence={"darkest_L": round(darkest, 1), "black_EV": round(black_EV, 2)},
        fix=(("tone.black_EV", round(black_EV, 2)),),
        fix_label=f"Black point at {EV(black_EV)}",
        certainty=0.6,
    )


@needs("tone", "range")
def even_out(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The ends of the picture do not meet black and white: the smallest set of changes that fills the range.

    The white point goes to the brightest 0.5 %, the black point to the darkest, and the middle stays.
    """
    tone = recipe.tone
    low, high = _used_range(reading)
    if tone.rendition not in SIGMOIDS or high - low > FILLED_L or under_exposed(reading, recipe):
        return
    own_EV = SIGMOIDS[tone.rendition].white_EV
    white_EV = min(max(DIFFUSE_WHITE_EV + reading.tone.high_EV + LEFT_GAP_EV - own_EV, -2.0), 3.0)
    if abs(white_EV - tone.white_EV) <= LEAST_EVEN_EV:
        return  # a missing black alone is a finding of its own
    fix: list[tuple[str, Any]] = [("tone.white_EV", round(white_EV, 2))]
    for dark in end_gap(reading, recipe):
        fix += dark.fix or ()
    names = {"tone.white_EV": "white point", "tone.black_EV": "black point"}
    told = " and ".join(f"{names[path]} {EV(value)}" for path, value in fix)
    yield Finding(
        id="tone.even_out",
        station="tone",
        claim=f"The tonal range is not used: {told} would fill it, the midtones stay",
        evidence={"brightest_EV": round(reading.tone.high_EV, 2), "middle_EV": round(reading.tone.middle_EV, 2)},
        fix=tuple(fix),
        fix_label="Even out",
        certainty=0.5,
    )


@needs("tone")
def middle_moved(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Contrast made the picture darker or lighter as a whole, which it was not meant to."""
    plain, before_curve, shown = reading.tone.middle_L
    moved = shown - plain
    points = recipe.tone.curve.lightness
    if abs(moved) < LEAST_MOVED_L or any(recipe.tone.zones_EV) or not _is_about_contrast(points):
        return
    held = through(points, before_curve / 100.0, plain / 100.0)
    if abs(100.0 * float(curve(held, before_curve / 100.0)) - plain) >= LEAST_MOVED_L:
        return  # the curve's ends leave no room
    yield Finding(
        id="tone.middle_moved",
        station="tone",
        claim=f"Contrast shifted the midtone by {number(moved, 0, 'L*', signed=True)}, from {number(plain, 0)} to "
        f"{number(shown, 0)}",
        evidence={"before_L": round(plain, 1), "after_L": round(shown, 1)},
        fix=(("tone.curve.lightness", held),),
        fix_label=f"Hold the midtone at {number(plain, 0, 'L*')} by a point on the curve",
        certainty=0.5,
    )


def _is_about_contrast(points: Points) -> bool:
    """Whether a curve steepens or flattens about middle grey. One that lifts or lowers it, or the picture by a
    single point, is meant to."""
    return len(points) != 3 and abs(float(curve(points, 0.5)) - 0.5) < 0.04
