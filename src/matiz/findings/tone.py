"""Findings about exposure: too little light, too much, noise and steps that a lift shows, light that falls off."""

from collections.abc import Iterator

import numpy as np

from ..colour.spaces import decode_sRGB, encode_sRGB
from ..develop.stages.rendition import scene_value, shown_value
from ..measure.detail.noise import LEAST_dB
from ..measure.picture import PictureReading
from ..measure.tone.tone import ZONES
from ..recipe.leaves import Number
from ..recipe.model import RENDERED, Recipe, specs
from ..recipe.places import Place, Ramp
from ..recipe.tree import Rows
from ..wording import EV, number, percent
from .model import Finding, box, needs

LEAST_GAP_EV = 0.5
LEFT_GAP_EV = 0.1
"""Pull up to just before the end, not to it. Common practice, no source."""
DARK_ZONES, MOST_DARK, ON_PURPOSE = 3, 0.45, 0.25
"""Of the picture in zones 0 to II: more is night, stage or silhouette. Common practice, no source."""
FINISHED = 0.6
"""Most certainty about the exposure of a picture that somebody rendered already."""
PAPER_WHITE = 245.0
"""Of 255: more is bare paper and holds no detail in print. Common practice, no source."""
LEAST_PATCH_SHARE = 2e-4
JUST_UNDER = 0.97
LEAST_UNEVEN_EV, LEAST_UNEVEN_SHARE = 1.0, 0.6
"""Of a plane through the picture's luminance: its rise across, and how much of all differences it explains."""
CHANNEL_NAMES = {"r": "red", "g": "green", "b": "blue"}


