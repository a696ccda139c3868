"""Findings about faces: they lie far apart in light."""

from collections.abc import Iterator

from ..measure.picture import PictureReading
from ..measure.places.faces import FaceReading
from ..recipe.model import Recipe
from ..recipe.places import Faces, Place
from ..recipe.tree import Rows, Section
from ..wording import EV, counted, number
from .model import Finding, needs

LEAST_SPREAD_EV = 0.9
"""Between the darkest and the lightest face. By eye, no source."""
LEAST_OFF_EV, SHARE, MOST_EV = 0.25, 0.6, 1.0
"""From how far off the middle a face is moved, how much of the way, and how far at most: faces in different light are
to stay so."""
CERTAIN = 0.3
"""That the light is to blame, and not that skins differ: luminance alone does not tell."""
FEATHER = 0.3
"""Of a face's height."""


@needs("faces")
def uneven_faces(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Faces whose zones are far apart, evened out by a place for each that is off."""
    told = reading.faces
    taken = {part.n for place in recipe.places.values() if isinstance(place, Place) and place.active == "on"
             for part in place.mask.values() if isinstance(part, Faces)}  # fmt: skip
    if told.spread_EV < LEAST_SPREAD_EV:
        return
    middle = told.middle_zone
    off = [face for face in told.sure if abs(face.zone - middle) > LEAST_OFF_EV and float(face.n) not in taken]
    adds: tuple[tuple[str, Section], ...] = tuple(("places", _place(face, middle)) for face in off)
    zones = sorted(face.zone for face in told.sure)
    yield Finding(
        id="places.uneven_faces",
        station="places",
        claim=f"{counted(len(told.sure), 'face')} lie {EV(told.spread_EV, signed=False)} apart: zones "
        f"{number(zones[0], 1)} to {number(zones[-1], 1)}",
        evidence={"spread_EV": round(told.spread_EV, 2), "faces": len(told.sure)},
        outlines=tuple(face.outline for face in off),
        adds=adds,
        fix_label=f"Even out {counted(len(adds), 'face')}" if adds else "",
        then="Skin differs from person to person: apply this only if the light is to blame.",
        certainty=CERTAIN * min(face.certainty for face in told.sure),
    )


def _place(face: FaceReading, middle: float) -> Place:
    moved = SHARE * (middle - face.zone)
    stops = round(min(max(moved, -MOST_EV), MOST_EV), 2)
    part = Faces(n=float(face.n), feather_px=float(round(FEATHER * face.h)))
    return Place(name=f"Face {face.n}", mask=Rows([("m1", part)]), exposure_EV=stops)
