"""The nodes that blur what lies behind the subject, as a wide lens would: discs of scene light.

What is blurred is the background alone: where the subject covers it, it is weighed out before light is spread over a
disc (a normalised convolution, Knutsson and Westin 1993), so that nothing of the subject runs into it. Over its edge
the subject's own colours are taken from inside it, so that nothing of the sharp background stays round it either.

The small picture is blurred once by several discs, each half of the one before, and what lies between them is mixed.
"""

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from math import ceil

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE
from ...raw.frame import Exposure
from ...recipe.finish import Behind
from ...recipe.places import Place
from ..frame.found import WHOLE
from ..frame.tiles import Region, deepest, grown
from ..stages.node import Node, NodePatch, Pixels, Work, product
from ..stages.tone import Toning
from .weighing import Masked, looked, mask_of, masks_node

FINEST_LEVEL = 2
"""Level of the smallest disc, at most: 16 px of the full frame across or more."""
LEAST_DISC_PX, LAYER_PX = 10.0, 14.0
"""Across: the smallest disc of the full frame that a layer is made for, and what one has at its own level at least."""
LIGHT_FROM, LIGHT_FULL = 0.8, 1.2
"""Luminance at which lights begin to be taken for brighter than they could be recorded, and from which they are."""
LITTLE = 1e-3
FRAME_MM = 36.0
EDGE_PX, MARGIN = 6.0, 4.5
"""Spread of the subject's own colours over its edge, px of the full frame, and how many times that is looked around."""

Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Layer:
    """The background blurred by one disc, linear Rec.2020 (height, width, 3), and its level."""

    light: Pixels
    level: int
    disc_px: float
    """Of the full frame."""


@dataclass(frozen=True)
class Blurring:
    """The mask and the layers of a picture, which all ways to show it share."""

    layers: Node

    @classmethod
    def of(cls, small_scene: Node, toning: Toning, reference: Node) -> "Blurring":
        kept = masks_node("kept sharp in the small picture", toning.scene, reference, reference, _kept)

        def run(work: Work) -> tuple[Layer, ...]:
            own = work.recipe.finish.behind
            if not is_blurring(work):
                return ()
            out: list[Layer] = []
            disc_px = own.disc_px
            while not out or (has_ramp(own) and disc_px >= LEAST_DISC_PX):
                out.append(_layer(work, small_scene, kept, disc_px))
                disc_px /= 2.0
            return tuple(out)

        # where the ground lies decides nothing here but whether there is a ramp: its lines are dragged
        reads = ("finish.behind.disc_px", "finish.behind.keeps", "finish.behind.lights_EV", "tone.exposure_EV")

        def key(work: Work) -> tuple[bool, bool]:
            return _waits(work), has_ramp(work.recipe.finish.behind)

        return cls(product("blurred background", run, (small_scene, kept), reads, key=key))

    def node(self, name: str, scene: Node, toning: Toning, reference: Node, small_reference: Node) -> Node:
        """The node after a scene with its places; the others are what masks read, see `places.placing`."""
        kept = masks_node(f"kept sharp{name}", toning.scene, reference, small_reference, _kept)

        def run(work: Work, seen: NodePatch, masks: NodePatch) -> Pixels:
            layers: tuple[Layer, ...] = work.ask.product(self.layers)
            own = work.recipe.finish.behind
            disc_px = own.disc_px * share_of(own, work.mapping.size_at(work.level)[1], work.region)
            sharp = _cut(seen, work.region)
            behind = _between(sharp, [_at(work, layer) for layer in layers], layers, disc_px)
            if not _kept(work):
                return behind
            front = _cut(
                NodePatch(_own_colours(seen.pixels, masks.pixels[..., 0], _edge_px(work)), seen.region), work.region
            )
            mask = _cut(masks, work.region)
            return np.asarray(mask * front + (1.0 - mask) * behind, np.float32)

        def around(work: Work) -> Region:
            margin = ceil(MARGIN * _edge_px(work)) if _kept(work) else 0
            return grown(work.region, work.mapping.size_at(work.level), margin)

        return Node(
            f"behind{name}", run, (scene, kept, self.layers), ("finish.behind",), grow=around,
            is_idle=lambda work: not is_blurring(work), key=_waits,
        )  # fmt: skip


def is_blurring(work: Work) -> bool:
    """Not while the subject that is kept sharp is looked for: it would be blurred with all else."""
    return bool(work.recipe.finish.behind.disc_px) and not _waits(work)


def _kept(work: Work) -> tuple[Masked, ...]:
    ident = work.recipe.finish.behind.keeps
    return (mask_of(work.recipe, ident),) if isinstance(work.recipe.places.get(ident), Place) else ()


def _waits(work: Work) -> bool:
    return any(looked(work, mask) != WHOLE for mask in _kept(work))


def has_ramp(own: Behind) -> bool:
    """Whether the ground grows blurred from a line on."""
    return own.sharp_y != own.far_y


def share_of(own: Behind, height: int, region: Region) -> Plane:
    """Of the whole disc that px of a region have, (height, 1): all of it, or growing from the line that is sharp."""
    _, top, _, rows = region
    y = (np.arange(top, top + rows, dtype=np.float32) + 0.5) / height
    if not has_ramp(own):
        return np.ones((rows, 1), np.float32)
    away = np.abs(y - np.float32(own.sharp_y)) / np.float32(abs(own.far_y - own.sharp_y))
    return np.minimum(away, 1.0)[:, None].astype(np.float32)