@needs("tone", "range")
def under_exposed(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Nothing in the picture comes near white."""
    gap_EV = -reading.tone.high_EV
    if gap_EV < LEAST_GAP_EV:
        return
    raise_EV = gap_EV - LEFT_GAP_EV
    wanted = min(recipe.tone.exposure_EV + raise_EV, _exposure().high)
    certainty = float(np.clip(0.5 + gap_EV / 4.0, 0.0, 0.95))
    claim = f"Under-exposed by {EV(gap_EV, signed=False)}: only the brightest 0.5 % lies nearer to white"
    dark = float(sum(reading.tone.zones[:DARK_ZONES]))
    if dark > MOST_DARK:
        # under-exposed scenes keep their middle tones together; nights, stages and silhouettes lie in the blacks
        claim = (
            f"Dark, perhaps on purpose: {percent(dark, 0)} of the picture lies in zones 0 to {ZONES[DARK_ZONES - 1]}, "
            f"white is {EV(gap_EV, signed=False)} away"
        )
        certainty = ON_PURPOSE
    elif recipe.start == RENDERED:
        certainty = min(certainty - 0.2, FINISHED)
    yield Finding(
        id="tone.under_exposed",
        station="tone",
        claim=claim,
        evidence={
            "gap_EV": round(gap_EV, 2),
            "dark_%": round(100.0 * dark, 1),
            "headroom_EV": round(reading.range.headroom_EV, 2),
            "middle_EV": round(reading.tone.middle_EV, 2),
        },
        fix=(("tone.exposure_EV", round(wanted, 3)),),
        fix_label=f"Raise exposure by {EV(wanted - recipe.tone.exposure_EV)}",
        certainty=certainty,
    )


@needs("full", "patch_levels")
def clipped(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Full areas that would print as bare paper."""
    gain = 2.0**recipe.tone.exposure_EV
    bare = []
    for n, (patch, level) in enumerate(zip(reading.full.patches, reading.patch_levels, strict=True), 1):
        if patch.kind == "source":
            continue  # a lamp may be white
        shown = 255.0 * float(encode_sRGB(shown_value(recipe.tone, level * gain)))
        if patch.share >= LEAST_PATCH_SHARE and shown > PAPER_WHITE + 0.5:
            bare.append((n, patch, shown, level))
    if not bare:
        return
    number_of, largest, shown, _ = bare[0]
    share = sum(patch.share for _, patch, _, _ in bare)
    channels = [CHANNEL_NAMES[c] for c in "rgb" if any(c in patch.channels for _, patch, _, _ in bare)]
    if len(bare) == 1:
        claim = f"Patch {number_of}, {percent(share, 2)} of the picture, is clipped in {', '.join(channels)}"
    else:
        claim = f"{len(bare)} patches, {percent(share, 2)} of the picture, are clipped in {', '.join(channels)}"
    holds = scene_value(recipe.tone, float(decode_sRGB(PAPER_WHITE / 255.0)))
    brightest = max(level for _, _, _, level in bare) * gain
    lower_EV = float(np.log2(brightest / holds)) if holds > 0 else 0.0
    wanted = recipe.tone.exposure_EV - lower_EV - 5e-4
    possible = holds > 0 and wanted >= _exposure().low
    yield Finding(
        id="tone.clipped",
        station="tone",
        claim=f"{claim} and would print as bare paper",
        evidence={
            "share_%": round(share * 100.0, 3),
            "patches": len(bare),
            "channels": "".join(name[0] for name in channels),
            "shown_of_255": round(shown, 1),
        },
        outlines=(box(largest.area),),
        fix=(("tone.exposure_EV", round(wanted, 4)),) if possible else None,
        fix_label=f"Lower by {EV(lower_EV, signed=False)}, to {number(PAPER_WHITE, 0)} of 255" if possible else "",
        certainty=FINISHED if recipe.start == RENDERED else 0.9,
    )


@needs("noise")
def lifted_past_noise(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A zone is lifted so far that its noise shows."""
    zones, noise = recipe.tone.zones_EV, reading.noise
    if noise is None:
        return
    most = [noise.most_lift_EV(n) for n in range(len(zones))]
    held = tuple(lift if limit is None else min(lift, limit) for lift, limit in zip(zones, most, strict=True))
    if held == zones:
        return
    worst = max(range(len(zones)), key=lambda n: zones[n] - held[n])
    left_dB = noise.zones_dB[worst] or 0.0
    yield Finding(
        id="tone.lifted_past_noise",
        station="tone",
        claim=(
            f"Zone {ZONES[worst]} is lifted into the noise: {number(left_dB, 1, 'dB')} are left there; "
            f"{number(LEAST_dB, 0, 'dB')} look clean"
        ),
        evidence={"zone": ZONES[worst], "left_dB": round(left_dB, 1), "lift_EV": zones[worst]},
        fix=(("tone.zones_EV", held),),
        fix_label="Reduce the lift in the noisy zones",
        certainty=0.8,
    )


@needs("stored", "tone")
def lifted_past_steps(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A picture stored in 8 bits is lifted so far that its steps show."""
    stored, lift_EV = reading.stored, reading.tone.lift_EV
    if stored is None or lift_EV <= stored.safe_lift_EV:
        return
    kept = JUST_UNDER * stored.safe_lift_EV / lift_EV
    exposure_EV, zones = recipe.tone.exposure_EV, recipe.tone.zones_EV
    fix = (
        ("tone.exposure_EV", round(kept * exposure_EV if exposure_EV > 0 else exposure_EV, 4)),
        ("tone.zones_EV", tuple(round(kept * zone if zone > 0 else zone, 4) for zone in zones)),
    )
    by_hand = max(exposure_EV, *zones) > 0  # else haze that was taken away lifts them
    yield Finding(
        id="tone.lifted_past_steps",
        station="tone",
        claim=f"The shadows are lifted by {EV(lift_EV, signed=False)}; an 8-bit file allows about "
        f"{EV(stored.safe_lift_EV, signed=False)} before banding shows",
        evidence={"lift_EV": round(lift_EV, 2), "safe_EV": round(stored.safe_lift_EV, 2),
                  "blocks_%": round(100.0 * stored.blockiness, 1), "gaps_%": round(100.0 * stored.gaps, 1)},
        fix=fix if by_hand else None,
        fix_label=f"Lift them by {EV(stored.safe_lift_EV, signed=False)}" if by_hand else "",
        certainty=0.6,
    )  # fmt: skip


@needs("tone", "sides")
def uneven(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Light that falls off from one side of the picture to the other."""
    across, share = reading.tone.uneven_EV[0], reading.tone.uneven_share
    if abs(across) < LEAST_UNEVEN_EV or share < LEAST_UNEVEN_SHARE:
        return
    left, right = reading.sides
    side, full, gone = ("right", right, left) if across > 0 else ("left", left, right)
    ramp = Ramp(x=full[0], y=full[1], x2=gone[0], y2=gone[1])
    lower_EV = round(min(abs(across), 6.0), 2)
    place = Place(name=f"Even light, {side}", mask=Rows([("m1", ramp)]), exposure_EV=-lower_EV)
    if any(isinstance(each, Place) and _is_lowering_ramp(each) for each in recipe.places.values()):
        return  # it is measured before places: a second ramp would be one too many
    yield Finding(
        id="tone.uneven",
        station="tone",
        claim=f"The light is uneven: {EV(abs(across), signed=False)} brighter at the {side}",
        evidence={"across_EV": round(across, 2), "down_EV": round(reading.tone.uneven_EV[1], 2),
                  "explained_%": round(100.0 * share, 1)},
        adds=(("places", place),),
        fix_label=f"A ramp of {EV(-lower_EV)} from the {side}",
        certainty=0.4,
    )  # fmt: skip


def _is_lowering_ramp(place: Place) -> bool:
    return place.exposure_EV < 0.0 and any(isinstance(part, Ramp) for part in place.mask.values())


def _exposure() -> Number:
    spec = specs()["tone.exposure_EV"]
    assert isinstance(spec, Number)
    return spec
