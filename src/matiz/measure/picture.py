"""The table of all readings of a picture, quick ones first."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ..develop.frame.camera_colour import light_xy
from ..develop.frame.mapping import LENS, PLACES, focal_px
from ..develop.frame.patches import area_of, laid_over, offset_of
from ..develop.frame.tiles import Region
from ..develop.graph.engine import Engine
from ..develop.graph.graph import HAZE, small_mask, small_place_mask
from ..develop.places.weighing import Masked, at_work, mask_of, wants_subject
from ..develop.stages.deblur import NOTHING_BACK
from ..develop.stages.node import Pixels
from ..image.channels import highest
from ..masks.faces import Face
from ..masks.view import lab
from ..raw.noise import noise_of
from ..recipe.mending import Aside, Heal, Repair
from ..recipe.model import Recipe
from ..recipe.places import Brush, Faces, Lasso, Mapped, Place, Reach, SkinOf, Sky, Subject
from ..recipe.shapes import NO_GRID, Grid
from ..recipe.tree import Rows, Section
from .colour.cast import Cast, find_cast
from .colour.colour import ColourReading, SkinReading, read_colour, read_skin
from .colour.match import Match, turn_hue
from .colour.mismatch import Mismatch, find_mismatch, in_frame
from .deliver.deliver import DeliveryReading, read_delivery
from .detail import detail as at_spots
from .detail.blur import MID_GREY, BlurReading, choose_patches, find_edges, most_blur, read_blur
from .detail.noise import NoiseReading, noise_reading
from .detail.sharpened import SharpenedReading, added_L, read_sharpened, unsharpened
from .detail.smear import find_smear
from .finish.finish import FinishReading, read_finish
from .light.light import LightReading, read_light
from .light.second_light import place_of_light
from .mend.blemishes import BlemishReading, read_blemishes
from .mend.border import Blob, find_blobs
from .mend.dust import DustReading, read_dust
from .mend.mend import MendReading, read_mend
from .mend.merged import MergedReading
from .mend.retouch import Retouched, read_retouch
from .mend.subject import SubjectReading, find_subject
from .mend.tilt import TiltReading, read_tilt
from .places.attention import AttentionReading, Pull, read_attention
from .places.banding import Banding, bands_L, smooth_patches
from .places.faces import FacesReading, read_faces
from .places.mask_edge import EdgeReading, Row, Spot, read_edge
from .places.places import PlaceReading, read_place
from .table import table
from .table.table import Reading, Sight
from .table.values import LightValue, Outline, value_of
from .tone.haze import HazeReading, read_haze
from .tone.luminances import luminance_EV
from .tone.patches import FullReading, read_full
from .tone.stored import StoredReading, read_stored
from .tone.tone import RangeReading, ToneReading, patch_levels, raw_range, tone_reading, uneven_light, zone_of

MOST_RETOUCHED = 40
SURE_SUBJECT = 0.4
"""Certainty of a subject from which a cast on it is looked for."""
MOST_PLACES = 24
NEARLY_FULL = 0.97
LIGHT_WEIGHTS = np.array([0.25, 0.5, 0.25])
"""Of balanced channels, for edges."""
DEBLURRING = (
    "detail.deblur.blur_px", "detail.deblur.smear_px", "detail.deblur.smear_deg", "detail.noise.strength_percent",
    "detail.noise.colour_percent",
)  # fmt: skip
EDGED = (Subject, Sky, Faces, SkinOf, Lasso, Brush, Reach)
"""Parts that are meant to end where something in the picture does."""
LEFT_OUT_PERCENT = 1e-6
"""Strength of a place that is to be seen left out."""
LINES_PX = 1000
"""Least long side of the picture that lines are looked for in."""


class PictureReading:
    """What the instruments say of one picture under one recipe: readings by name, as far as they are there.

    Each is an attribute; asking for one that has not been read yet raises AttributeError.
    """

    values: Mapping[str, Any]

    balance: LightValue
    """The light that the recipe balances for."""
    tone: ToneReading
    delivery: DeliveryReading
    range: RangeReading
    noise: NoiseReading | None
    """None for pictures that are not raw."""
    light: LightReading
    second_light: Place | None
    """The place in which the second light would look as the first does; None for one light."""
    sides: tuple[tuple[float, float], tuple[float, float]]
    """The middles of the left and the right side, in the frame, in units of its long side."""
    full_size: tuple[int, int]
    """Width and height of the picture, px."""
    card_at: tuple[Outline, ...]
    """Round the grey card, px of the upright full-size picture; none without one."""
    haze: HazeReading
    colour: ColourReading
    """Spots in px of the upright full-size picture."""
    colour_before: ColourReading
    """The same without what Colour does."""
    skin: SkinReading | None
    """None while no skin is picked."""
    cast: Cast | None
    """On the subject; its box in px of the upright full-size picture, its picks in the frame, in units of its long
    side."""
    mismatch: tuple[Mismatch, Match] | None
    """One smooth area in two hues, boxes in px of the upright full-size picture, and what makes them one; None where
    there is none."""
    mend: MendReading
    merged: MergedReading | None
    """None for a frame that is one."""
    tilt: TiltReading
    """Of the frame: the recipe's level and perspective are not in it."""
    leaning: tuple[Outline, ...]
    """The lines that the tilt rests on, px of the upright full-size picture."""
    dust: DustReading
    specks: tuple[Outline, ...]
    """Round the shadows that would be healed, px of the upright full-size picture."""
    retouch: tuple[Retouched, ...]
    """What gives repairs away, of the newest MOST_RETOUCHED; outlines in px of the upright full-size picture."""
    subject: SubjectReading | None
    """Px of the upright full-size frame; None where nothing stands out."""
    border: tuple[Blob, ...]
    """Bright things that the border cuts, px of the upright full-size picture."""
    whole_border: tuple[Blob, ...]
    """The same of the picture without its crop, px of that."""
    places: Mapping[str, PlaceReading]
    """What each place holds and changes, by its id: the first MOST_PLACES of them."""
    edges: Mapping[str, EdgeReading]
    """How the masks of places end that have an edge, by id; spots in px of the upright full-size picture."""
    banding: Mapping[str, Banding]
    """By id of the place, of pictures in 8 bits: where a smooth area of it steps most."""
    faces: FacesReading
    """Px of the upright full-size picture."""
    blemishes: BlemishReading
    """Of the frame, whatever is healed."""
    blemishes_at: tuple[Outline, ...]
    """Round each of them, px of the upright full-size picture."""
    attention: AttentionReading
    """Pulls in px of the upright full-size picture. The subject is known once it was looked for."""
    attention_before: AttentionReading
    """The same without any place."""
    spots: at_spots.Spots
    """Where detail is looked at."""
    detail: at_spots.DetailReading
    sharpened: SharpenedReading
    blur: BlurReading
    """As the camera took it."""
    blur_after: BlurReading
    """The same with noise taken out and blur taken back as decided."""
    finish: FinishReading
    attention_unfinished: AttentionReading
    """Without what Finish does."""
    loupes: tuple[tuple[Pixels, Pixels], ...]
    """Each spot as it is on the screen without and with what Detail does, blue-green-red-255."""
    stored: StoredReading | None
    """None for all but pictures in 8 bits."""
    full: FullReading
    patch_levels: tuple[float, ...]
    """Brightest channel of each patch of `full`, scene-linear under the recipe before exposure, rebuilt as far as it
    can be: the median over the patch."""

    def __init__(self, values: Mapping[str, Any]) -> None:
        self.__dict__.update(values)
        self.values = values

    def get(self, name: str) -> Any:
        """A reading, or None while it is not there."""
        return self.values.get(name)

    def has(self, names: Iterable[str]) -> bool:
        return all(name in self.values for name in names)


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
    missing = sight.engine.beside.missing(int(item.frame) for item in repairs if isinstance(item, Aside))
    return MergedReading(merged.kind, len(merged.names), merged.moved_share, outlines, missing)