def _layer(work: Work, small_scene: Node, kept: Node, disc_px: float) -> Layer:
    most = deepest(work.mapping.size)
    level = min(FINEST_LEVEL, most)
    while disc_px / 2.0 ** (level + 1) >= LAYER_PX and level < most:
        level += 1
    seen = work.ask.whole(small_scene, level)
    if _kept(work):
        mask = work.ask.whole(kept, level)[..., 0]
    else:
        mask = np.zeros(seen.shape[:2], np.float32)
    gain = np.float32(2.0**work.recipe.tone.exposure_EV)
    lights = brightened(seen, gain, work.recipe.finish.behind.lights_EV)
    return Layer(spread(lights, np.float32(1.0) - mask, disc_px / 2.0**level), level, disc_px)


def brightened(scene: Pixels, gain: np.float32, lights_EV: float) -> Pixels:
    """A scene whose lights are as bright again as a sensor could not hold them."""
    if not lights_EV:
        return scene
    Y = cv2.transform(scene, LUMINANCE[None].astype(np.float32)) * gain
    share = np.clip((Y - LIGHT_FROM) / (LIGHT_FULL - LIGHT_FROM), 0.0, 1.0)
    return np.asarray(scene * np.exp2(lights_EV * share)[..., None], np.float32)


def spread(light: Pixels, weight: Plane, disc_px: float) -> Pixels:
    """Light (height, width, 3) spread over discs, what has no weight left out; it fills what is covered from around."""
    kernel = disc(disc_px)
    border = cv2.BORDER_REFLECT
    total = cv2.filter2D(weight, cv2.CV_32F, kernel, borderType=border)
    sums = cv2.filter2D(light * weight[..., None], cv2.CV_32F, kernel, borderType=border)
    # deep inside what is covered, where no disc reaches out: from farther away, more and more
    far = max(disc_px, 1.0)
    while float(total.min()) < LITTLE and far < 2.0 * max(light.shape[:2]):
        wide, wide_total = (cv2.GaussianBlur(each, (0, 0), far, borderType=border) for each in (sums, total))
        lacks = np.clip(1.0 - total / LITTLE, 0.0, 1.0)
        sums = sums + lacks[..., None] * wide
        total = total + lacks * wide_total
        far *= 2.0
    return np.asarray(sums / np.maximum(total, 1e-6)[..., None], np.float32)


@lru_cache(maxsize=16)
def disc(across_px: float) -> Plane:
    """An even disc whose sum is 1, its rim as far as it covers px."""
    half = int(np.ceil(across_px / 2.0 + 0.5))
    fine = 4
    at = (np.arange((2 * half + 1) * fine) + 0.5) / fine - half - 0.5
    inside = (at[:, None] ** 2 + at[None] ** 2 <= max(across_px / 2.0, 0.5) ** 2).astype(np.float32)
    made = inside.reshape(2 * half + 1, fine, 2 * half + 1, fine).mean(axis=(1, 3))
    return np.asarray(made / made.sum(), np.float32)


def _at(work: Work, layer: Layer) -> Pixels:
    left, top, width, height = work.region
    step = 2.0 ** (work.level - layer.level)
    move = np.array([[step, 0.0, (left + 0.5) * step - 0.5], [0.0, step, (top + 0.5) * step - 0.5]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpAffine(layer.light, move, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)


def _between(sharp: Pixels, blurred: list[Pixels], layers: tuple[Layer, ...], disc_px: Plane) -> Pixels:
    """What discs of such sizes, (height, 1), make: mixed of the two layers beside, or of the last one and what is
    sharp."""
    steps = [*(layer.disc_px for layer in layers), 0.0]
    out = np.zeros_like(sharp)
    for (larger, smaller), (one, other) in zip(pairwise(steps), pairwise([*blurred, sharp]), strict=True):
        inside = (disc_px > smaller) & (disc_px <= larger)
        share = (np.clip((disc_px - smaller) / (larger - smaller), 0.0, 1.0) * inside)[..., None]
        out += share * one + (inside[..., None] - share) * other
    return np.asarray(out + (disc_px <= 0.0)[..., None] * sharp, np.float32)


def _own_colours(sharp: Pixels, mask: Plane, sigma: float) -> Pixels:
    """The subject's colours: over its edge those from inside it."""
    edge = (mask > 0.02) & (mask < 0.98)
    if not edge.any():
        return sharp
    weight = np.square(np.square(mask)) + 1e-6
    total = cv2.GaussianBlur(weight, (0, 0), sigma)
    inside = cv2.GaussianBlur(sharp * weight[..., None], (0, 0), sigma) / total[..., None]
    return np.where(edge[..., None], inside, sharp)


def _edge_px(work: Work) -> float:
    return max(EDGE_PX / 2.0**work.level, 0.6)


def _cut(seen: NodePatch, region: Region) -> Pixels:
    left, top = region[0] - seen.region[0], region[1] - seen.region[1]
    return seen.pixels[top : top + region[3], left : left + region[2]]


def f_number_of(disc_px: float, long_px: int, shot: Exposure) -> float | None:
    """The f-number at which a lens that sees as much on a frame of 36x24 mm, focused as this one was, makes such a disc
    of a point very far behind; None where focal length or distance is not known."""
    focal_mm, focus_m = shot.focal_35_mm or shot.focal_mm, shot.focus_m
    if not disc_px or not focal_mm or not focus_m or 1000.0 * focus_m <= focal_mm:
        return None
    across_mm = disc_px / long_px * FRAME_MM
    return focal_mm**2 / ((1000.0 * focus_m - focal_mm) * across_mm)
