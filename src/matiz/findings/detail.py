"""Findings about detail: noise that shows, noise that is sharpened, halos, texture that went with the noise."""

import math
from collections.abc import Callable, Collection, Iterator, Mapping

from ..measure.detail.noise import NoiseReading
from ..measure.detail.sharpened import MOST_FACES
from ..measure.picture import PictureReading
from ..measure.places.places import PlaceReading
from ..measure.table.values import Outline
from ..measure.tone.tone import ToneReading
from ..recipe.model import Recipe
from ..recipe.places import MaskPart, Place, SkinOf, Sky
from ..recipe.tree import Rows
from ..wording import number, percent
from .model import Finding, needs

WANTED_dB = 26.0
"""Signal over noise from which on nobody minds the noise. Common practice, no source."""
ZONES = range(2, 8)
"""Zones whose noise is seen: darker ones are too dark, lighter ones have little."""
LEAST_SHARE = 0.02
"""Of the picture in a zone for it to count."""
LEAST_STRENGTH, MOST_STRENGTH = 15.0, 90.0
LEAST_MORE = 5.0
"""Percent of the noise that is left, from which on a place takes out more of it than the whole."""
STOP_dB = 3.01
"""By how much a stop of light lifts photon noise over what is seen of it."""
COLOUR_MORE = 25.0
"""Percent by which more colour noise is taken out than lightness noise: it is uglier and hides less detail."""
LEAST_KEPT = 0.75
MOST_HALO_L = 3.0
GENTLER = 0.75
SOFT_PX, MOST_RESCUED_PX = 1.25, 2.5
"""Spread of the sharpest edges from which on a picture is soft, and to which it can be made sharper."""
SMEAR_TAKEN = 0.9
"""Of what is measured of a smear."""
LEAST_EDGES = 60
"""That have told it."""
SHARPENED_L = 0.6
"""Mean change of L* on skin or in the sky from which on it is said. By eye, no source."""
MOST_TAKEN = 100.0
"""Percent that a place can take of the sharpening."""


PlaceReadings = Mapping[str, PlaceReading]


WHOLE = ""
"""Stands for the whole picture where places are told apart by their ids."""


def noisiest(noise: NoiseReading, tone: ToneReading, recipe: Recipe, places: PlaceReadings) -> tuple[float, int] | None:
    """The least signal over noise of all zones that are seen, dB, and which it is; None where nothing is known. What
    the ladder or a place lifts has that much more noise to be seen."""
    return min(least_of_all(noise, tone, recipe, places).values(), default=None)


def least_of_all(
    noise: NoiseReading, tone: ToneReading, recipe: Recipe, places: PlaceReadings
) -> dict[str, tuple[float, int]]:
    """The same of the whole, and of each place at work by its id, before any noise is taken out; what is not known is
    missing."""
    told = {}
    for ident, shown, holds in _shown(noise, recipe, places):
        seen = [(dB, zone) for zone in ZONES if (dB := shown[zone]) is not None]
        counted = [each for each in seen if tone.zones[each[1]] >= LEAST_SHARE and each[1] in holds]
        if counted:
            told[ident] = min(counted)
    return told


def _shown(
    noise: NoiseReading, recipe: Recipe, places: PlaceReadings
) -> Iterator[tuple[str, tuple[float | None, ...], Collection[int]]]:
    """Signal over noise of each zone as the whole shows it, and as each place does: its id, dB by zone before any noise
    is taken out, and the zones that it holds enough of."""
    for ident in (WHOLE, *places):
        own = places.get(ident)
        lift = 0.0 if own is None else max(own.inside_EV, 0.0)
        # a photosite's noise at what is shown: a lift of a stop shows as much as half the signal would
        shown = tuple(
            None if dB is None else dB - STOP_dB * (max(ladder, 0.0) + lift)
            for dB, ladder in zip(noise.zones_dB, recipe.tone.zones_EV, strict=True)
        )
        holds = [z for z in range(len(shown)) if own is None or own.coverage * own.zones[z] >= LEAST_SHARE]
        yield ident, shown, holds


def shown_dB(
    noise: NoiseReading, recipe: Recipe, places: PlaceReadings, left: Callable[[str], float] = lambda _: 1.0
) -> tuple[float | None, ...]:
    """Signal over noise of each zone as it is shown where that is least, dB. left: share of the noise that is left, in
    deviation, in the whole or in the place of an id."""
    least: list[float | None] = [None] * len(noise.zones_dB)
    for ident, shown, holds in _shown(noise, recipe, places):
        gained = -20.0 * math.log10(left(ident))
        for zone in holds:
            dB, known = shown[zone], least[zone]
            if dB is not None:
                least[zone] = dB + gained if known is None else min(known, dB + gained)
    return tuple(least)


