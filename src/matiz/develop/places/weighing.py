"""The nodes of places: the colours that are picked, the masks, and what is changed where they are.

Masks read the picture as it is rendered without any place, so that no place feeds back into one.
"""

import math
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from ...colour.spaces import XYZ_TO_REC2020, xy_to_XYZ
from ...colour.temperature import cct_to_xy, duv_limit
from ...colour.types import Array
from ...kernels.display_places import BEND_SIZE, BLENDS
from ...kernels.places import placed, scene_placed
from ...kernels.tone import log_luminance
from ...masks.brush import starts
from ...masks.join import Within, joined, known, margin_px, spared, used_twice
from ...masks.view import Mask, MaskWindow, Point, lab
from ...raw.frame import CameraColour
from ...recipe.model import Light, Recipe
from ...recipe.places import Brush, Colour, Lasso, MaskPart, Place, Reach, SameAs, Stroke
from ...recipe.tree import Rows, Section, parts_of
from ..frame.camera_colour import balance, light_xy, partly
from ..frame.found import WHOLE
from ..frame.lattice import frame_places
from ..frame.mapping import PLACES
from ..frame.noise import taken_there
from ..frame.tiles import Region, grown, level_for
from ..stages.colour import by_hue, has_pegs
from ..stages.node import Node, NodePatch, Pixels, Work, product
from ..stages.rendition import STRAIGHT, curve
from ..stages.tone import READS, Toning, contrast_gain, scene_of, toned_by, zone_table

PICKED_PX = 700
"""Least long side of the picture that picked colours are read from, the same however the picture is viewed."""
PICK_PX = 5
"""Px of it to a side about a pick that count."""
NEUTRAL_MIRED = 1e6 / 6504.0
MOST_MIRED = 1e6 / 1500.0


def at_work(recipe: Recipe) -> Iterator[tuple[str, Place]]:
    """The places that change anything, by id, in their order."""
    for ident, place in recipe.places.items():
        if isinstance(place, Place) and place.active == "on" and place.strength_percent and is_decided(place):
            yield ident, place


def is_decided(place: Place) -> bool:
    """Whether it changes anything where its mask is."""
    light = place.exposure_EV or place.warmer_mired or place.greener_duv or place.chroma_percent or place.pinned_K
    detail = place.sharpen_percent or place.denoise_percent
    return bool(light or detail or tones(place) or shows(place) or has_pegs(place.pegs))


def pinned_stops(place: Place, colour: CameraColour, light: Light) -> Array:
    """By how many stops red, green and blue change, (3,), so that greys look as they did when the picture was balanced
    for the light that the place is pinned to: the inverse of how far the whole was moved since."""
    if not place.pinned_K:
        return np.zeros(3)
    pinned_xy = cct_to_xy(place.pinned_K, min(place.pinned_duv, duv_limit(place.pinned_K)))
    share = light.adaptation_percent / 100.0
    now, then = (partly(balance(colour, xy), share) for xy in (light_xy(colour, light), pinned_xy))
    # what is grey now, as it would have been shown then
    shown = then.matrix @ (then.gains / now.gains)
    return np.asarray(np.log2(np.maximum(shown, 1e-3) / np.maximum(now.matrix @ np.ones(3), 1e-3)))


def tones(place: Place) -> bool:
    """Whether it changes haze, zones or local contrast."""
    contrast = place.contrast
    return bool(
        place.haze_percent or any(place.zones_EV) or contrast.fine_dB or contrast.middle_dB or contrast.broad_dB
    )


def shows(place: Place) -> bool:
    """Whether it changes anything after the rendition."""
    return bool(lift_of(place) or place.curve != STRAIGHT or place.tint_chroma or place.blend != "normal")


def lift_of(place: Place) -> float:
    """Stops of exposure that lighten with chroma held."""
    return max(place.exposure_EV, 0.0) if place.hold_chroma == "on" else 0.0


@lru_cache(maxsize=256)
def warmer_stops(mired: float, duv: float = 0.0) -> Array:
    """By how many stops red, green and blue of linear Rec.2020 change, (3,), so that what was neutral looks lit by a
    light so many mired warmer and so much greener than a black body of D65's temperature; white keeps its luminance.
    Cooler is what takes as much warmer back: black bodies end at 40 mired."""
    if mired < 0.0 or (mired == 0.0 and duv < 0.0):
        return -warmer_stops(-mired, -duv)
    if not mired and not duv:
        return np.zeros(3)
    ends = []
    for further, off in ((0.0, 0.0), (mired, duv)):
        cct_K = 1e6 / min(NEUTRAL_MIRED + further, MOST_MIRED)
        ends.append(XYZ_TO_REC2020 @ xy_to_XYZ(cct_to_xy(cct_K, min(off, duv_limit(cct_K)))))
    return np.asarray(np.log2(np.maximum(ends[1], 1e-3) / ends[0]))


