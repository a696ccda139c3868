"""Findings about repairs that give themselves away."""

from collections.abc import Iterator

from ..measure.mend.retouch import SEEN_TWICE
from ..measure.picture import PictureReading
from ..recipe.model import Recipe
from ..wording import number
from .model import Finding, needs

LEAST_NOISE, MOST_NOISE = 0.45, 1.9
"""Of a repair's surroundings: what is healed from a proposed source lies within in nine of ten (`./dev bench mend`)."""


@needs("retouch")
def seen_twice(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A repair shows something that is seen near by too."""
    for each in reading.retouch:
        if each.repeated <= SEEN_TWICE or each.other is None:
            continue
        path = f"mend.repairs.{each.ident}"
        yield Finding(
            id="mend.seen_twice",
            station="mend",
            claim=f"Repair {_nth(recipe, each.ident)} repeats something, {number(each.away_px, 0, 'px')} apart",
            evidence={"stands_out_times": round(each.repeated, 1), "apart_px": round(each.away_px)},
            outlines=(each.outline,),
            fix=((f"{path}.dx", each.other[0]), (f"{path}.dy", each.other[1])),
            fix_label="Choose another source",
            subject=each.ident,
            certainty=0.6,
        )


@needs("retouch")
def noise_differs(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A repair is smoother or noisier than what lies round it."""
    for each in reading.retouch:
        if each.noise is None or LEAST_NOISE <= each.noise <= MOST_NOISE:
            continue
        yield Finding(
            id="mend.noise_differs",
            station="mend",
            claim=f"Repair {_nth(recipe, each.ident)} has {number(each.noise, 1)} times the noise of its surroundings",
            evidence={"noise_times": round(each.noise, 2)},
            outlines=(each.outline,),
            subject=each.ident,
            certainty=0.6,
        )


def _nth(recipe: Recipe, ident: str) -> int:
    order = recipe.mend.repairs.order
    return order.index(ident) + 1 if ident in order else 0