def wanted(
    noise: NoiseReading, tone: ToneReading, recipe: Recipe, places: PlaceReadings
) -> tuple[tuple[str, float], ...] | None:
    """Settings that take out as much noise as gives the noisiest zone WANTED_dB, in the whole and in each place that
    lifts; None where little of it would go."""
    settings = brought_to(WANTED_dB, least_of_all(noise, tone, recipe, places), recipe)
    return settings if any(value >= LEAST_STRENGTH for _, value in settings) else None


def brought_to(
    wanted_dB: float, least: Mapping[str, tuple[float, int]], recipe: Recipe
) -> tuple[tuple[str, float], ...]:
    """Settings that bring what has the least signal over its noise to another one; what a place wants more than the
    whole is taken out there alone."""
    strength = _strength(wanted_dB, least[WHOLE][0]) if WHOLE in least else 0.0
    colour = min(strength + COLOUR_MORE, 100.0) if strength else 0.0
    settings = [("detail.noise.strength_percent", strength), ("detail.noise.colour_percent", colour)]
    for ident, place in recipe.places.items():
        if isinstance(place, Place) and ident in least and place.strength_percent:
            there = _strength(wanted_dB, least[ident][0])
            more = 100.0 - 100.0 * (100.0 - there) / (100.0 - strength)
            own = min(round(more * 100.0 / place.strength_percent), 100.0) if more >= LEAST_MORE else 0.0
            if own:
                settings.append((f"places.{ident}.denoise_percent", float(own)))
    return tuple(settings)


def _strength(wanted_dB: float, least_dB: float) -> float:
    """Percent of the noise to take out."""
    return float(round(min(max(100.0 * (1.0 - 10.0 ** ((least_dB - wanted_dB) / 20.0)), 0.0), MOST_STRENGTH)))


