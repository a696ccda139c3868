"""The readings of Colour: what each looks at, and where what it says lies in the picture."""

from dataclasses import replace

import numpy as np

from ...develop.frame.mapping import PLACES
from ...recipe.model import Recipe
from ...recipe.places import Mapped
from ...recipe.shapes import Grid
from ...recipe.tree import Rows, Section
from ..mend.subject import SubjectReading
from ..table.table import Pace, Reading, Sight
from .cast import Cast, find_cast
from .colour import ColourReading, read_colour, read_skin
from .match import Match, turn_hue
from .mismatch import Mismatch, find_mismatch, in_frame

SURE_SUBJECT = 0.4
"""Certainty of a subject from which a cast on it is looked for."""


def _without_colour(recipe: Recipe) -> Recipe:
    return recipe.with_plain("colour")


def _colour(sight: Sight) -> ColourReading:
    found = read_colour(sight.picture("small display"), sight.picture("small rendered"))
    spots = tuple(
        tuple(((x + 0.5) * sight.step - 0.5, (y + 0.5) * sight.step - 0.5) for x, y in spot)
        for spot in found.out_of_gamut.spots
    )
    return replace(found, out_of_gamut=replace(found.out_of_gamut, spots=spots))


def _cast(sight: Sight) -> Cast | None:
    subject: SubjectReading | None = sight.reading("subject")
    if subject is None or subject.certainty < SURE_SUBJECT:
        return None
    x, y, w, h = subject.box
    corners = sight.mapping.to_picture([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
    box = tuple(float(v) / sight.step for v in (left, top, right - left, bottom - top))
    found = find_cast(sight.picture("small display"), box)  # type: ignore[arg-type]
    if found is None or not found.picks:
        return None
    places = sight.mapping.to_frame((np.array(found.picks) + 0.5) * sight.step - 0.5)
    held = (places + 0.5) / max(sight.frame.size)
    picks = tuple((round(float(px), 6), round(float(py), 6)) for px, py in held)
    return replace(found, box=tuple(v * sight.step for v in box), picks=picks)  # type: ignore[arg-type]


def _mismatch(sight: Sight) -> tuple[Mismatch, Match] | None:
    if sight.recipe.colour.black_and_white == "on":
        return None
    found = find_mismatch(sight.picture("small display"))
    if found is None:
        return None
    part, rest = (_at_full_size(sight, box) for box in (found.part, found.rest))
    mask: Rows[Section] = Rows([("m1", Mapped(shares=Grid.of(in_frame(sight.mapping, found.where, sight.step))))])
    return replace(found, part=part, rest=rest), turn_hue(sight.engine, sight.recipe, part, mask, -found.dh)


def _at_full_size(sight: Sight, box: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
    (width, height), step = sight.mapping.size, sight.step
    x, y = min(max(box[0] * step, 0), width - 2), min(max(box[1] * step, 0), height - 2)
    return x, y, min(box[2] * step, width - x), min(box[3] * step, height - y)


READINGS = (
    Reading("colour", _colour, looks_at=("small display", "small rendered")),
    Reading("colour_before", _colour, looks_at=("small display", "small rendered"), under=_without_colour),
    Reading("skin", lambda s: read_skin(s.picture("small display"), s.recipe.colour.skin), looks_at=("small display",),
            reads=("colour.skin",)),
    Reading("mismatch", _mismatch, looks_at=("small display", "display"), reads=("colour.black_and_white",),
            pace=Pace.SOON),
    Reading("cast", _cast, looks_at=("small display",), reads=PLACES, after=("subject",), pace=Pace.SOON),
)  # fmt: skip
