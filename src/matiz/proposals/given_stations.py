"""What one picture of a set gives the others: chosen stations, with exposure as it is, levelled, or left to each."""

from collections.abc import Iterable

from ..recipe.change import Settings
from ..recipe.given import given_by
from ..recipe.model import Recipe
from ..recipe.tree import replaced

STATIONS = ("mend", "light", "tone", "colour", "places", "detail", "finish")
SAME, LEVELLED, MEASURED, OWN = "same", "levelled", "measured", "own"
"""The anchor's exposure; that as much more or less as the frame was exposed less or more, as its file has it, or as its
picture is darker or lighter; or the frame's own."""
EXPOSURES = (SAME, LEVELLED, MEASURED, OWN)
_EXPOSURE = "tone.exposure_EV"


def given_stations(
    anchor: Recipe, target: Recipe, stations: Iterable[str], exposure: str = SAME, *, differs_EV: float = 0.0
) -> Settings:
    """Values that make stations of the target those of the anchor. differs_EV: how much more light the target's frame
    got than the anchor's, where that is to be levelled."""
    kept = {name: getattr(target, name) for name in STATIONS if name not in set(stations)}
    wanted = replaced(anchor, **kept)
    if "tone" in stations and exposure != SAME:
        own = target.tone.exposure_EV if exposure == OWN else anchor.tone.exposure_EV - differs_EV
        wanted = replaced(wanted, tone=replaced(wanted.tone, exposure_EV=round(min(max(own, -6.0), 6.0), 3)))
    return given_by(wanted, target)
