"""Findings about detail: noise that shows, noise that is sharpened, halos, texture that went with the noise."""

from collections.abc import Iterator

from ..measure.noise import NoiseReading
from ..measure.picture import PictureReading
from ..measure.tone import ToneReading
from ..recipe.model import Recipe
from ..wording import number, percent
from .model import Finding, needs

WANTED_dB = 26.0
"""Signal over noise from which on nobody minds the noise. Common practice, no source."""
ZONES = range(2, 8)
"""Zones whose noise is seen: darker ones are too dark, lighter ones have little."""
LEAST_SHARE = 0.02
"""Of the picture in a zone for it to count."""
LEAST_STRENGTH, MOST_STRENGTH = 15.0, 90.0
COLOUR_MORE = 25.0
"""Percent by which more colour noise is taken out than lightness noise: it is uglier and hides less detail."""
LEAST_KEPT = 0.75
MOST_HALO_L = 3.0
GENTLER = 0.75
SOFT_PX, MOST_RESCUED_PX = 1.25, 2.5
"""Spread of the sharpest edges from which on a picture is soft, and to which it can be made sharper."""
LEAST_EDGES = 60
"""That have told it."""


def noisiest(noise: NoiseReading, tone: ToneReading, recipe: Recipe) -> tuple[float, int] | None:
    """The least signal over noise of all zones that are seen, dB, and which it is; None where nothing is known. What
    the ladder lifts has that much more noise to be seen."""
    told = []
    for zone in ZONES:
        dB = noise.zones_dB[zone]
        if dB is not None and tone.zones[zone] >= LEAST_SHARE:
            # a photosite's noise at what is shown: a lift of a stop shows as much as half the signal would
            told.append((dB - 3.01 * max(recipe.tone.zones_EV[zone], 0.0), zone))
    return min(told) if told else None


def wanted(noise: NoiseReading, tone: ToneReading, recipe: Recipe) -> tuple[tuple[str, float], ...] | None:
    """Settings that take out as much noise as gives the noisiest zone WANTED_dB; None where little of it would go."""
    least = noisiest(noise, tone, recipe)
    if least is None:
        return None
    strength = min(100.0 * (1.0 - 10.0 ** ((least[0] - WANTED_dB) / 20.0)), MOST_STRENGTH)
    if strength < LEAST_STRENGTH:
        return None
    colour = min(round(strength) + COLOUR_MORE, 100.0)
    return ("detail.noise.strength_percent", float(round(strength))), ("detail.noise.colour_percent", float(colour))


@needs("noise", "tone")
def noisy(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Noise shows in a zone that is seen, and less is taken out than that wants."""
    if reading.noise is None:
        return
    fix, least = wanted(reading.noise, reading.tone, recipe), noisiest(reading.noise, reading.tone, recipe)
    own = recipe.detail.noise
    if fix is None or least is None or own.strength_percent > 0.0 or own.colour_percent > 0.0:
        return
    dB, zone = least
    yield Finding(
        id="detail.noisy",
        station="detail",
        claim=f"Noise shows: in zone {zone} the signal is only {number(dB, 0, 'dB')} over it",
        evidence={"zone": zone, "signal_dB": round(dB, 1), "wanted_dB": WANTED_dB},
        fix=fix,
        fix_label=f"Take {number(fix[0][1], 0, '%')} of it out",
        certainty=0.9 if reading.noise.noise.source != "ISO" else 0.5,
    )


@needs("noise", "tone")
def sharpens_noise(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Sharpening acts on noise too."""
    sharpen = recipe.detail.sharpen
    if sharpen.gate == "on" or not sharpen.amount_percent or reading.noise is None:
        return
    least = noisiest(reading.noise, reading.tone, recipe)
    if least is not None and least[0] < WANTED_dB:
        yield Finding(
            id="detail.sharpens_noise",
            station="detail",
            claim="Sharpening acts on noise too",
            evidence={"least_dB": round(least[0], 1)},
            fix=(("detail.sharpen.gate", "on"),),
            fix_label="Sharpen only what rises above it",
            certainty=0.8,
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
        fix_label=f"Hold them to {number(MOST_HALO_L, 0)} L*",
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
        fix_label=f"Take {number(gentler, 0, '%')} of the noise out instead",
        certainty=0.6,
    )


@needs("blur")
def soft(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The sharpest edges are spread: by as much as can be taken back, or by more."""
    told = reading.blur
    spread = told.blur_px
    if spread is None or spread < SOFT_PX or told.edges < LEAST_EDGES or recipe.detail.deblur.blur_px > 0.0:
        return
    evidence: dict[str, float | str] = {"blur_px": round(spread, 2), "edges": told.edges}
    if spread > MOST_RESCUED_PX:
        yield Finding(
            id="detail.out_of_focus",
            station="detail",
            claim=f"Nothing is sharp: edges spread over {number(spread, 1, 'px')} or more, too much to be taken back",
            evidence=evidence,
            certainty=0.5,
        )
    else:
        back = round(spread, 1)
        yield Finding(
            id="detail.soft",
            station="detail",
            claim=f"The sharpest edges spread over {number(spread, 1, 'px')}: the picture is a little soft",
            evidence=evidence,
            fix=(("detail.deblur.blur_px", back),),
            fix_label=f"Take a blur of {number(back, 1, 'px')} back",
            certainty=0.4,
        )