def _plain(recipe: Recipe) -> Recipe:
    return recipe.with_plain()


def _dust(sight: Sight) -> DustReading:
    return read_dust(partial(sight.picture, "camera"), partial(sight.engine.sensor.read, 0), sight.frame.size)


def _card_at(sight: Sight) -> tuple[Outline, ...]:
    card = sight.reading("light").card
    if card is None:
        return ()
    x, y, w, h = card.area
    corners = sight.mapping.to_picture([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    return (tuple((float(cx), float(cy)) for cx, cy in corners),)


def _specks(sight: Sight) -> tuple[Outline, ...]:
    found: DustReading = sight.reading("dust")
    return tuple(
        _in_picture(sight, [*speck.path, *speck.path[::-1]]) if speck.path else _round(sight, speck.x, speck.y, speck.r)
        for speck in found.specks[: len(found.heals)]
    )


def _round(sight: Sight, x: float, y: float, r: float) -> Outline:
    """Sixteen points round a spot of the frame, as they lie in the picture."""
    turn, reach = np.linspace(0.0, 2.0 * np.pi, 16, endpoint=False), 1.6 * r
    return _in_picture(sight, np.stack([x + reach * np.cos(turn), y + reach * np.sin(turn)], axis=1))


def _in_picture(sight: Sight, points: ArrayLike) -> Outline:
    return tuple((float(x), float(y)) for x, y in sight.mapping.to_picture(points))


def _blemishes(sight: Sight) -> BlemishReading:
    def shown(level: int, region: Region) -> Pixels:
        return sight.engine.render(sight.recipe, level, region, result="display")

    return read_blemishes(shown, partial(sight.engine.sensor.read, 0), _faces_seen(sight, 1.0), sight.frame.size)


def _blemishes_at(sight: Sight) -> tuple[Outline, ...]:
    return tuple(_round(sight, spot.x, spot.y, spot.r) for spot in sight.reading("blemishes").specks)


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


def _plain_with_greys(recipe: Recipe) -> Recipe:
    return recipe.with_plain().applied([("light.greys", recipe.light.greys)])


def _balance(sight: Sight) -> LightValue:
    return value_of(light_xy(sight.frame.colour, sight.recipe.light))


def _tone(sight: Sight) -> ToneReading:
    working, scene, display = (sight.picture(result) for result in ("small working", "small scene", "small display"))
    return tone_reading(sight.reading("uneven"), working, scene, display, sight.recipe.tone, sight.step)


def _uneven(sight: Sight) -> tuple[tuple[float, float], float]:
    return uneven_light(luminance_EV(sight.picture("small working"), 0.0))


def _noise(sight: Sight) -> NoiseReading | None:
    if sight.frame.mosaic is None:
        return None
    zone = zone_of(luminance_EV(sight.picture("small working"), sight.recipe.tone.exposure_EV))
    return noise_reading(noise_of(sight.frame), sight.picture("small camera"), zone)


def _light(sight: Sight) -> LightReading:
    return read_light(sight.frame, sight.picture("small camera"), sight.step, sight.recipe.light.greys)


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


def _without_colour(recipe: Recipe) -> Recipe:
    return recipe.with_plain("colour")


def _without_detail(recipe: Recipe) -> Recipe:
    """What is full is told by what the camera took, noise and all."""
    return recipe.with_plain("detail")


def _full(sight: Sight) -> FullReading:
    level = min(1, sight.level)
    return read_full(sight.picture("camera", level), 2**level)


def _patch_light(sight: Sight) -> tuple[float, ...]:
    return patch_levels(sight.engine, sight.recipe, sight.reading("full"))


def _patch_levels(sight: Sight) -> tuple[float, ...]:
    """As far as Tone's scene part moves a patch, the small picture tells."""
    full: FullReading = sight.reading("full")
    levels: tuple[float, ...] = sight.reading("patch_light")
    if not levels:
        return levels
    working, scene = sight.picture("small working"), sight.picture("small scene")
    return tuple(level * full.gain(n, working, scene, sight.step) for n, level in enumerate(levels))


def _second_light(sight: Sight) -> Place | None:
    lights = sight.reading("light").lights
    if lights.second is None:
        return None
    return place_of_light(sight.frame.colour, sight.recipe, lights.found[1].value, lights.second)


def _sides(sight: Sight) -> tuple[tuple[float, float], tuple[float, float]]:
    width, height = sight.mapping.size
    ends = sight.mapping.to_frame([(0.0, height / 2.0), (width - 1.0, height / 2.0)])
    left, right = (tuple(round(float(v), 5) for v in end) for end in (ends + 0.5) / max(sight.frame.size))
    return left, right  # type: ignore[return-value]


def _left_out(recipe: Recipe, ident: str) -> Recipe:
    """With next to nothing of a place, rather than none: so its mask, and those of the others, are the ones that are
    there."""
    return recipe.applied([(f"places.{ident}.strength_percent", LEFT_OUT_PERCENT)])


SEEN_dE = 1.0
"""What a place changes less is not looked at for bands."""


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
            after_L, before_L = (bands_L(lab(_at(sight, each, patch, "rendered"))[..., 0]) for each in (recipe, before))
            seen.append(Banding(after_L, before_L, patch))
        if seen:
            out[ident] = max(seen, key=lambda each: each.step_L)
    return out


def _spot_at(sight: Sight, spot: Spot, step: int) -> Spot:
    """In the full-size picture, its outline in the frame."""
    points = sight.mapping.to_frame((np.array(spot.outline) + 0.5) * step - 0.5)
    held = ((points + 0.5) / max(sight.frame.size)).round(6).tolist()
    return Spot(
        spot.x * step, spot.y * step, spot.w * step, spot.h * step, spot.px * step**2, tuple((x, y) for x, y in held)
    )


def _row_at(sight: Sight, row: Row, step: int) -> Row:
    """Where it lies in the frame."""
    ends = sight.mapping.to_frame((np.array(row.ends) + 0.5) * step - 0.5)
    wide = np.hypot(*(ends[1] - ends[0])) / np.hypot(*np.subtract(*row.ends))
    (x0, y0), (x1, y1) = ((ends + 0.5) / max(sight.frame.size)).tolist()
    return replace(row, ends=((x0, y0), (x1, y1)), radius=float(row.radius * wide))


def _faces_seen(sight: Sight, per_px: float) -> list[Face]:
    """The faces of the frame as they lie in the picture, whose px are so many of the full size each."""
    long_side = max(sight.frame.size)

    def to(points: Pixels) -> Pixels:
        return np.asarray((sight.mapping.to_picture(points * long_side - 0.5) + 0.5) / per_px - 0.5)

    return [face.moved(to) for face in sight.engine.found.faces()]


def _faces(sight: Sight) -> FacesReading:
    EV = luminance_EV(sight.picture("small scene"), sight.recipe.tone.exposure_EV)
    found = read_faces(EV, _faces_seen(sight, sight.step))
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
    seen = read_attention(lab(sight.picture("small rendered")), subject, _faces_seen(sight, step))
    return replace(seen, pulls=tuple(_pull_at(sight, pull) for pull in seen.pulls))


def _pull_at(sight: Sight, pull: Pull) -> Pull:
    """In the full-size picture, and where that lies in the frame."""
    step, long_side = float(sight.step), max(sight.frame.size)
    x, y, r = (pull.x + 0.5) * step - 0.5, (pull.y + 0.5) * step - 0.5, pull.r * step
    middle, rim = (sight.mapping.to_frame([(x, y), (x + r, y)]) + 0.5) / long_side
    held_x, held_y, held_r = (round(float(v), 5) for v in (*middle, np.hypot(*(rim - middle))))
    return replace(pull, x=x, y=y, r=r, held=(held_x, held_y, held_r))


def _is_at_hand(engine: Engine, _: Recipe) -> bool:
    return engine.found.is_at_hand()


def _spots(sight: Sight) -> at_spots.Spots:
    return at_spots.choose_spots(sight.picture("small working"), sight.step, sight.mapping.size)


def _at(sight: Sight, recipe: Recipe, region: Region, result: str) -> Pixels:
    return sight.engine.render(recipe, 0, region, result=result)


def _detail(sight: Sight) -> at_spots.DetailReading:
    spots: at_spots.Spots = sight.reading("spots")
    recipe, plain, noise = sight.recipe, sight.recipe.with_plain("detail"), sight.engine.sensor.noise
    unsharpened = recipe.applied([("detail.sharpen.amount_percent", 0.0)])
    # taking blur back makes more of both
    blurred = recipe.applied(list(NOTHING_BACK))
    edge = _at(sight, unsharpened, spots.edge, "display")
    halo = at_spots.halo_L(edge, _at(sight, recipe, spots.edge, "display"))
    scale = noise.scale
    flat, texture = (
        [_at(sight, each, region, "camera") for each in (plain, blurred)] for region in (spots.flat, spots.texture)
    )
    removed_dB = at_spots.noise_removed_dB(scale, *flat)
    before, after = texture
    kept = at_spots.texture_kept(scale, noise.at(0)[0], before, after, removed_dB)
    return at_spots.DetailReading(removed_dB, kept, halo)


def _sharpened(sight: Sight) -> SharpenedReading:
    recipe = sight.recipe
    if unsharpened(recipe) == recipe:
        return SharpenedReading(None, None)
    sky = sight.engine.render(recipe, sight.level, result=small_mask(Masked(Rows([("p", Sky())]))))[..., 0]
    return read_sharpened(
        lambda region: added_L(sight.engine, recipe, 0, region), _faces_seen(sight, 1.0), sky, sight.step,
        sight.mapping.size,
    )  # fmt: skip


def _blur_after(sight: Sight) -> BlurReading:
    before: BlurReading = sight.reading("blur")
    return _blur(sight, before) if any(sight.recipe.get(path) for path in DEBLURRING) else before


def _blur(sight: Sight, like: BlurReading | None = None) -> BlurReading:
    """Of the frame as the camera held it, so that no warp adds to it. like: a reading of the same places."""
    neutral = sight.frame.colour.as_shot_neutral

    def light(pixels: Pixels) -> Pixels:
        return np.ascontiguousarray(pixels @ (LIGHT_WEIGHTS / neutral).astype(np.float32))

    regions, grid = choose_patches(light(sight.picture("small camera")), sight.step, sight.mapping.size)
    # small and far apart: whole tiles of each would be six times the work
    seen = [sight.peek("camera", region) for region in regions]
    full = [highest(pixels) >= NEARLY_FULL for pixels in seen]
    grain = float(np.sqrt(noise_of(sight.frame).variance(np.array(MID_GREY)))) / MID_GREY
    patches = [light(pixels) for pixels in seen]
    # of a rendered picture the noise is not known
    known = grain if sight.frame.mosaic is not None else 0.0
    told = read_blur(find_edges(patches, grain, full), grid, most_blur(patches, known), like)
    return replace(told, smear=find_smear(patches, known))


def _detail_alone(recipe: Recipe) -> Recipe:
    return recipe.with_plain().applied([(path, recipe.get(path)) for path in DEBLURRING])


def _finish(sight: Sight) -> FinishReading:
    """Grain is no detail, and the signature is not what it stands on."""
    bare = sight.recipe.applied(
        [("finish.grain.strength_L", 0.0), ("finish.signature.text", ""), ("finish.signature.drawing", NO_GRID)]
    )
    no_fall_off = bare.applied([("finish.fall_off.depth_EV", 0.0), ("finish.fall_off.lift_EV", 0.0)])
    no_glow = bare.applied([("finish.glow.amount_percent", 0.0)])
    shown, even, dark = (
        sight.engine.render(each, sight.level, result="small display") for each in (bare, no_fall_off, no_glow)
    )
    return read_finish(shown, even, dark, sight.recipe.finish)


def _loupes(sight: Sight) -> tuple[tuple[Pixels, Pixels], ...]:
    plain = sight.recipe.with_plain("detail")
    return tuple(
        (_at(sight, plain, region, "screen"), _at(sight, sight.recipe, region, "screen"))
        for region in sight.reading("spots")
    )


READINGS = (
    Reading("balance", _balance, reads=("light",)),
    Reading("uneven", _uneven, looks_at=("small working",)),
    Reading("tone", _tone, looks_at=("small working", "small scene", "small display"), reads=("tone",),
            after=("uneven",)),
    Reading("delivery", lambda s: read_delivery(s.picture("small display"), s.picture("small rendered")),
            looks_at=("small display", "small rendered")),
    Reading("colour", _colour, looks_at=("small display", "small rendered")),
    Reading("colour_before", _colour, looks_at=("small display", "small rendered"), under=_without_colour),
    Reading("skin", lambda s: read_skin(s.picture("small display"), s.recipe.colour.skin), looks_at=("small display",),
            reads=("colour.skin",)),
    Reading("mismatch", _mismatch, looks_at=("small display", "display"), reads=("colour.black_and_white",)),
    Reading("places", _places, looks_at=("small rendered", "small toned"), reads=("places", "tone.exposure_EV"),
            also=_waited_for),
    Reading("banding", _banding, looks_at=("small rendered", "rendered"), reads=("places", *PLACES),
            after=("stored", "places")),
    Reading("range", lambda s: RangeReading(*raw_range(s.frame))),
    Reading("noise", _noise, looks_at=("small camera", "small working"), reads=("tone.exposure_EV",)),
    Reading("light", _light, looks_at=("small camera",), reads=("light.greys",),
            under=_plain_with_greys),
    Reading("second_light", _second_light, reads=("light",), after=("light",)),
    Reading("full_size", lambda s: s.mapping.size, reads=PLACES),
    Reading("sides", _sides, reads=PLACES),
    Reading("card_at", _card_at, reads=PLACES, after=("light",)),
    Reading("haze", lambda s: read_haze(s.engine.product(s.recipe, HAZE)), looks_at=("small working",)),
    Reading("tilt", _tilt, looks_at=("small camera",), under=_lens_alone),
    Reading("leaning", _leaning, reads=PLACES, after=("tilt",)),
    Reading("mend", lambda s: read_mend(s.frame)),
    Reading("stored", lambda s: read_stored(s.frame)),
    Reading("full", _full, looks_at=("camera",), under=_without_detail),
    Reading("patch_light", _patch_light, looks_at=("camera", "working"), after=("full",), under=_without_detail),
    Reading("merged", _merged, reads=(*PLACES, "mend.repairs")),
    Reading("dust", _dust, looks_at=("camera",), under=_plain),
    Reading("specks", _specks, reads=PLACES, after=("dust",)),
    Reading("retouch", _retouch, reads=("mend.repairs", *PLACES)),
    Reading("subject", _subject, looks_at=("small display",), under=_plain),
    Reading("cast", _cast, looks_at=("small display",), reads=PLACES, after=("subject",)),
    Reading("whole_border", _whole_border, looks_at=("small display",), reads=PLACES, under=Recipe.uncropped),
    Reading("border", _border, looks_at=("small display",), reads=PLACES, after=("whole_border",)),
    Reading("edges", _edges, looks_at=("small rendered",), reads=("places", *PLACES), also=_waited_for),
    Reading("faces", _faces, looks_at=("small scene",), reads=("tone.exposure_EV", *PLACES)),
    Reading("attention", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand),
    Reading("attention_before", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand,
            under=lambda recipe: recipe.with_plain("places")),
    Reading("attention_unfinished", _attention, looks_at=("small rendered",), reads=PLACES, also=_is_at_hand,
            under=lambda recipe: recipe.with_plain("finish")),
    Reading("finish", _finish, looks_at=("small display",), reads=("finish",)),
    Reading("spots", _spots, looks_at=("small working",)),
    Reading("detail", _detail, looks_at=("display", "camera"), after=("spots",)),
    Reading("blur", _blur, looks_at=("small camera", "camera"), under=_plain),
    Reading("blur_after", _blur_after, looks_at=("small camera", "camera"), after=("blur",), under=_detail_alone),
    Reading("loupes", _loupes, looks_at=("screen",), after=("spots",)),
    Reading("patch_levels", _patch_levels, looks_at=("small working", "small scene"), after=("full", "patch_light")),
    Reading("blemishes", _blemishes, looks_at=("display",), under=_plain),
    Reading("blemishes_at", _blemishes_at, reads=PLACES, after=("blemishes",)),
    Reading("sharpened", _sharpened, looks_at=("display",), reads=("detail", "places", *PLACES)),
)  # fmt: skip
NAMES = tuple(reading.name for reading in READINGS)


class Meter(table.Meter):
    """Takes the readings of a picture."""

    def __init__(self, engine: Engine) -> None:
        super().__init__(engine, READINGS)

    def picture(self, recipe: Recipe) -> PictureReading:
        """All of them."""
        return PictureReading(self.read(recipe))
