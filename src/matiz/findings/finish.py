"""Findings about the last touches: a fall-off that is noticed, a glow that greys blacks, a signature that is lost."""

from collections.abc import Iterator

from ..measure.finish.finish import SHARE
from ..measure.picture import PictureReading
from ..recipe.model import Recipe
from ..wording import number, percent
from .model import Finding, needs

LEAST_LIFT_L = 0.5
BUSY_L, LEAST_CONTRAST_L = 12.0, 25.0
"""Of what a signature stands on, and between it and that. Common practice, no source."""
LEAST_DEPTH_EV = 0.1


@needs("finish")
def fall_off_noticed(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The darkened edges are seen as such, across even areas."""
    told, own = reading.finish, recipe.finish.fall_off
    if told.fall_off_noticed is None or told.fall_off_noticed <= SHARE:
        return
    gentler = round(own.depth_EV * told.fall_off_most * 20.0) / 20.0
    fix = (("finish.fall_off.depth_EV", gentler),) if LEAST_DEPTH_EV <= gentler < own.depth_EV else None
    yield Finding(
        id="finish.fall_off_noticed",
        station="finish",
        claim=f"The fall-off is noticeable in {percent(told.fall_off_noticed, 0)} of the even areas",
        evidence={"noticed_%": round(100.0 * told.fall_off_noticed), "depth_EV": own.depth_EV},
        fix=fix,
        fix_label=f"{number(gentler, 2, 'EV')} deep: just below noticeable" if fix else "",
        certainty=0.6,
    )


@needs("finish")
def glow_greys(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The glow makes blacks lighter."""
    lift, own = reading.finish.black_lift_L, recipe.finish.glow
    if lift <= LEAST_LIFT_L:
        return
    gentler = float(int(own.amount_percent * LEAST_LIFT_L / lift))
    yield Finding(
        id="finish.glow_greys",
        station="finish",
        claim=f"The glow makes the blacks {number(lift, 1)} L* lighter",
        evidence={"lift_L": round(lift, 2)},
        fix=(("finish.glow.amount_percent", gentler),),
        fix_label=f"Glow at {number(gentler, 0, '%')}",
        certainty=0.7,
    )


@needs("finish")
def signature_lost(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The signature stands on a busy spot, or on one as light as it is."""
    told, own = reading.finish, recipe.finish.signature
    if told.signature_busy_L is None or told.signature_contrast_L is None:
        return
    if told.signature_busy_L <= BUSY_L and told.signature_contrast_L >= LEAST_CONTRAST_L:
        return
    is_busy = told.signature_busy_L > BUSY_L
    what = (
        f"stands on a busy area (L* varies by {number(told.signature_busy_L, 0)})"
        if is_busy
        else f"is hard to see (it stands out by {number(told.signature_contrast_L, 0)} L*)"
    )
    fix = (("finish.signature.corner", told.calm_corner), ("finish.signature.tone", told.calm_tone))
    is_there = told.calm_corner == own.corner and told.calm_tone == own.tone
    yield Finding(
        id="finish.signature_lost",
        station="finish",
        claim=f"The signature {what}",
        evidence={"busy_L": round(told.signature_busy_L, 1), "contrast_L": round(told.signature_contrast_L, 1)},
        fix=None if is_there else fix,
        fix_label=""
        if is_there
        else f"{told.calm_corner.replace('_', ' ').capitalize()} corner, {told.calm_tone} letters",
        certainty=0.8,
    )
