"""Findings about frames that were merged of several."""

from collections.abc import Iterator

from ..measure.picture import PictureReading
from ..recipe.model import Recipe
from ..wording import number, percent
from .model import Finding, needs

LEAST_SHARE = 2e-4
"""Of the picture: less is a bird, and right whichever frame it is from."""


@needs("merged")
def frame_missing(reading: PictureReading, _recipe: Recipe) -> Iterator[Finding]:
    """A frame that repairs are taken from is not there as it was."""
    found = reading.merged
    if found is not None and found.missing:
        names = ", ".join(found.missing)
        yield Finding(
            id="mend.frame_missing",
            station="mend",
            claim=f"{names} is not in the folder, or cannot be read: repairs from it are skipped",
            evidence={"missing": names},
            then="Put it back beside the picture, and open the picture again.",
            certainty=1.0,
        )


@needs("merged")
def moved_while_merged(reading: PictureReading, _recipe: Recipe) -> Iterator[Finding]:
    """The frames of a bracket differ, as where something moved: there the picture is of one alone, with its noise.

    Dust, and what lies near when the camera moved, differ too."""
    found = reading.merged
    if found is None or found.moved_share < LEAST_SHARE:
        return
    share = percent(found.moved_share, 1 if found.moved_share >= 0.001 else 2)
    yield Finding(
        id="mend.moved_while_merged",
        station="mend",
        claim=f"The {number(found.frames, 0)} frames differ where things moved: {share} of the picture comes from "
        "a single frame",
        evidence={"moved_percent": round(100.0 * found.moved_share, 3), "frames": found.frames},
        outlines=found.moved,
    )
