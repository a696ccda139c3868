"""Findings about what the eye is drawn to: a place that pulls it from the subject, a subject that does not hold it."""

import math
from collections.abc import Iterator

from ..measure.picture import PictureReading
from ..measure.places.attention import AttentionPull
from ..recipe.model import Recipe
from ..recipe.places import Background, Ellipse, Place, Subject
from ..recipe.toning import Contrast
from ..recipe.tree import Rows, Section
from ..wording import EV, number, percent
from .model import Finding, needs

LEAST_PULL, LIGHTER_L = 0.035, 12.0
"""Share of all attention, and how much lighter than its surroundings, from which a place is worth holding back."""
HALF = 0.5
"""Of how much lighter it is, what is taken."""
LEAST_EV, MOST_EV = 0.17, 1.0
HELD = 1.15
"""Times its share of the picture that a subject holds of attention at least, for nothing to be said."""
SMALL = 0.7
"""Share of the picture from which on the subject is the picture."""
AROUND = 1.25
LIFT_EV, LIFT_MIRED, LIFT_FINE_dB = 0.17, 6.0, 1.0
"""Of a subject that is lifted; its background takes as much away. Common practice, no source: what a colleague would
not notice."""
SOFTER_dB = -2.0
LIFTED = ("Subject lifted", "Background held back")


def lifted() -> tuple[tuple[str, Section], ...]:
    """Two places to be added: the subject warmed, lightened and crisped by small amounts, the background the inverse.
    Their strength, 0..200 %, is that of the lift."""
    out = []
    for name, part, sign in zip(LIFTED, (Subject(), Background()), (1.0, -1.0), strict=True):
        place = Place(
            name=name, mask=Rows([("m1", part)]), exposure_EV=sign * LIFT_EV, warmer_mired=sign * LIFT_MIRED,
            contrast=Contrast(fine_dB=sign * LIFT_FINE_dB),
        )  # fmt: skip
        out.append(("places", place))
    return tuple(out)


def softened_background() -> tuple[tuple[str, Section], ...]:
    """A place to be added: less contrast of detail in the background."""
    contrast = Contrast(fine_dB=SOFTER_dB, middle_dB=SOFTER_dB / 2.0)
    return (("places", Place(name="Background softened", mask=Rows([("m1", Background())]), contrast=contrast)),)


@needs("attention")
def pulls_the_eye(reading: PictureReading, _: Recipe) -> Iterator[Finding]:
    """Something light outside the subject draws the eye."""
    told = reading.attention
    if told.subject is None:
        return
    for pull in told.pulls[:1]:
        if pull.share < LEAST_PULL or pull.lighter_L < LIGHTER_L or pull.why == "face":
            continue
        place = held_back(pull)
        yield Finding(
            id="places.pull",
            station="places",
            claim=f"A place beside the subject holds {percent(pull.share, 0)} of the attention: it is "
            f"{number(pull.lighter_L, 0)} L* lighter than its surroundings",
            evidence={"share_%": round(100.0 * pull.share, 1), "lighter_L": round(pull.lighter_L, 1)},
            outlines=(_round(pull),),
            adds=(("places", place),),
            fix_label=f"Darken it by {EV(-place.exposure_EV, signed=False)}",
            certainty=0.5,
        )


@needs("attention")
def subject_not_held(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The subject draws the eye less than its size alone would."""
    told = reading.attention
    is_lifted = any(isinstance(place, Place) and place.name in LIFTED for place in recipe.places.values())
    if told.subject is None or told.subject_area is None or is_lifted:
        return
    if not 0.0 < told.subject_area < SMALL or told.subject >= HELD * told.subject_area:
        return
    yield Finding(
        id="places.subject_not_held",
        station="places",
        claim=f"The subject fills {percent(told.subject_area, 0)} of the picture and holds only "
        f"{percent(told.subject, 0)} of the attention",
        evidence={"attention_%": round(100.0 * told.subject, 1), "area_%": round(100.0 * told.subject_area, 1)},
        adds=lifted(),
        fix_label="Lift the subject a little",
        certainty=0.4,
    )


def _stops(pull: AttentionPull) -> float:
    """What takes half of how much lighter it is, in EV of shown luminance; at least LEAST_EV."""
    before, after = (((max(L, 8.0) + 16.0) / 116.0) ** 3 for L in (pull.L, pull.L - HALF * pull.lighter_L))
    return -round(min(max(math.log2(before / after), LEAST_EV), MOST_EV), 2)


def held_back(pull: AttentionPull) -> Place:
    """A place that darkens a pull by half of how much lighter it is: an ellipse over it, without the subject."""
    x, y, r = pull.held
    across = round(2.0 * AROUND * r, 4)
    over = Ellipse(x=round(x, 4), y=round(y, 4), w=across, h=across, soft_percent=80.0)
    parts: Rows[Section] = Rows([("m1", over), ("m2", Subject(join="subtract"))])
    return Place(name="Pull held back", mask=parts, exposure_EV=_stops(pull))


def _round(pull: AttentionPull) -> tuple[tuple[float, float], ...]:
    turns = [2.0 * math.pi * n / 16 for n in range(16)]
    return tuple((pull.x + pull.r * math.cos(t), pull.y + pull.r * math.sin(t)) for t in turns)
