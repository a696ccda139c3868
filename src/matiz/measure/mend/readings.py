"""The readings of Mend: what each looks at, and where what it says lies in the picture."""

from dataclasses import replace
from functools import partial

import numpy as np

from ...develop.frame.mapping import LENS, PLACES, focal_px
from ...develop.frame.patches import area_of, laid_over, offset_of
from ...develop.frame.tiles import Region
from ...develop.stages.node import Pixels
from ...recipe.mending import FromFrame, Heal, Repair
from ...recipe.model import Recipe
from ..table.table import Pace, Reading, Sight
from ..table.values import Outline
from ..table.where import faces_seen, in_picture, plain, round_at
from .blemishes import BlemishReading, read_blemishes
from .border import Blob, find_blobs
from .dust import DustReading, read_dust
from .mend import read_mend
from .merged import MergedReading
from .retouch import Retouched, read_retouch
from .subject import SubjectReading, find_subject
from .tilt import TiltReading, read_tilt

LINES_PX = 1000
"""Least long side of the picture that lines are looked for in."""
MOST_RETOUCHED = 40


def _lens_alone(recipe: Recipe) -> Recipe:
    """What the lens did is taken back, nothing else is decided."""
    taken = [(path, recipe.get(path)) for path in LENS]
    return recipe.with_plain().applied(taken)


def _tilt(sight: Sight) -> TiltReading:
    level = sight.engine.level_for(sight.recipe, LINES_PX)
    long_side = max(sight.frame.size)
    return read_tilt(sight.picture("small camera", level), focal_px(sight.frame) / long_side, 2**level)


def _leaning(sight: Sight) -> tuple[Outline, ...]:
    found: TiltReading = sight.reading("tilt")
    mapping, plain = sight.mapping, sight.engine.mapping(_lens_alone(sight.recipe))
    ends = mapping.to_picture(plain.to_frame(found.lines.reshape(-1, 2))).reshape(-1, 2, 2)
    return tuple(tuple((float(x), float(y)) for x, y in line) for line in ends)


def _merged(sight: Sight) -> MergedReading | None:
    """Where things moved, as it lies in the picture."""
    merged = sight.frame.merged
    if merged is None:
        return None
    corners = [[(x, y), (x + w, y), (x + w, y + h), (x, y + h)] for x, y, w, h in merged.moved]
    outlines = tuple(
        tuple((float(x), float(y)) for x, y in sight.mapping.to_picture(np.array(four, float))) for four in corners
    )
    repairs = sight.recipe.mend.repairs.values()
    missing = sight.engine.beside.missing(int(item.frame) for item in repairs if isinstance(item, FromFrame))
    return MergedReading(merged.kind, len(merged.names), merged.moved_share, outlines, missing)


def _dust(sight: Sight) -> DustReading:
    return read_dust(partial(sight.picture, "camera"), partial(sight.engine.sensor.read, 0), sight.frame.size)


def _specks(sight: Sight) -> tuple[Outline, ...]:
    found: DustReading = sight.reading("dust")
    return tuple(
        in_picture(sight, [*speck.path, *speck.path[::-1]])
        if speck.path
        else round_at(sight, speck.x, speck.y, speck.r)
        for speck in found.specks[: len(found.heals)]
    )


def _retouch(sight: Sight) -> tuple[Retouched, ...]:
    size, sensor, repairs = sight.frame.size, sight.engine.sensor, sight.recipe.mend.repairs
    items = {ident: item for ident, item in repairs.items() if isinstance(item, Repair) and item.active == "on"}
    areas = {
        ident: (area_of(item, size), offset_of(item, size) if isinstance(item, Heal) else None)
        for ident, item in list(items.items())[-MOST_RETOUCHED:]
        if item.path
    }
    if not areas:
        return ()
    take = partial(sensor.read, 0)
    patches = sensor.patches.all(take, size, repairs)
    found = read_retouch(areas, lambda region: laid_over(take(region), region, 0, patches), size)
    corners = sight.mapping.to_picture([point for each in found for point in each.outline]).reshape(-1, 4, 2)
    return tuple(
        replace(each, outline=tuple((float(x), float(y)) for x, y in four))
        for each, four in zip(found, corners, strict=True)
    )


def _border(sight: Sight) -> tuple[Blob, ...]:
    if sight.recipe.uncropped() is sight.recipe:
        found: tuple[Blob, ...] = sight.reading("whole_border")
        return found
    return _whole_border(sight)


def _whole_border(sight: Sight) -> tuple[Blob, ...]:
    out = []
    for blob in find_blobs(sight.picture("small display")):
        outline = (np.array(blob.outline) + 0.5) * sight.step - 0.5
        path = (sight.mapping.to_frame(outline) + 0.5) / max(sight.frame.size)
        points = tuple((float(x), float(y)) for x, y in outline)
        held = tuple((round(float(x), 6), round(float(y), 6)) for x, y in path)
        out.append(replace(blob, outline=points, path=held))
    return tuple(out)


def _subject(sight: Sight) -> SubjectReading | None:
    """In px of the frame, which a recipe that decides nothing shows as it is."""
    found = find_subject(sight.picture("small display"))
    if found is None:
        return None
    x, y = ((value + 0.5) * sight.step - 0.5 for value in (found.x, found.y))
    left, top, w, h = (value * sight.step for value in found.box)
    return SubjectReading(x, y, (left, top, w, h), found.certainty)


def _blemishes(sight: Sight) -> BlemishReading:
    def shown(level: int, region: Region) -> Pixels:
        return sight.engine.render(sight.recipe, level, region, result="display")

    return read_blemishes(shown, partial(sight.engine.sensor.read, 0), faces_seen(sight, 1.0), sight.frame.size)


def _blemishes_at(sight: Sight) -> tuple[Outline, ...]:
    return tuple(round_at(sight, spot.x, spot.y, spot.r) for spot in sight.reading("blemishes").specks)


READINGS = (
    Reading("mend", lambda s: read_mend(s.frame), pace=Pace.LATER),
    Reading("tilt", _tilt, looks_at=("small camera",), under=_lens_alone,
            pace=Pace.LATER),
    Reading("leaning", _leaning, reads=PLACES, after=("tilt",)),
    Reading("merged", _merged, reads=(*PLACES, "mend.repairs")),
    Reading("dust", _dust, looks_at=("camera",), under=plain, pace=Pace.LATER),
    Reading("specks", _specks, reads=PLACES, after=("dust",)),
    Reading("retouch", _retouch, reads=("mend.repairs", *PLACES), pace=Pace.LATER),
    Reading("subject", _subject, looks_at=("small display",), under=plain),
    Reading("whole_border", _whole_border, looks_at=("small display",), reads=PLACES, under=Recipe.uncropped,
            pace=Pace.SOON),
    Reading("border", _border, looks_at=("small display",), reads=PLACES, after=("whole_border",)),
    Reading("blemishes", _blemishes, looks_at=("display",), under=plain, pace=Pace.LATER),
    Reading("blemishes_at", _blemishes_at, reads=PLACES, after=("blemishes",)),
)  # fmt: skip
