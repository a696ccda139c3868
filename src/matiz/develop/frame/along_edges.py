"""Maps of a whole frame as masks at every size, exact along the frame's own edges; made in tiles, where a view asks.

What is a thing (a subject, a person, the sky) is made exact by a network, from size to size: the map in a small
picture, that in the one of twice the size, and so on; what is larger still follows the colours near its edge. What is a
quality of surfaces (skin, what is in focus) only follows the colours.
"""

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from ...masks import edges, matting
from ...masks.cut import Picture, Share
from ...masks.view import Mask, MaskWindow
from .cache import Cache
from .tiles import Region, Size, common, grown, level_for, level_size, tiles

CELLS = 3.0
"""Of a map: how far from its edge the true one may lie."""
BASE_PX = 512
"""Least long side of the picture in which a map is made exact first: what is seen there of its surroundings reaches
far."""
HAIR_PX, TAPPED_PX, GAPS_PX = 12.0, 3.0, 6.0
"""How far outside of the edge of a map hair may reach, how far where taps have said what is meant, and how far inside
there may be gaps; px of that picture."""
NEAR_PX, DEEP_PX = 8.0, 3.0
"""The same, of the edge of a mask of half the size."""
EXACT_LEVELS = 3
"""In how many sizes the network is asked."""


@dataclass(frozen=True, eq=False)
class FrameMap:
    """A map of the whole frame."""

    name: Hashable
    """Different for each map of a frame."""
    share: Share
    """(rows, columns) 0..1."""
    hair_px: float = HAIR_PX
    """How far outside of its edge hair may reach; 0 for a quality of surfaces, which ends where colours change."""


