"""The node that lays grain and a signature over what is shown."""

from functools import cache, lru_cache
from importlib.resources import files
from io import BytesIO

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE
from ...recipe.finish import Signature
from ...recipe.model import Recipe
from ...recipe.shapes import Grid
from ..frame.tiles import Region
from .node import Node, NodePatch, Pixels, Work

Plane = NDArray[np.float32]

TILE_PX, SEED = 1024, 7
"""Of the grain, which is laid side by side."""
EVERYWHERE = 0.12
"""Of the grain in middle tones: what is left in blacks and whites."""
LIGHT, DARK = 0.9, 0.01
"""Display luminance of letters."""
MARGIN = 1.2
"""Of the letters' height: how far they stand from the edges."""
LEAST_LETTER_PX = 3.0
DRAWN = 2.5
"""Height of a drawing, in that of letters: its loops reach above and below them."""
FONT = "Inter-Medium.otf"


def finishing(name: str, shown: Node) -> Node:
    """The node after what is shown, display-linear."""
    reads = ("finish.grain", "finish.signature")
    return Node(f"finished{name}", _run, (shown,), reads, is_idle=lambda work: not is_finishing(work.recipe))


def is_finishing(recipe: Recipe) -> bool:
    return bool(recipe.finish.grain.strength_L or is_signed(recipe.finish.signature))


def is_signed(own: Signature) -> bool:
    return bool(own.text.strip() or own.drawing.rows)


def _run(work: Work, shown: NodePatch) -> Pixels:
    own, out = work.recipe.finish, shown.pixels
    if own.grain.strength_L:
        out = grained(out, own.grain.strength_L * grain_at(own.grain.size_px, work.level, work.region))
    if is_signed(own.signature):
        out = _signed(out, own.signature, work.mapping.size_at(work.level), work.region)
    return np.ascontiguousarray(out, np.float32)


def grained(shown: Pixels, moved_L: Plane) -> Pixels:
    """Display-linear (height, width, 3) with its lightness moved by so many L* in middle tones, less at the ends."""
    Y = np.clip(cv2.transform(shown, LUMINANCE[None].astype(np.float32)), 1e-4, 1.0)
    root = np.cbrt(Y)
    L = np.clip(root * np.float32(1.16) - np.float32(0.16), 0.0, 1.0)
    dense = EVERYWHERE + (1.0 - EVERYWHERE) * 4.0 * L * (1.0 - L)
    factor = np.maximum(1.0 + moved_L * dense / (116.0 * root), 0.0) ** 3
    return np.asarray(shown * factor[..., None], np.float32)


def grain_at(size_px: float, level: int, region: Region) -> Plane:
    """Of a region of a level, (height, width): standard deviation 1 at the full size, the mean of that at others."""
    tile = _tile(round(size_px, 2), level)
    left, top, width, height = region
    return tile[np.arange(top, top + height)[:, None] % len(tile), np.arange(left, left + width)[None] % len(tile)]


@lru_cache(maxsize=16)
def _tile(size_px: float, level: int) -> Plane:
    if level:
        above = _tile(size_px, level - 1)
        if len(above) == 1:
            return above
        return np.asarray(above.reshape(len(above) // 2, 2, -1, 2).mean(axis=(1, 3)), np.float32)
    white = np.random.default_rng(SEED).normal(size=(TILE_PX, TILE_PX))
    f = np.fft.fftfreq(TILE_PX)
    sigma = size_px / 2.355
    soft = np.exp(-2.0 * np.pi**2 * sigma**2 * (f[:, None] ** 2 + f[None] ** 2))
    made = np.real(np.fft.ifft2(np.fft.fft2(white) * soft))
    return np.asarray((made - made.mean()) / made.std(), np.float32)


def signature_box(own: Signature, size: tuple[int, int]) -> Region | None:
    """Where the letters stand in a picture of `size` px; None where they are too small to be drawn, or are none."""
    height = own.height_percent / 100.0 * min(size)
    if not is_signed(own) or height < LEAST_LETTER_PX:
        return None
    mask = _mask(own, round(height))
    h, w = mask.shape
    margin = round(MARGIN * height)
    left = margin if "left" in own.corner else size[0] - margin - w
    top = margin if "upper" in own.corner else size[1] - margin - h
    return left, top, w, h


def _signed(shown: Pixels, own: Signature, size: tuple[int, int], region: Region) -> Pixels:
    box = signature_box(own, size)
    if box is None:
        return shown
    mask = _mask(own, round(own.height_percent / 100.0 * min(size)))
    x0, y0 = max(box[0], region[0]), max(box[1], region[1])
    x1, y1 = min(box[0] + box[2], region[0] + region[2]), min(box[1] + box[3], region[1] + region[3])
    if x0 >= x1 or y0 >= y1:
        return shown
    out = shown.copy()
    there = np.s_[y0 - region[1] : y1 - region[1], x0 - region[0] : x1 - region[0]]
    share = mask[y0 - box[1] : y1 - box[1], x0 - box[0] : x1 - box[0], None] * np.float32(own.opacity_percent / 100.0)
    tone = np.float32(LIGHT if own.tone == "light" else DARK)
    out[there] += share * (tone - out[there])
    return out


def _mask(own: Signature, height_px: int) -> Plane:
    return _drawn(own.drawing, height_px) if own.drawing.rows else _letters(own.text.strip(), height_px)


@lru_cache(maxsize=16)
def _drawn(drawing: Grid, height_px: int) -> Plane:
    """A drawing DRAWN times as high as letters would be."""
    height = max(1, round(DRAWN * height_px))
    width = max(1, round(drawing.columns * height / drawing.rows))
    how = cv2.INTER_AREA if height < drawing.rows else cv2.INTER_CUBIC
    return np.clip(cv2.resize(drawing.shares, (width, height), interpolation=how), 0.0, 1.0)


@cache
def _font() -> bytes:
    return (files("matiz.assets") / "fonts" / FONT).read_bytes()


@lru_cache(maxsize=16)
def _letters(text: str, height_px: int) -> Plane:
    """The text as a mask 0..1, as high as its letters need; height_px is that of a capital."""
    # few pictures are signed, and every start would wait for it
    from PIL import Image, ImageDraw, ImageFont

    font = ImageFont.truetype(BytesIO(_font()), max(1, round(height_px / 0.73)))
    left, top, right, bottom = font.getbbox(text)
    image = Image.new("L", (max(1, int(right - left)), max(1, int(bottom - top))))
    ImageDraw.Draw(image).text((-left, -top), text, fill=255, font=font)
    return np.asarray(image, np.float32) / np.float32(255.0)