# ---- nodes


@dataclass(frozen=True, eq=False)
class Working:
    """Nodes of scene-linear Rec.2020: with noise taken out as is decided, with all of it, and with none."""

    own: Node
    clean: Node
    noisy: Node


def placing(
    name: str, toning: Toning, reference: Node, small_reference: Node, working: Working | None = None
) -> tuple[Node, Node]:
    """The node that changes a toned scene by its places, and that of their masks. reference: the scene rendered without
    any, and that of the small picture, of the same kind. working: what the scene is made from, where places can take
    out more of its noise or less."""
    masks = masks_node(f"masks of the {name}", toning.scene, reference, small_reference, _masks_at_work)
    calmed = None if working is None else toned_by(f"calmed {name}", _calmed(name, working, masks), toning.plan)

    def run(work: Work, toned: NodePatch, own: NodePatch) -> Pixels:
        source = toning if calmed is None or not any(_takes_noise(work.recipe)) else calmed
        scene = toned.pixels if source is toning else work.take(source.scene)
        here = [each for _, each in at_work(work.recipe)]
        strength = _strengths(here)
        lit = strength * np.array([_lit(each) for each in here])
        lights = np.array([_light(work, each) for each in here])
        if not any(tones(each) for each in here):
            return placed(scene, own.pixels, lit, lights)
        wants_fine = work.recipe.tone.contrast.fine_dB or any(each.contrast.fine_dB for each in here)
        how = scene_of(work, work.ask.product(toning.plan), work.take(source.fine) if wants_fine else None)
        changes = np.concatenate([lit, strength * np.array([_toned(each) for each in here])], axis=1)
        moves = strength * np.array([zone_table(each.zones_EV) for each in here])
        return scene_placed(work.take(source.working), how, own.pixels, changes, lights, moves.astype(np.float32))

    scene = Node(
        name,
        run,
        (toning.scene, masks, toning.plan),
        READS,
        aside=(toning.working, toning.fine, *(() if calmed is None else (calmed.scene, calmed.working, calmed.fine))),
        is_idle=lambda work: next(at_work(work.recipe), None) is None,
        key=lambda work: _key_of(
            work.recipe, _lit, lambda place: _light(work, place), _toned, lambda place: place.zones_EV
        ),
    )
    return scene, masks


def _calmed(name: str, working: Working, masks: Node) -> Node:
    """The node that takes as much noise out of each px as the places there say."""

    def run(work: Work, own: NodePatch) -> Pixels:
        more = np.clip(work.take(masks) @ np.array(_takes_noise(work.recipe), np.float32), -1.0, 1.0)[..., None]
        made = own.pixels
        if (more > 0.0).any():
            made = made + np.maximum(more, 0.0) * (work.take(working.clean) - made)
        if (more < 0.0).any():
            made = made + np.maximum(-more, 0.0) * (work.take(working.noisy) - made)
        return np.ascontiguousarray(made, np.float32)

    return Node(
        f"noise of the {name}", run, (working.own,), aside=(masks, working.clean, working.noisy),
        is_idle=lambda work: not any(_takes_noise(work.recipe)), key=lambda work: _takes_noise(work.recipe),
    )  # fmt: skip


def _takes_noise(recipe: Recipe) -> tuple[float, ...]:
    """How much each place at work takes out of the noise, in their order, see `taken_there`."""
    return tuple(taken_there(place) for _, place in at_work(recipe))


def display_changes(recipe: Recipe) -> tuple[Pixels, Pixels, Pixels] | None:
    """What places change after the rendition, what their curves add to lightness, and how they blend: see
    `kernels.display_places`; None where none changes anything."""
    here = [each for _, each in at_work(recipe)]
    if not any(shows(each) for each in here):
        return None
    strength = _strengths(here)
    changes, bends, blends = (
        (strength * np.array([of(each) for each in here])).astype(np.float32) for of in (_shown, _bend, _blends)
    )
    return changes, bends, blends


def pegs_of(recipe: Recipe) -> Pixels | None:
    """What the hue pegs of places do, (places, HUES + 1, 3), see `kernels.colour.BY_HUE`; None where there are none."""
    here = [each for _, each in at_work(recipe)]
    if not any(has_pegs(each.pegs) for each in here):
        return None
    tables = np.array([by_hue(each.pegs) for each in here])
    return np.asarray(_strengths(here)[..., None] * tables, np.float32)


