"""The node that darkens a scene towards the edges of the picture."""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE
from ...colour.types import Array
from ...recipe.finish import FallOff
from ...recipe.model import Recipe
from ...recipe.places import Place
from ..stages.node import Node, NodePatch, Pixels, Work
from ..stages.tone import Toning
from .weighing import Masked, mask_of, masks_node

Plane = NDArray[np.float32]

BLACK_EV, DARK_EV, LIGHT_EV, WHITE_EV = -6.0, -4.0, 1.3, 2.3
"""From middle grey: darker than the first and lighter than the last is protected, between the two in the middle nothing
is."""
GREY, MOST_ROOT, STEPS = 0.18, 2.0, 2048
COARSE = 8
"""Px from node to node of the map, which is smooth."""
SQUARE = 4.0
"""Power of the shape that follows the picture: 2 is an ellipse, more has corners."""


def fallen_off(name: str, scene: Node, toning: Toning, reference: Node, small_reference: Node) -> Node:
    """The node after a scene with its places; the others are what masks read, see `places.placing`."""
    spared = masks_node(f"spared by fall-off{name}", toning.scene, reference, small_reference, _spared)

    def run(work: Work, seen: NodePatch) -> Pixels:
        own = work.recipe.finish.fall_off
        stops = stops_at(own, work.mapping.size_at(work.level), work.region)
        if _spared(work):
            stops *= 1.0 - work.take(spared)[..., 0]
        if own.protect_percent:
            stops *= _kept(seen.pixels, own.protect_percent, work.recipe.tone.exposure_EV)
        return np.asarray(seen.pixels * np.exp2(stops)[..., None], np.float32)

    return Node(
        f"edges{name}", run, (scene,), ("finish.fall_off", "tone.exposure_EV"), aside=(spared,),
        is_idle=lambda work: is_even(work.recipe),
    )  # fmt: skip


def is_even(recipe: Recipe) -> bool:
    own = recipe.finish.fall_off
    return not (own.depth_EV or own.lift_EV)


def _spared(work: Work) -> tuple[Masked, ...]:
    ident = work.recipe.finish.fall_off.spares
    return (mask_of(work.recipe, ident),) if isinstance(work.recipe.places.get(ident), Place) else ()


def stops_at(own: FallOff, size: tuple[int, int], region: tuple[int, int, int, int]) -> Plane:
    """By how many stops px of a region change, (height, width), in a picture of `size` px."""
    left, top, width, height = region
    # by a coarse map, whose nodes lie at the same places whatever the region
    across, down = (np.arange(first // COARSE, (first + count) // COARSE + 2) * COARSE
                    for first, count in ((left, width), (top, height)))  # fmt: skip
    rough = _exact(own, size, across + 0.5, down + 0.5)
    move = np.array([[1.0 / COARSE, 0.0, (left - across[0]) / COARSE], [0.0, 1.0 / COARSE, (top - down[0]) / COARSE]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(rough, move, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE))


def _exact(own: FallOff, size: tuple[int, int], x: Array, y: Array) -> Plane:
    wide, high = float(size[0]), float(size[1])
    at_x, at_y = own.x * wide, own.y * high
    dx, dy = (x - at_x)[None, :], (y - at_y)[:, None]
    match own.side:
        case "all":
            corners_x, corners_y = np.array([0.0, wide]) - at_x, (np.array([0.0, high]) - at_y)[:, None]
            far = _distance(own, wide, high, dx, dy) / _distance(own, wide, high, corners_x, corners_y).max()
        case "left":
            far = -dx / max(at_x, 1.0) + 0.0 * dy
        case "right":
            far = dx / max(wide - at_x, 1.0) + 0.0 * dy
        case "top":
            far = -dy / max(at_y, 1.0) + 0.0 * dx
        case _:
            far = dy / max(high - at_y, 1.0) + 0.0 * dx
    return np.asarray(profile(own, far), np.float32)


def profile(own: FallOff, far: Array) -> Array:
    """By how many stops a picture changes so far from the centre: 1 is the farthest corner, or the edge of one side."""
    start = own.start_percent / 100.0
    dark = _smooth((far - start) / (1.0 - start))
    light = 1.0 - _smooth(np.abs(far) / max(start, 0.3))
    return np.asarray(own.lift_EV * light - own.depth_EV * dark)


def _distance(own: FallOff, wide: float, high: float, dx: Array, dy: Array) -> Array:
    """From the centre: half a diagonal is 1 for a circle, half a side for the picture's own shape."""
    round_one = np.hypot(dx, dy) / np.hypot(wide / 2.0, high / 2.0)
    u, v = np.abs(dx) / (wide / 2.0), np.abs(dy) / (high / 2.0)
    square = ((u**SQUARE + v**SQUARE) / 2.0) ** (1.0 / SQUARE)
    share = own.round_percent / 100.0
    return np.asarray(share * round_one + (1.0 - share) * square)


def _smooth(t: Array) -> Array:
    t = np.clip(t, 0.0, 1.0)
    return np.asarray(t * t * (3.0 - 2.0 * t))


def _kept(scene: Pixels, protect_percent: float, exposure_EV: float) -> Plane:
    """How much of a change px take, 0..1, by their luminance."""
    table = _ends(protect_percent)
    root = np.sqrt(np.maximum(cv2.transform(scene, LUMINANCE[None].astype(np.float32) * 2.0**exposure_EV), 0.0))
    return np.asarray(table[np.minimum(root * ((STEPS - 1) / MOST_ROOT), STEPS - 1).astype(np.int32)])


@lru_cache(maxsize=8)
def _ends(protect_percent: float) -> Plane:
    root = np.linspace(0.0, MOST_ROOT, STEPS)
    EV = np.log2(np.maximum(root**2, 1e-9) / GREY)
    counts = _smooth((EV - BLACK_EV) / (DARK_EV - BLACK_EV)) * _smooth((WHITE_EV - EV) / (WHITE_EV - LIGHT_EV))
    return np.asarray(1.0 - protect_percent / 100.0 * (1.0 - counts), np.float32)
