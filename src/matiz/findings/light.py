"""Findings of the Light station."""

from collections.abc import Iterator

from ..measure.picture import PictureReading
from ..recipe.model import Recipe, manual_light
from ..recipe.places import Mapped, Place
from ..wording import duv, kelvin, number, percent
from .model import Finding, needs

LEAST_MIRED = 20.0
"""Common practice, no source: 10 mired are seen. But photographs measure 10 beside their own balance in the median."""
LEAST_DUV = 0.006
"""The measured one is off by 0.002 in the median."""
LEAST_CERTAINTY = 0.55
"""Of what is proposed: less sure, the measured light is shown on the instrument and nothing is said of it."""
CARD_MIRED, CARD_DUV = 4.0, 0.002
"""A card is exact: nearer to it than this there is nothing to say."""

LEAST_APART_MIRED = 150.0
LEAST_SECOND_SHARE = 0.1
SET_MIRED = 12.0
"""Within this the balance is that of a light."""


@needs("light", "balance", "card_at")
def grey_card(reading: PictureReading, _: Recipe) -> Iterator[Finding]:
    """A grey card lies in the picture, and the balance is not for its light."""
    card = reading.light.card
    if card is None:
        return
    balance, light = reading.balance, card.light
    if abs(balance.mired - light.mired) < CARD_MIRED and abs(balance.duv - light.duv) < CARD_DUV:
        return
    yield Finding(
        id="light.grey_card",
        station="light",
        claim=f"A grey card: its light is {kelvin(light.cct_K)}, the balance is for {kelvin(balance.cct_K)}",
        evidence={
            "share_%": round(100.0 * card.share, 2),
            "card_K": round(light.cct_K, 1),
            "card_duv": round(light.duv, 5),
            "set_K": round(balance.cct_K, 1),
            "set_duv": round(balance.duv, 5),
        },
        outlines=reading.card_at,
        fix=manual_light(light.cct_K, light.duv),
        fix_label=f"Balance for the card, {kelvin(light.cct_K)}",
        then="Ctrl+Shift+L copies this light to the pictures of the set.",
        certainty=light.certainty,
    )


@needs("light", "balance")
def two_lights(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Two lights fall on the picture, and it is balanced for neither of them, or for the lesser one."""
    lights = reading.light.lights
    if reading.light.card is not None:
        return  # the card was put there to say which
    if len(lights.found) < 2 or lights.apart_mired < LEAST_APART_MIRED or lights.found[1].share < LEAST_SECOND_SHARE:
        return
    first, second = lights.found
    if abs(reading.balance.mired - first.value.mired) < SET_MIRED:
        return
    yield Finding(
        id="light.two_lights",
        station="light",
        claim=(
            f"Two lights: {kelvin(first.value.cct_K)} on {percent(first.share, 0)} of the exposure and "
            f"{kelvin(second.value.cct_K)} on {percent(second.share, 0)}, "
            f"{number(lights.apart_mired, 0, 'mired')} apart"
        ),
        evidence={
            "first_K": round(first.value.cct_K, 1),
            "second_K": round(second.value.cct_K, 1),
            "apart_mired": round(lights.apart_mired, 1),
            "second_share_%": round(100.0 * second.share, 1),
            "set_K": round(reading.balance.cct_K, 1),
        },
        fix=manual_light(first.value.cct_K, first.value.duv),
        fix_label=f"Balance for the stronger, {kelvin(first.value.cct_K)}",
        then="" if recipe.light.greys else "Two greys, below the tapes, measures both lights where you click.",
        certainty=first.value.certainty,
    )


@needs("light", "balance", "second_light")
def second_light(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Two lights fall on the picture, it is balanced for the greater, and the other one is left as it is."""
    lights, place = reading.light.lights, reading.second_light
    if place is None or lights.apart_mired < LEAST_APART_MIRED or lights.found[1].share < LEAST_SECOND_SHARE:
        return
    first, second = lights.found
    if abs(reading.balance.mired - first.value.mired) >= SET_MIRED or _has_map(recipe):
        return
    how = "warmer" if second.value.mired > first.value.mired else "cooler"
    act = "Cool" if how == "warmer" else "Warm"
    yield Finding(
        id="light.second_light",
        station="light",
        claim=(
            f"The second light, {kelvin(second.value.cct_K)} on {percent(second.share, 0)} of the exposure, is "
            f"{number(lights.apart_mired, 0, 'mired')} {how} than the balance"
        ),
        evidence={
            "second_K": round(second.value.cct_K, 1),
            "second_share_%": round(100.0 * second.share, 1),
            "apart_mired": round(lights.apart_mired, 1),
            "correction_mired": place.warmer_mired,
            "correction_duv": place.greener_duv,
        },
        adds=(("places", place),),
        fix_label=f"{act} its area by {number(abs(place.warmer_mired), 0, 'mired')}",
        then="The place's mask is the map of that light; its strength sets how much of the mood stays.",
        certainty=min(first.value.certainty, second.value.certainty),
    )


def _has_map(recipe: Recipe) -> bool:
    """Whether a place follows a map of light already."""
    places = (place for place in recipe.places.values() if isinstance(place, Place))
    return any(isinstance(part, Mapped) for place in places for part in place.mask.values())


@needs("light", "balance")
def balance_differs(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The light that the recipe balances for is not the one measured in the picture."""
    measured, balance = reading.light.measured, reading.balance
    if measured is None or measured.certainty < LEAST_CERTAINTY:
        return
    if len(reading.light.lights.found) > 1 or reading.light.card is not None:
        return  # there is no one neutral, see two_lights; or a card knows it better
    off_mired = balance.mired - measured.mired
    off_duv = balance.duv - measured.duv
    if abs(off_mired) < LEAST_MIRED and abs(off_duv) < LEAST_DUV:
        return
    whose = "The camera’s light" if recipe.light.source == "as_shot" else "The light set"
    if abs(off_mired) >= LEAST_MIRED:
        how = "bluer" if off_mired < 0 else "redder"
        claim = (
            f"{whose}, {kelvin(balance.cct_K)}, is {number(abs(off_mired), 0, 'mired')} {how} "
            f"than the measured neutral, {kelvin(measured.cct_K)}"
        )
    else:
        how = "greener" if off_duv > 0 else "more magenta"
        claim = f"{whose} is {number(abs(off_duv), 4)} Duv {how} than the measured neutral"
    yield Finding(
        id="light.balance_differs",
        station="light",
        claim=claim,
        evidence={
            "set_K": round(balance.cct_K, 1),
            "set_duv": round(balance.duv, 5),
            "measured_K": round(measured.cct_K, 1),
            "measured_duv": round(measured.duv, 5),
            "difference_mired": round(off_mired, 1),
        },
        fix=manual_light(measured.cct_K, measured.duv),
        fix_label=f"Balance for {kelvin(measured.cct_K)}, Duv {duv(measured.duv)}",
        certainty=measured.certainty,
    )
