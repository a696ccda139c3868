"""The nodes of places: the colours that are picked, the masks, and what is changed where they are.

Masks read the picture as it is rendered without any place, so that no place feeds back into one.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

import cv2
import numpy as np

from ..colour.spaces import XYZ_TO_REC2020, xy_to_XYZ
from ..colour.temperature import planckian_xy
from ..colour.types import Array
from ..kernels.places import CHANGES, placed
from ..kernels.tone import log_luminance
from ..masks.join import joined, known, margin_px
from ..masks.view import Point, View, lab
from ..recipe.model import Recipe
from ..recipe.places import Colour, Place, Reach
from ..recipe.tree import Rows, Section
from .lattice import frame_places
from .node import Node, Patch, Pixels, Work, product
from .tiles import Region, level_for

PICKED_PX = 700
"""Least long side of the picture that picked colours are read from, the same however the picture is viewed."""
PICK_PX = 5
"""Px of it to a side about a pick that count."""
AT_ONCE = 2
"""Masks that are made side by side."""
NEUTRAL_MIRED = 1e6 / 6504.0
LEAST_MIRED, MOST_MIRED = 1e6 / 25_000.0, 1e6 / 1500.0


def at_work(recipe: Recipe) -> Iterator[tuple[str, Place]]:
    """The places that change anything, by id, in their order."""
    for ident, place in recipe.places.items():
        if isinstance(place, Place) and place.active == "on" and place.strength_percent and any(changes_of(place)):
            yield ident, place


def changes_of(place: Place) -> tuple[float, ...]:
    """What it changes at full strength, see `kernels.places.CHANGES`."""
    stops = warmer_stops(place.warmer_mired) + place.exposure_EV
    return (*(float(value) for value in stops), place.chroma_percent / 100.0)


@lru_cache(maxsize=256)
def warmer_stops(mired: float) -> Array:
    """By how many stops red, green and blue of linear Rec.2020 change, (3,), so that what was neutral looks lit by a
    black body so many mired warmer than D65's temperature; white keeps its luminance."""
    if not mired:
        return np.zeros(3)
    ends = [
        XYZ_TO_REC2020 @ xy_to_XYZ(planckian_xy(1e6 / min(max(at, LEAST_MIRED), MOST_MIRED)))
        for at in (NEUTRAL_MIRED, NEUTRAL_MIRED + mired)
    ]
    return np.asarray(np.log2(np.maximum(ends[1], 1e-3) / ends[0]))


def places_node(name: str, scene: Node, reference: Node, small_reference: Node) -> Node:
    """The node that changes a scene by its places. reference: the scene rendered without any, and that of the small
    picture, of the same kind."""
    masks = masks_node(f"masks of the {name}", scene, reference, small_reference, _masks_at_work)
    return Node(
        name,
        _placed,
        (scene, masks),
        key=lambda work: tuple((changes_of(place), place.strength_percent) for _, place in at_work(work.recipe)),
        is_idle=lambda work: next(at_work(work.recipe), None) is None,
    )


def masks_node(
    name: str, scene: Node, reference: Node, small_reference: Node, which: Callable[[Work], tuple[Rows[Section], ...]]
) -> Node:
    """The node that makes masks, (height, width, masks), of those that `which` names."""
    picks = product(
        f"picks of {name}",
        lambda work: colours_at(work, small_reference, _picks(which(work))),
        (small_reference,),
        key=lambda work: tuple(_picks(which(work))),
        of_whole=True,
    )
    return Node(
        name,
        lambda work, seen, shown: masks_of(work, which(work), seen, shown, work.ask.product(picks)),
        (scene, reference, picks),
        ("tone.exposure_EV",),
        grow=lambda work: with_margin(work, which(work)),
        key=which,
    )


def _masks_at_work(work: Work) -> tuple[Rows[Section], ...]:
    return tuple(place.mask for _, place in at_work(work.recipe))


def _placed(work: Work, scene: Patch, masks: Patch) -> Pixels:
    here = [place for _, place in at_work(work.recipe)]
    table = np.array([changes_of(place) for place in here]).reshape(-1, CHANGES)
    strength = np.array([place.strength_percent / 100.0 for place in here])[:, None]
    return placed(scene.pixels, masks.pixels, (table * strength).astype(np.float32))


def masks_of(
    work: Work, masks: Sequence[Rows[Section]], scene: Patch, reference: Patch, colours: Mapping[Point, Array]
) -> Pixels:
    """(height, width, masks) of the region that is asked for, from patches with their margin."""
    exposure_EV = np.float32(work.recipe.tone.exposure_EV)
    view = View(
        reference.pixels,
        lambda: log_luminance(scene.pixels) + exposure_EV,
        lambda: frame_places(work.mapping, work.level, scene.region),
        2.0**work.level,
        max(work.mapping.frame_size),
        colours,
    )
    left, top, width, height = work.region
    left, top = left - scene.region[0], top - scene.region[1]
    part = np.s_[top : top + height, left : left + width]
    # place by place in memory, as the kernel wants them
    out = np.empty((len(masks), height, width), np.float32)

    def make(n: int) -> None:
        out[n] = joined(masks[n].values(), view)[part]

    with ThreadPoolExecutor(min(len(masks), AT_ONCE)) as pool:
        list(pool.map(make, range(len(masks))))
    return np.moveaxis(out, 0, 2)


def with_margin(work: Work, masks: Sequence[Rows[Section]]) -> Region:
    """The region with what feathers look at around it."""
    margin = math.ceil(max((margin_px(mask.values()) for mask in masks), default=0.0) / 2.0**work.level) + 1
    x, y, w, h = work.region
    width, height = work.mapping.size_at(work.level)
    left, top = max(0, x - margin), max(0, y - margin)
    return left, top, min(width, x + w + margin) - left, min(height, y + h + margin) - top


def _picks(masks: Sequence[Rows[Section]]) -> list[Point]:
    """Every place of the frame whose colour some part wants to know."""
    found: dict[Point, None] = {}
    for mask in masks:
        for part in known(mask.values()):
            if isinstance(part, Colour | Reach):
                found.update(dict.fromkeys(part.picks))
            if isinstance(part, Reach):
                found.update(dict.fromkeys(part.keep_out))
    return list(found)


def colours_at(work: Work, small: Node, picks: list[Point]) -> dict[Point, Array]:
    """L*, a*, b* of picks, as the whole picture shows them without any place."""
    if not picks:
        return {}
    level = level_for(work.mapping.size, PICKED_PX)
    shown = work.ask.whole(small, level)
    at = np.array(picks) * max(work.mapping.frame_size) - 0.5
    centres = (work.mapping.to_picture(at) + 0.5) / 2.0**level - 0.5
    return {pick: lab(_mean_about(shown, centre))[0, 0] for pick, centre in zip(picks, centres, strict=True)}


def _mean_about(shown: Pixels, centre: Array) -> Array:
    part = cv2.getRectSubPix(shown, (PICK_PX, PICK_PX), (float(centre[0]), float(centre[1])))
    return np.asarray(part.reshape(1, -1, 3).mean(axis=1, keepdims=True), np.float32)
