"""Findings of the Tone station."""

import numpy as np

from ..colour.spaces import decode_sRGB, encode_sRGB
from ..develop.rendition import scene_value, shown_value
from ..measure.picture import PictureReading
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
    limit = specs()["tone.exposure_EV"]
    raise_EV = gap_EV - LEFT_GAP_EV
    wanted = min(recipe.tone.exposure_EV + raise_EV, limit.high)  # type: ignore[union-attr]
    return Finding(
        id="tone.under_exposed",
        station="tone",
        claim=f"Under-exposed by {EV(gap_EV, signed=False)}: only 0.5 % of the picture comes within that of white",
        evidence={
            "gap_EV": round(gap_EV, 2),
            "headroom_EV": round(reading.tone.headroom_EV, 2),
            "middle_EV": round(reading.tone.middle_EV, 2),
        },
        fix=(("tone.exposure_EV", round(wanted, 3)),),
        fix_label=f"Raise exposure by {EV(wanted - recipe.tone.exposure_EV)}",
        certainty=float(np.clip(0.5 + gap_EV / 4.0, 0.0, 0.95)),
    )


def clipped_patches(reading: PictureReading, recipe: Recipe) -> list[Finding]:
    """Full areas that would print as bare paper."""
    found = []
    lowest = specs()["tone.exposure_EV"].low  # type: ignore[union-attr]
    for n, patch in enumerate(reading.tone.patches, 1):
        level = patch.level * 2.0**recipe.tone.exposure_EV
        shown = 255.0 * float(encode_sRGB(shown_value(recipe.tone, level)))
        if patch.share < LEAST_PATCH_SHARE or shown <= PAPER_WHITE + 0.5:
            continue
        holds = scene_value(recipe.tone, float(decode_sRGB(PAPER_WHITE / 255.0)))
        lower_EV = float(np.log2(level / holds)) if holds > 0 else 0.0
        wanted = recipe.tone.exposure_EV - lower_EV
        possible = holds > 0 and wanted >= lowest
        channels = ", ".join(CHANNEL_NAMES[c] for c in patch.channels)
        found.append(
            Finding(
                id=f"tone.clipped.{n}",
                station="tone",
                claim=f"Patch {n}, {percent(patch.share, 2)} of the picture, is clipped in {channels} and prints as bare paper",
                evidence={
                    "share_%": round(patch.share * 100.0, 3),
                    "channels": patch.channels,
                    "shown_of_255": round(shown, 1),
                },
                area=(patch.x, patch.y, patch.w, patch.h),
                fix=(("tone.exposure_EV", round(wanted - 5e-4, 3)),) if possible else None,
                fix_label=f"Lower exposure by {EV(lower_EV, signed=False)}: the patch prints at {number(PAPER_WHITE, 0)} of 255"
                if possible
                else "",
                certainty=0.9,
            )
        )
    return found