def display_key(work: Work) -> Hashable:
    """What `display_changes` and `pegs_of` follow from."""
    return _key_of(work.recipe, _shown, lambda place: place.curve, _blends, lambda place: place.pegs)


def _key_of(recipe: Recipe, *of: Callable[[Place], Hashable]) -> Hashable:
    return tuple((place.strength_percent, *(each(place) for each in of)) for _, place in at_work(recipe))


def _lit(place: Place) -> tuple[float, ...]:
    """See `kernels.places.LIGHT_CHANGES`."""
    return place.exposure_EV, place.chroma_percent / 100.0


def _light(work: Work, place: Place) -> tuple[float, ...]:
    """The light that it takes for white, red, green and blue, at its strength and as the whole is balanced now."""
    stops = warmer_stops(place.warmer_mired, place.greener_duv)
    stops = stops + pinned_stops(place, work.sensor.frame.colour, work.recipe.light)
    return tuple(float(value) for value in 2.0 ** (-stops * place.strength_percent / 100.0))


def _strengths(here: list[Place]) -> Array:
    return np.array([place.strength_percent / 100.0 for place in here])[:, None]


def _toned(place: Place) -> tuple[float, ...]:
    """What it changes of the tone, after `_lit`, see `kernels.places.CHANGES`."""
    contrast = place.contrast
    gains = (contrast_gain(dB) for dB in (contrast.fine_dB, contrast.middle_dB, contrast.broad_dB))
    return (place.haze_percent / 100.0, *gains)


def _shown(place: Place) -> tuple[float, ...]:
    """See `kernels.display_places.CHANGES`."""
    hue = math.radians(place.tint_hue_deg)
    tint = place.tint_chroma * math.cos(hue), place.tint_chroma * math.sin(hue)
    return (lift_of(place), *tint)


def _blends(place: Place) -> tuple[float, ...]:
    """See `kernels.display_places.BLENDS`."""
    return tuple(float(place.blend == blend) for blend in BLENDS)


def _bend(place: Place) -> Array:
    """What its curve adds to L*, see `kernels.display_places.BEND_SIZE`."""
    L = np.linspace(0.0, 1.0, BEND_SIZE)
    return (curve(place.curve, L) - L) * 100.0 if place.curve != STRAIGHT else np.zeros(BEND_SIZE)


# ---- masks


@dataclass(frozen=True)
class Masked:
    """A mask and the zones that it spares."""

    parts: Rows[Section]
    spare_dark: float = 0.0
    spare_light: float = 10.0

    @property
    def digest(self) -> Hashable:
        return self.parts.digest, self.spare_dark, self.spare_light


def mask_of(recipe: Recipe, ident: str) -> Masked:
    """The mask of a place; what it has from other places is put in."""
    place = recipe.places[ident]
    assert isinstance(place, Place)
    return Masked(_put_in(recipe, place.mask, (ident,)), place.spare_dark, place.spare_light)


def _put_in(recipe: Recipe, parts: Rows[Section], within: tuple[str, ...]) -> Rows[Section]:
    """Parts with the masks of other places in them. One that is gone, or has this one in it, leaves nothing."""
    if not any(isinstance(part, SameAs) for part in parts.values()):
        return parts
    out: list[tuple[str, Section]] = []
    for ident, part in parts.items():
        if isinstance(part, SameAs):
            own = {name: getattr(part, name) for name in parts_of(MaskPart)}
            other = recipe.places.get(part.of)
            if not isinstance(other, Place) or part.of in within:
                part = Lasso(**own)
            else:
                inner = _put_in(recipe, other.mask, (*within, part.of))
                part = Within(**own, parts=inner, spare_dark=other.spare_dark, spare_light=other.spare_light)
        out.append((ident, part))
    return Rows(out)


def _masks_at_work(work: Work) -> tuple[Masked, ...]:
    return tuple(mask_of(work.recipe, ident) for ident, _ in at_work(work.recipe))


