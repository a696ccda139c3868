"""Findings about what lies at the picture's border."""

from collections.abc import Iterator

import numpy as np

from ..measure.picture import PictureReading
from ..recipe.mending import Fill
from ..recipe.model import Recipe
from ..wording import number
from .model import Finding, needs

LEAST_BLOB_CERTAINTY = 0.4
MOST_FILLED = 0.008
"""Of the picture: larger bright things at the border are often parts of one that is wanted, and left to the crop."""


@needs("border")
def bright_at_border(reading: PictureReading, _: Recipe) -> Iterator[Finding]:
    """Something bright touches the border, and pulls the eye out of the picture."""
    for blob in reading.border:
        if blob.certainty < LEAST_BLOB_CERTAINTY:
            continue
        is_small = blob.share < MOST_FILLED
        middle = np.mean(blob.outline, axis=0)
        yield Finding(
            id="mend.bright_at_border",
            station="mend",
            claim=f"Something bright touches the {blob.side} border: {number(blob.contrast, 0)} L* lighter than what "
            "lies round it",
            evidence={"L*": round(blob.lightness), "share_%": round(100.0 * blob.share, 2)},
            outlines=(blob.outline,),
            adds=(("mend.repairs", Fill(path=blob.path, outline="on", radius_px=2.0)),) if is_small else (),
            fix_label="Fill it from its surroundings" if is_small else "",
            subject=f"{blob.side} {round(float(middle.sum()) / 100.0)}",
            certainty=blob.certainty,
        )
