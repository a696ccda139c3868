"""The nodes of glow: what is bright, spread once over the small picture, then added where the picture is not black."""

from dataclasses import dataclass

import cv2
import numpy as np

from ...colour.spaces import LUMINANCE, luminance
from ..frame.sensor import HIGHLIGHTS_LEVEL
from ..frame.tiles import deepest
from ..stages.node import Node, NodePatch, Pixels, Work, product
from .weighing import warmer_stops

LEAST_PX = 4.0
"""Spread of the glow at the level that it is made at."""
MOST_LIGHT = 4.0
"""Of diffuse white: what is brighter spreads no more than that."""
WIDER, WIDE_SHARE = 3.0, 0.35
"""A second spread, so many times wider, and its share."""
DIM = 0.03
"""Luminance up to which little is added."""


@dataclass(frozen=True, eq=False)
class Spread:
    """Light to be added, linear Rec.2020 (height, width, 3), and its level."""

    light: Pixels
    level: int


def glow_product(small_scene: Node) -> Node:
    """The product of a small scene's glow."""

    def run(work: Work) -> Spread | None:
        own = work.recipe.finish.glow
        if not own.amount_percent:
            return None
        most = deepest(work.mapping.size)
        level = min(HIGHLIGHTS_LEVEL, most)
        while own.radius_px / 2.0 ** (level + 1) >= LEAST_PX and level < most:
            level += 1
        seen = work.ask.whole(small_scene, level) * np.float32(2.0**work.recipe.tone.exposure_EV)
        Y = np.maximum(cv2.transform(seen, LUMINANCE[None].astype(np.float32)), 1e-6)
        least = np.float32(luminance(own.from_L))
        share = np.clip(np.minimum(Y, MOST_LIGHT) - least, 0.0, None) / Y
        bright = seen * share[..., None]
        sigma = max(own.radius_px / 2.0**level, 0.5)
        near, wide = (cv2.GaussianBlur(bright, (0, 0), each, borderType=cv2.BORDER_REFLECT) for each in
                      (sigma, WIDER * sigma))  # fmt: skip
        warm = 2.0 ** warmer_stops(own.warmer_mired)
        gain = own.amount_percent / 100.0 / 2.0**work.recipe.tone.exposure_EV
        light = ((1.0 - WIDE_SHARE) * near + WIDE_SHARE * wide) * (warm * gain).astype(np.float32)
        return Spread(np.ascontiguousarray(light, np.float32), level)

    return product("spread of glow", run, (small_scene,), ("finish.glow", "tone.exposure_EV"))


def glowing(name: str, scene: Node, glow: Node) -> Node:
    """The node after a scene."""

    def run(work: Work, seen: NodePatch) -> Pixels:
        spread: Spread | None = work.ask.product(glow)
        if spread is None:
            return seen.pixels
        left, top, width, height = work.region
        step = 2.0 ** (work.level - spread.level)
        move = np.array([[step, 0.0, (left + 0.5) * step - 0.5], [0.0, step, (top + 0.5) * step - 0.5]])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        added = cv2.warpAffine(spread.light, move, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        Y = np.maximum(cv2.transform(seen.pixels, LUMINANCE[None].astype(np.float32)), 0.0)
        Y *= np.float32(2.0**work.recipe.tone.exposure_EV)
        return np.asarray(seen.pixels + added * np.square(Y / (Y + DIM))[..., None], np.float32)

    return Node(
        f"glow{name}", run, (scene, glow), ("finish.glow", "tone.exposure_EV"),
        is_idle=lambda work: not work.recipe.finish.glow.amount_percent,
    )  # fmt: skip
