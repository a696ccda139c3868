"""What sharpening adds and takes, where, and how much of it lies on skin and in the sky, which seldom want any."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import sRGB_to_Lab
from ...colour.types import Array
from ...develop.frame.tiles import Region, Size, common
from ...develop.graph.engine import Engine
from ...develop.stages.deblur import NOTHING_BACK
from ...masks.faces import Face
from ...masks.features import filled
from ...recipe.model import Recipe
from ...recipe.places import Place

FULL_L = 8.0
"""L* that the signed view shows black or white."""
SEEN_L = 0.5
"""L* from which on a px counts as sharpened. By eye, no source."""
LEAST_FACE_PX, MOST_FACES, FACE_PX = 60.0, 4, 400
"""Height of a face whose skin is looked at, how many, and the side of what is looked at of each."""
SKY_PX, SKY_SPOTS, LEAST_SKY = 160, 3, 0.03
"""Side and number of the spots of sky, and the share of the picture from which on there is one."""
INSIDE = 0.9


@dataclass(frozen=True)
class SharpenedReading:
    """Mean change of L* by sharpening, without its sign; None where nothing of it is in the picture."""

    skin_L: float | None
    sky_L: float | None


def unsharpened(recipe: Recipe) -> Recipe:
    """The recipe without any sharpening, by the whole or by places, nor blur taken back."""
    places = [ident for ident, place in recipe.places.items() if isinstance(place, Place) and place.sharpen_percent]
    return recipe.applied([
        *NOTHING_BACK, ("detail.sharpen.amount_percent", 0.0),
        *((f"places.{ident}.sharpen_percent", 0.0) for ident in places),
    ])  # fmt: skip


def added_L(engine: Engine, recipe: Recipe, level: int, region: Region) -> NDArray[np.float32]:
    """By how much sharpening makes each px of a region of a level lighter, L* (height, width)."""
    plain, own = (
        sRGB_to_Lab(engine.render(each, level, region, result="display"))[..., 0]
        for each in (unsharpened(recipe), recipe)
    )
    return np.asarray(own - plain, np.float32)


def as_amount(engine: Engine, recipe: Recipe, level: int, region: Region) -> NDArray[np.uint8]:
    """Grey codes (height, width): what is added light, what is taken dark, what is left alone middle grey."""
    signed = added_L(engine, recipe, level, region) * (127.0 / FULL_L)
    return np.clip(np.rint(128.0 + signed), 0.0, 255.0).astype(np.uint8)


def as_where(engine: Engine, recipe: Recipe, level: int, region: Region) -> NDArray[np.uint8]:
    """Grey codes (height, width): white where sharpening acts, black where it leaves the picture alone."""
    share = np.abs(added_L(engine, recipe, level, region)) / SEEN_L
    return np.asarray(np.rint(255.0 * np.minimum(share, 1.0)), np.uint8)


def read_sharpened(
    added: Callable[[Region], Array], faces: Sequence[Face], sky: Array, step: int, size: Size
) -> SharpenedReading:
    """added: gives what sharpening adds in a region of the full-size picture of `size`, L*. faces: in px of that, the
    largest first. sky: how much each px of a small picture is, `step` full-size px per px of it."""
    on_skin = [found for face in faces[:MOST_FACES] if (found := _on_skin(added, face, size)) is not None]
    in_sky = [float(np.abs(added(spot)).mean()) for spot in _sky_spots(sky, step, size)]
    return SharpenedReading(*(float(np.mean(each)) if each else None for each in (on_skin, in_sky)))


def _on_skin(added: Callable[[Region], Array], face: Face, size: Size) -> float | None:
    if face.h < LEAST_FACE_PX:
        return None
    x, y = (float(v) for v in np.mean(face.features.oval, axis=0))
    half = min(FACE_PX, int(face.h)) // 2
    region = common((int(x) - half, int(y) - half, 2 * half, 2 * half), (0, 0, *size))
    if min(region[2:]) < LEAST_FACE_PX / 2.0:
        return None
    own = face.features.moved(lambda points: points - region[:2])
    shape = region[3], region[2]
    skin = filled(own.oval, shape)
    for line in own.not_skin:
        skin &= ~filled(line, shape, grow=max(1, round(0.03 * face.h)))
    return float(np.abs(added(region))[skin].mean()) if skin.any() else None


def _sky_spots(sky: Array, step: int, size: Size) -> list[Region]:
    """Squares that lie furthest within the sky."""
    inside = np.pad(sky > INSIDE, 1).astype(np.uint8)
    if inside.mean() < LEAST_SKY:
        return []
    out = []
    for _ in range(SKY_SPOTS):
        far = cv2.distanceTransform(inside, cv2.DIST_L2, 5)[1:-1, 1:-1]
        y, x = np.unravel_index(int(far.argmax()), far.shape)
        half = min(SKY_PX // 2, int(0.7 * far[y, x] * step))
        if half < SKY_PX // 8:
            break
        out.append(common((int(x) * step - half, int(y) * step - half, 2 * half, 2 * half), (0, 0, *size)))
        taken = max(1, 2 * half // step)
        inside[max(0, y + 1 - taken) : y + 2 + taken, max(0, x + 1 - taken) : x + 2 + taken] = 0
    return out
