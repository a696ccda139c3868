"""Findings of the Tone station."""

import numpy as np

from ..colour.spaces import decode_sRGB, encode_sRGB
from ..develop.rendition import scene_value, shown_value
from ..measure.picture import PictureReading
from ..recipe.fields import Number
from ..recipe.model import Recipe, specs
from ..wording import EV, number, percent
from .model import Finding

LEAST_GAP_EV = 0.5
LEFT_GAP_EV = 0.1
"""Pull up to just before the end, not to it. Common practice, no source."""
PAPER_WHITE = 245.0
"""Of 255: more is bare paper and holds no detail in print. Common practice, no source."""
LEAST_PATCH_SHARE = 2e-4
CHANNEL_NAMES = {"r": "red", "g": "green", "b": "blue"}


def under_exposed(reading: PictureReading, recipe: Recipe) -> Finding | None:
    """Nothing in the picture comes near white."""
    gap_EV = -reading.tone.high_EV
    if gap_EV < LEAST_GAP_EV:
        return None
    raise_EV = gap_EV - LEFT_GAP_EV
    wanted = min(recipe.tone.exposure_EV + raise_EV, _exposure().high)
    return Finding(
        id="tone.under_exposed",
        station="tone",
        claim=f"Under-exposed by {EV(gap_EV, signed=False)}: only the brightest 0.5 % lies nearer to white",
        evidence={
            "gap_EV": round(gap_EV, 2),
            "headroom_EV": round(reading.tone.headroom_EV, 2),
            "middle_EV": round(reading.tone.middle_EV, 2),
        },
        fix=(("tone.exposure_EV", round(wanted, 3)),),
        fix_label=f"Raise exposure by {EV(wanted - recipe.tone.exposure_EV)}",
        certainty=float(np.clip(0.5 + gap_EV / 4.0, 0.0, 0.95)),
    )


def clipped(reading: PictureReading, recipe: Recipe) -> Finding | None:
    """Full areas that would print as bare paper."""
    gain = 2.0**recipe.tone.exposure_EV
    bare = []
    for n, patch in enumerate(reading.tone.patches, 1):
        shown = 255.0 * float(encode_sRGB(shown_value(recipe.tone, patch.level * gain)))
        if patch.share >= LEAST_PATCH_SHARE and shown > PAPER_WHITE + 0.5:
            bare.append((n, patch, shown))
    if not bare:
        return None
    number_of, largest, shown = bare[0]
    share = sum(patch.share for _, patch, _ in bare)
    channels = [CHANNEL_NAMES[c] for c in "rgb" if any(c in patch.channels for _, patch, _ in bare)]
    if len(bare) == 1:
        claim = f"Patch {number_of}, {percent(share, 2)} of the picture, is clipped in {', '.join(channels)}"
    else:
        claim = f"{len(bare)} patches, {percent(share, 2)} of the picture, are clipped in {', '.join(channels)}"
    holds = scene_value(recipe.tone, float(decode_sRGB(PAPER_WHITE / 255.0)))
    brightest = max(patch.level for _, patch, _ in bare) * gain
    lower_EV = float(np.log2(brightest / holds)) if holds > 0 else 0.0
    wanted = recipe.tone.exposure_EV - lower_EV - 5e-4
    possible = holds > 0 and wanted >= _exposure().low
    return Finding(
        id="tone.clipped",
        station="tone",
        claim=f"{claim} and would print as bare paper",
        evidence={
            "share_%": round(share * 100.0, 3),
            "patches": len(bare),
            "channels": "".join(name[0] for name in channels),
            "shown_of_255": round(shown, 1),
        },
        area=(largest.x, largest.y, largest.w, largest.h),
        fix=(("tone.exposure_EV", round(wanted, 4)),) if possible else None,
        fix_label=f"Lower by {EV(lower_EV, signed=False)}, to {number(PAPER_WHITE, 0)} of 255" if possible else "",
        certainty=0.9,
    )


def _exposure() -> Number:
    spec = specs()["tone.exposure_EV"]
    assert isinstance(spec, Number)
    return spec
