"""The readings of Places: what each looks at, and where what it says lies in the picture."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from ...develop.frame.mapping import PLACES
from ...develop.graph.engine import Engine
from ...develop.graph.graph import small_mask, small_place_mask
from ...develop.places.weighing import Masked, at_work, mask_of, wants_subject
from ...develop.stages.node import Pixels
from ...masks.view import lab
from ...recipe.model import Recipe
from ...recipe.places import Brush, Faces, Lasso, Place, Reach, SkinOf, Sky, Subject
from ...recipe.tree import Rows
from ..table.table import Pace, Reading, Sight
from ..table.where import faces_seen, pixels_at
from ..tone.luminances import luminance_EV
from .attention import AttentionPull, AttentionReading, read_attention
from .banding import Banding, bands_L, smooth_patches
from .faces import FacesReading, read_faces
from .mask_edge import EdgeReading, EdgeRow, EdgeSpot, read_edge
from .places import PlaceReading, read_place

MOST_PLACES = 24
EDGED = (Subject, Sky, Faces, SkinOf, Lasso, Brush, Reach)
"""Parts that are meant to end where something in the picture does."""
LEFT_OUT_PERCENT = 1e-6
"""Strength of a place that is to be seen left out."""
SEEN_dE = 1.0
"""What a place changes less is not looked at for bands."""


def _left_out(recipe: Recipe, ident: str) -> Recipe:
    """With next to nothing of a place, rather than none: so its mask, and those of the others, are the ones that are
    there."""
    return recipe.applied([(f"places.{ident}.strength_percent", LEFT_OUT_PERCENT)])


def _places(sight: Sight) -> dict[str, PlaceReading]:
    recipe = sight.recipe
    waited_for = _waited_for(sight.engine, recipe)
    idents = [ident for ident, place in recipe.places.items() if isinstance(place, Place)][:MOST_PLACES]
    idents = [ident for ident in idents if ident not in waited_for]
    if not idents:
        return {}
    toned = sight.picture("small toned")
    EV = luminance_EV(toned, recipe.tone.exposure_EV)
    working = {ident for ident, _ in at_work(recipe)}

    def seen(under: Recipe) -> Pixels:
        return lab(sight.engine.render(under, sight.level, result="small rendered"))

    out, with_all = {}, seen(recipe)
    for ident in idents:
        node, n = small_place_mask(recipe, ident)
        own = sight.engine.render(recipe, sight.level, result=node)[..., n]
        before = seen(_left_out(recipe, ident)) if ident in working else with_all
        out[ident] = read_place(own, EV, with_all, before)
    return out


def _waited_for(engine: Engine, recipe: Recipe) -> tuple[str, ...]:
    """Places whose masks follow from a subject that is not known to the end: nothing is told of them."""
    places = (ident for ident, place in recipe.places.items() if isinstance(place, Place))
    wanting = tuple(ident for ident in places if wants_subject(mask_of(recipe, ident).parts))
    return wanting if wanting and engine.found.is_waiting else ()


def _edges(sight: Sight) -> dict[str, EdgeReading]:
    """At twice the size of other readings: leaks are small."""
    recipe, level = sight.recipe, max(sight.level - 1, 0)
    out: dict[str, EdgeReading] = {}
    own = {ident: place for ident, place in recipe.places.items() if isinstance(place, Place)}
    edged = [ident for ident, place in own.items() if any(isinstance(part, EDGED) for part in place.mask.values())]
    waited_for = _waited_for(sight.engine, recipe)
    edged = [ident for ident in edged[:MOST_PLACES] if ident not in waited_for]
    if not edged:
        return out
    working = {ident for ident, _ in at_work(recipe)}

    def seen(under: Recipe) -> Pixels:
        return lab(sight.engine.render(under, level, result="small rendered"))

    plain, with_all = seen(recipe.with_plain("places")), seen(recipe)
    for ident in edged:
        node, n = small_place_mask(recipe, ident)
        mask = sight.engine.render(recipe, level, result=node)[..., n]
        # what this place changes, whatever others do
        before = seen(_left_out(recipe, ident)) if ident in working else with_all
        found = read_edge(np.ascontiguousarray(mask), plain, with_all[..., 0] - before[..., 0])
        if found is not None:
            leaks, gaps = (
                tuple(_spot_at(sight, spot, 2**level) for spot in spots) for spots in (found.leaks, found.gaps)
            )
            row = found.row and _row_at(sight, found.row, 2**level)
            out[ident] = replace(found, leaks=leaks, gaps=gaps, row=row)
    return out


def _banding(sight: Sight) -> dict[str, Banding]:
    """Only what was stored in 8 bits has so few values."""
    recipe = sight.recipe
    out: dict[str, Banding] = {}
    if sight.reading("stored") is None:
        return out
    told: Mapping[str, PlaceReading] = sight.reading("places")
    working = {ident for ident, _ in at_work(recipe)}
    for ident in (ident for ident, place in told.items() if ident in working and place.inside_dE > SEEN_dE):
        node, n = small_place_mask(recipe, ident)
        mask = np.ascontiguousarray(sight.engine.render(recipe, sight.level, result=node)[..., n])
        L = np.ascontiguousarray(lab(sight.picture("small rendered"))[..., 0])
        before = _left_out(recipe, ident)
        seen = []
        for patch in smooth_patches(mask, L, sight.step, sight.mapping.size):
            after_L, before_L = (
                bands_L(lab(pixels_at(sight, each, patch, "rendered"))[..., 0]) for each in (recipe, before)
            )
            seen.append(Banding(after_L, before_L, patch))
        if seen:
            out[ident] = max(seen, key=lambda each: each.step_L)
    return out


def _spot_at(sight: Sight, spot: EdgeSpot, step: int) -> EdgeSpot:
    """In the full-size picture, its outline in the frame."""
    points = sight.mapping.to_frame((np.array(spot.outline) + 0.5) * step - 0.5)
    held = ((points + 0.5) / max(sight.frame.size)).round(6).tolist()
    return EdgeSpot(
        spot.x * step, spot.y * step, spot.w * step, spot.h * step, spot.px * step**2, tuple((x, y) for x, y in held)
    )


def _row_at(sight: Sight, row: EdgeRow, step: int) -> EdgeRow:
    """Where it lies in the frame."""
    ends = sight.mapping.to_frame((np.array(row.ends) + 0.5) * step - 0.5)
    wide = np.hypot(*(ends[1] - ends[0])) / np.hypot(*np.subtract(*row.ends))
    (x0, y0), (x1, y1) = ((ends + 0.5) / max(sight.frame.size)).tolist()
    return replace(row, ends=((x0, y0), (x1, y1)), radius=float(row.radius * wide))


def _faces(sight: Sight) -> FacesReading:
    EV = luminance_EV(sight.picture("small scene"), sight.recipe.tone.exposure_EV)
    found = read_faces(EV, faces_seen(sight, sight.step))
    step = float(sight.step)
    return FacesReading(tuple(
        replace(face, x=(face.x + 0.5) * step - 0.5, y=(face.y + 0.5) * step - 0.5, w=face.w * step, h=face.h * step)
        for face in found.faces
    ))  # fmt: skip


def _attention(sight: Sight) -> AttentionReading:
    step = float(sight.step)
    subject = None
    if sight.engine.found.is_at_hand():
        node = small_mask(Masked(Rows([("p", Subject())])))
        subject = sight.engine.render(sight.recipe, sight.level, result=node)[..., 0]
    seen = read_attention(lab(sight.picture("small rendered")), subject, faces_seen(sight, step))
    return replace(seen, pulls=tuple(_pull_at(sight, pull) for pull in seen.pulls))


def _pull_at(sight: Sight, pull: AttentionPull) -> AttentionPull:
    """In the full-size picture, and where that lies in the frame."""
    step, long_side = float(sight.step), max(sight.frame.size)
    x, y, r = (pull.x + 0.5) * step - 0.5, (pull.y + 0.5) * step - 0.5, pull.r * step
    middle, rim = (sight.mapping.to_frame([(x, y), (x + r, y)]) + 0.5) / long_side
    held_x, held_y, held_r = (round(float(v), 5) for v in (*middle, np.hypot(*(rim - middle))))
    return replace(pull, x=x, y=y, r=r, held=(held_x, held_y, held_r))


def _is_at_hand(engine: Engine, _: Recipe) -> bool:
    return engine.found.is_at_hand()


READINGS = (
    Reading("places", _places, looks_at=("small rendered", "small toned"), reads=("places", "tone.exposure_EV"),
            also=_waited_for, pace=Pace.SOON),
    Reading("edges", _edges, looks_at=("small rendered",), reads=("places", *PLACES), also=_waited_for,
            pace=Pace.LATER),
    Reading("banding", _banding, looks_at=("small rendered", "rendered"), reads=("places", *PLACES),
            after=("stored", "places"), pace=Pace.LATER),
    Reading("faces", _faces, looks_at=("small scene",), reads=("tone.exposure_EV", *PLACES), pace=Pace.LATER),
    Reading("attention", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand,
            pace=Pace.LATER),
    Reading("attention_before", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand,
            under=lambda recipe: recipe.with_plain("places"),
            pace=Pace.LATER),
    Reading("attention_unfinished", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand,
            under=lambda recipe: recipe.with_plain("finish"),
            pace=Pace.LATER),
)  # fmt: skip