@needs("noise", "tone", "places")
def noisy(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Noise shows in a zone that is seen, and less is taken out than that wants."""
    if reading.noise is None:
        return
    known = reading.noise, reading.tone, recipe, reading.places
    fix, least = wanted(*known), noisiest(*known)
    own = recipe.detail.noise
    if fix is None or least is None or own.strength_percent > 0.0 or own.colour_percent > 0.0:
        return
    dB, zone = least
    yield Finding(
        id="detail.noisy",
        station="detail",
        claim=f"Visible noise: signal-to-noise is only {number(dB, 0, 'dB')} in zone {zone}",
        evidence={"zone": zone, "signal_dB": round(dB, 1), "wanted_dB": WANTED_dB},
        fix=fix,
        fix_label=_taken_out(fix),
        certainty=0.9 if reading.noise.noise.source != "ISO" else 0.5,
    )


def _taken_out(fix: tuple[tuple[str, float], ...]) -> str:
    (_, whole), _, *there = fix
    if not there:
        return f"Reduce noise by {number(whole, 0, '%')}"
    more = number(max(value for _, value in there), 0, "%")
    where = "where a place lifts" if len(there) == 1 else f"where {len(there)} places lift"
    if not whole:
        return f"Reduce it by {more} {where}"
    return f"Reduce noise by {number(whole, 0, '%')}, and by {more} of the rest {where}"


@needs("noise", "tone", "places")
def sharpens_noise(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Sharpening also sharpens noise."""
    sharpen = recipe.detail.sharpen
    if sharpen.gate == "on" or not sharpen.amount_percent or reading.noise is None:
        return
    least = noisiest(reading.noise, reading.tone, recipe, reading.places)
    if least is not None and least[0] < WANTED_dB:
        yield Finding(
            id="detail.sharpens_noise",
            station="detail",
            claim="Sharpening also sharpens noise",
            evidence={"least_dB": round(least[0], 1)},
            fix=(("detail.sharpen.gate", "on"),),
            fix_label="Sharpen only detail above the noise",
            certainty=0.8,
        )


@needs("sharpened", "faces")
def sharpens_skin(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Skin of faces is sharpened."""
    outlines = tuple(face.outline for face in reading.faces.faces[:MOST_FACES])
    yield from _not_there("skin", reading.sharpened.skin_L, SkinOf(), recipe, outlines)


@needs("sharpened")
def sharpens_sky(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The sky is sharpened."""
    yield from _not_there("sky", reading.sharpened.sky_L, Sky(), recipe, ())


def _not_there(
    what: str, change_L: float | None, part: MaskPart, recipe: Recipe, outlines: tuple[Outline, ...]
) -> Iterator[Finding]:
    name, taken = f"Less sharp {what}", min(recipe.detail.sharpen.amount_percent, MOST_TAKEN)
    is_made = any(isinstance(place, Place) and place.name == name for place in recipe.places.values())
    if change_L is None or change_L < SHARPENED_L or not taken or is_made:
        return
    place = Place(name=name, mask=Rows([("m1", part)]), sharpen_percent=-taken)
    yield Finding(
        id=f"detail.sharpens_{what}",
        station="detail",
        claim=f"Sharpening changes the {what} by {number(change_L, 1)} L* on average",
        evidence={"change_L": round(change_L, 2)},
        outlines=outlines,
        adds=(("places", place),),
        fix_label=f"Don't sharpen the {what}",
        then=f"The {what} is found automatically: check its mask in Places.",
        certainty=0.5,
    )


@needs("detail")
def halos(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Edges overshoot by sharpening."""
    told = reading.detail
    if told.halo_L <= MOST_HALO_L + 0.2 or recipe.detail.sharpen.halo_L <= MOST_HALO_L:
        return
    yield Finding(
        id="detail.halos",
        station="detail",
        claim=f"Sharpening leaves halos of {number(told.halo_L, 1)} L* along edges",
        evidence={"halo_L": round(told.halo_L, 1)},
        fix=(("detail.sharpen.halo_L", MOST_HALO_L),),
        fix_label=f"Limit them to {number(MOST_HALO_L, 0)} L*",
        certainty=0.8,
    )


@needs("detail")
def over_smoothed(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Texture went with the noise."""
    kept, strength = reading.detail.texture_kept, recipe.detail.noise.strength_percent
    if kept is None or kept >= LEAST_KEPT or not strength:
        return
    gentler = float(round(strength * GENTLER))
    yield Finding(
        id="detail.over_smoothed",
        station="detail",
        claim=f"Only {percent(kept, 0)} of the fine texture is left",
        evidence={"texture_kept_%": round(100.0 * kept)},
        fix=(("detail.noise.strength_percent", gentler),),
        fix_label=f"Lower noise reduction to {number(gentler, 0, '%')}",
        certainty=0.6,
    )


@needs("blur")
def soft(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The sharpest edges are spread: by as much as can be taken back, or by more."""
    told, back = reading.blur, recipe.detail.deblur
    spread = told.blur_px
    if spread is None or spread < SOFT_PX or told.edges < LEAST_EDGES or back.blur_px or back.smear_px or told.smear:
        return
    evidence: dict[str, float | str] = {"blur_px": round(spread, 2), "edges": told.edges}
    if spread > MOST_RESCUED_PX:
        yield Finding(
            id="detail.out_of_focus",
            station="detail",
            claim=f"Nothing is sharp: edges spread over {number(spread, 1, 'px')} or more, too much to sharpen",
            evidence=evidence,
            certainty=0.5,
        )
    else:
        taken = round(spread, 1)
        yield Finding(
            id="detail.soft",
            station="detail",
            claim=f"The sharpest edges spread over {number(spread, 1, 'px')}: the picture is a little soft",
            evidence=evidence,
            fix=(("detail.deblur.blur_px", taken),),
            fix_label=f"Remove a blur of {number(taken, 1, 'px')}",
            certainty=0.4,
        )


@needs("blur")
def smeared(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """All edges across one way are spread, as by a hand that shook."""
    smear, back = reading.blur.smear, recipe.detail.deblur
    if smear is None or back.blur_px or back.smear_px:
        return
    said = f"Motion blur of {number(smear.went_px, 0, 'px')} in the direction of {number(smear.along_deg, 0, '°')}"
    evidence: dict[str, float | str] = {"smear_px": round(smear.went_px, 1), "along_deg": round(smear.along_deg)}
    if smear.spread_px > MOST_RESCUED_PX:
        yield Finding(
            id="detail.smeared_far",
            station="detail",
            claim=f"{said}: too much to remove",
            evidence=evidence,
            certainty=0.5,
        )
        return
    # more than there was draws every edge twice
    taken, across = round(SMEAR_TAKEN * smear.spread_px, 1), reading.blur.blur_px or 0.0
    fix = [("detail.deblur.smear_px", taken), ("detail.deblur.smear_deg", float(round(smear.along_deg)))]
    if across >= SOFT_PX:
        fix.append(("detail.deblur.blur_px", min(round(across, 1), MOST_RESCUED_PX)))
    yield Finding(
        id="detail.smeared",
        station="detail",
        claim=f"{said}, as from camera shake",
        evidence=evidence,
        fix=tuple(fix),
        fix_label="Remove it",
        certainty=0.4,
    )