def masks_node(
    name: str, scene: Node, reference: Node, small_reference: Node, which: Callable[[Work], tuple[Masked, ...]]
) -> Node:
    """The node that makes masks, (height, width, masks), of those that `which` names."""
    picks = product(
        f"picks of {name}",
        lambda work: colours_at(work, small_reference, _picks(which(work))),
        (small_reference,),
        key=lambda work: tuple(_picks(which(work))),
        of_whole=True,
    )

    def run(work: Work, seen: NodePatch, shown: NodePatch) -> Pixels:
        def kept(view: MaskWindow, strokes: Rows[Stroke]) -> Mask:
            keeps_to = any(stroke.keep_to for stroke in strokes.values())
            colours = work.ask.digest(reference) if keeps_to else b""
            lies = tuple(work.recipe.get(path) for path in PLACES)
            return work.sensor.paint.mask(view, strokes, (work.level, seen.region, lies, colours))

        return masks_of(work, which(work), seen, shown, work.ask.product(picks), kept)

    return Node(
        name,
        run,
        (scene, reference, picks),
        ("tone.exposure_EV",),
        grow=lambda work: with_margin(work, which(work)),
        key=lambda work: tuple((mask.digest, looked(work, mask)) for mask in which(work)),
    )


def looked(work: Work, mask: Masked) -> int:
    """After how many looks at the subject a mask is made: 0 where it is empty since nothing is known of the subject
    yet, WHOLE where it is what it will be."""
    found = work.sensor.found
    return found.looked if found is not None and wants_subject(mask.parts) else WHOLE


def wants_subject(parts: Rows[Section]) -> bool:
    """Whether some part of a mask follows from what the subject of the picture is."""
    for part in parts.values():
        if isinstance(part, Within) and wants_subject(part.parts):
            return True
        if isinstance(part, MaskPart) and part.WANTS_SUBJECT:
            return True
    return False


def masks_of(
    work: Work, masks: Sequence[Masked], scene: NodePatch, reference: NodePatch, colours: Mapping[Point, Array],
    painted: Callable[[MaskWindow, Rows[Stroke]], Mask],
) -> Pixels:  # fmt: skip
    """(height, width, masks) of the region that is asked for, from patches with their margin."""
    exposure_EV = np.float32(work.recipe.tone.exposure_EV)
    view = MaskWindow(
        np.ascontiguousarray(reference.pixels),
        lambda: log_luminance(scene.pixels) + exposure_EV,
        lambda: frame_places(work.mapping, work.level, scene.region),
        2.0**work.level,
        max(work.mapping.frame_size),
        colours,
        painted,
        work.sensor.found,
        used_twice(mask.parts for mask in masks),
    )
    left, top, width, height = work.region
    left, top = left - scene.region[0], top - scene.region[1]
    part = np.s_[top : top + height, left : left + width]
    # place by place in memory, as the kernels want them
    out = np.empty((len(masks), height, width), np.float32)
    for own, mask in zip(out, masks, strict=True):
        if not looked(work, mask):
            own[...] = 0.0
            continue
        made = joined(mask.parts.values(), view, own if own.shape == view.shape else None)
        made = spared(made, view, mask.spare_dark, mask.spare_light)
        if made is not own:
            own[...] = made[part]
    return np.moveaxis(out, 0, 2)


def with_margin(work: Work, masks: Sequence[Masked]) -> Region:
    """The region with what feathers look at around it."""
    reach_px = max((margin_px(mask.parts.values()) for mask in masks), default=0.0)
    return grown(work.region, work.mapping.size_at(work.level), math.ceil(reach_px / 2.0**work.level) + 1)


def _picks(masks: Iterable[Masked]) -> list[Point]:
    """Every place of the frame whose colour some part wants to know."""
    found: dict[Point, None] = {}
    for mask in masks:
        _find_picks(mask.parts, found)
    return list(found)


def _find_picks(parts: Rows[Section], found: dict[Point, None]) -> None:
    for part in known(parts.values()):
        match part:
            case Within():
                _find_picks(part.parts, found)
            case Brush():
                found.update(dict.fromkeys(starts(part.strokes.values())))
            case Colour():
                found.update(dict.fromkeys(part.picks))
            case Reach():
                found.update(dict.fromkeys((*part.picks, *part.keep_out)))


def colours_at(work: Work, small: Node, picks: list[Point]) -> dict[Point, Array]:
    """L*, a*, b* of picks, as the whole picture shows them without any place."""
    if not picks:
        return {}
    level = level_for(work.mapping.size, PICKED_PX)
    shown = work.ask.whole(small, level)
    at = np.array(picks) * max(work.mapping.frame_size) - 0.5
    centres = (work.mapping.to_picture(at) + 0.5) / 2.0**level - 0.5
    seen = lab(np.concatenate([_mean_about(shown, centre) for centre in centres]))
    return dict(zip(picks, seen[:, 0], strict=True))


def _mean_about(shown: Pixels, centre: Array) -> Array:
    part = cv2.getRectSubPix(shown, (PICK_PX, PICK_PX), (float(centre[0]), float(centre[1])))
    return np.asarray(part.reshape(1, -1, 3).mean(axis=1, keepdims=True), np.float32)