class AlongEdges:
    """Of one frame. Safe to share by threads; what is given is not to be written to."""

    def __init__(self, size: Size, lit: Callable[[int, Region], Picture], cache: Cache) -> None:
        """size: of the frame. lit: gives regions of its levels, sRGB (height, width, 3), the frame's light full."""
        self._size, self._lit, self._cache = size, lit, cache
        self._base = level_for(size, BASE_PX)

    def seen(self, of: FrameMap, view: MaskWindow) -> Mask:
        """A map as a mask where a view lies in it."""
        level = round(math.log2(view.px))
        size = level_size(self._size, level)
        scale = view.long_side / 2.0**level
        x, y = (np.asarray(each * scale - 0.5, np.float32) for each in (view.x, view.y))
        spans = []
        for each, length in ((x, size[0]), (y, size[1])):
            low = min(max(math.floor(float(each.min())), 0), length - 2)
            spans.append((low, max(min(math.ceil(float(each.max())) + 1, length), low + 2) - low))
        region = spans[0][0], spans[1][0], spans[0][1], spans[1][1]
        patch = self._region(of, level, region)
        seen = cv2.remap(patch, x - region[0], y - region[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(seen / np.float32(255.0), np.float32)

    def _region(self, of: FrameMap, level: int, region: Region) -> Picture:
        """Of 255, so that many tiles can be kept."""
        patch = np.empty((region[3], region[2]), np.uint8)
        make = self._tile if not of.hair_px or not edges.can_be_exact() else self._exact_tile
        for tile in tiles(level_size(self._size, level), region):
            key = of.name, level, tile
            made = self._cache.get(key, key, partial(make, of, level, tile))
            left, top, width, height = common(tile, region)
            part = made[top - tile[1] : top - tile[1] + height, left - tile[0] : left - tile[0] + width]
            patch[top - region[1] : top - region[1] + height, left - region[0] : left - region[0] + width] = part
        return patch

    def _tile(self, of: FrameMap, level: int, tile: Region) -> Picture:
        size = level_size(self._size, level)
        around = grown(tile, size, matting.looks_px(self._band_px(of, size)))
        return _inner(self._by_colours(of, level, around, self._picture(level, around)), around, tile)

    def _by_colours(self, of: FrameMap, level: int, around: Region, picture: matting.Colours) -> Share:
        size = level_size(self._size, level)
        return matting.refined(self._coarse(of.share, size, around), picture, self._band_px(of, size))

    def _band_px(self, of: FrameMap, size: Size) -> float:
        return max(CELLS * max(size[0] / of.share.shape[1], size[1] / of.share.shape[0]), 1.0)

    def _exact_tile(self, of: FrameMap, level: int, tile: Region) -> Picture:
        size = level_size(self._size, level)
        if level > self._base:
            return self._smaller(of, level, tile)
        if level == self._base:
            around = grown(tile, size, max(edges.looks_px(of.hair_px), matting.looks_px(self._band_px(of, size))))
            picture = self._picture(level, around)
            plain = self._by_colours(of, level, around, picture)
            made = edges.exact(self._coarse(of.share, size, around), picture, plain, of.hair_px, GAPS_PX)
            return _inner(made, around, tile)
        is_asked = self._base - level < EXACT_LEVELS
        looks = max(edges.looks_px(NEAR_PX), matting.looks_px(self._band_px(of, size)))
        around = grown(tile, size, looks if is_asked else matting.looks_px(NEAR_PX / 2.0))
        coarse = self._twice_as_large(of, level, around)
        if coarse.min() > 1.0 - matting.SURE or coarse.max() < matting.SURE:
            return _inner(coarse, around, tile)
        picture = self._picture(level, around)
        if is_asked:
            made = edges.exact(coarse, picture, self._by_colours(of, level, around, picture), NEAR_PX, DEEP_PX)
        else:
            made = matting.refined(coarse, picture, NEAR_PX / 2.0)
        return _inner(made, around, tile)

    def _twice_as_large(self, of: FrameMap, level: int, around: Region) -> Share:
        """Of the mask in the picture of half the size, the region `around` of this one."""
        left, top, width, height = around
        small_size = level_size(self._size, level + 1)
        low_x, low_y = max(0, left // 2 - 1), max(0, top // 2 - 1)
        high_x, high_y = min(small_size[0], (left + width) // 2 + 2), min(small_size[1], (top + height) // 2 + 2)
        patch = self._region(of, level + 1, (low_x, low_y, high_x - low_x, high_y - low_y))
        at_x = (np.arange(left, left + width, dtype=np.float32) + 0.5) / 2.0 - 0.5 - low_x
        at_y = (np.arange(top, top + height, dtype=np.float32) + 0.5) / 2.0 - 0.5 - low_y
        return _at(patch.astype(np.float32) / np.float32(255.0), at_x, at_y)

    def _smaller(self, of: FrameMap, level: int, tile: Region) -> Picture:
        """Of what is exact in a larger picture, the mean."""
        times = 2 ** (level - self._base)
        left, top, width, height = (times * each for each in tile)
        patch = self._region(of, self._base, (left, top, width, height))
        return np.asarray(cv2.resize(patch, tile[2:], interpolation=cv2.INTER_AREA), np.uint8)

    def _coarse(self, share: Share, size: Size, around: Region) -> Share:
        """The region of a picture of `size` that the map says."""
        left, top, width, height = around
        rows, columns = share.shape
        at_x = (np.arange(left, left + width, dtype=np.float32) + 0.5) * np.float32(columns / size[0]) - 0.5
        at_y = (np.arange(top, top + height, dtype=np.float32) + 0.5) * np.float32(rows / size[1]) - 0.5
        return _at(share, at_x, at_y)

    def _picture(self, level: int, around: Region) -> matting.Colours:
        return self._lit(level, around).astype(np.float32) / np.float32(255.0)


def _at(share: Share, at_x: Share, at_y: Share) -> Share:
    map_x, map_y = np.meshgrid(at_x.astype(np.float32), at_y.astype(np.float32))
    return np.asarray(cv2.remap(share, map_x, map_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _inner(made: Share, around: Region, tile: Region) -> Picture:
    left, top = tile[0] - around[0], tile[1] - around[1]
    return np.round(made[top : top + tile[3], left : left + tile[2]] * 255.0).astype(np.uint8)
