"""Mask parts shaped and joined."""

from collections.abc import Iterable, Iterator

import cv2
import numpy as np

from ..recipe.places import MaskPart
from ..recipe.tree import Section
from .parts import PARTS
from .view import CALM_PX, Mask, View


def joined(parts: Iterable[Section], view: View) -> Mask:
    """The parts joined in their order, (height, width), 0..1. The first is added to nothing; without any, all is meant.

    Added parts are united by the larger of both, intersected ones by the product, and what is subtracted leaves its
    share of what is there.
    """
    mask: Mask | None = None
    for part in known(parts):
        own = shaped(part, evaluated(part, view), view.px)
        before = mask
        if part.join == "add":
            mask = own if before is None else np.maximum(before, own)
        elif part.join == "subtract":
            # taken from all where nothing was added before
            mask = 1.0 - own if before is None else before * (1.0 - own)
        else:
            mask = own if before is None else before * own
    return np.ones(view.shape, np.float32) if mask is None else np.asarray(mask, np.float32)


def evaluated(part: MaskPart, view: View) -> Mask:
    """A part as its kind has it, before its edge is shaped."""
    out = np.empty(view.shape, np.float32)
    for rows, strip in view.strips():
        out[rows] = PARTS[type(part)](part, strip)
    return out


def known(parts: Iterable[Section]) -> Iterator[MaskPart]:
    """Those of a kind that this Matiz knows."""
    for part in parts:
        if isinstance(part, MaskPart) and type(part) in PARTS:
            yield part


def margin_px(parts: Iterable[Section]) -> float:
    """How far a mask looks beyond a region, full-size px."""
    return max((part.feather_px / 2.0 + abs(part.grow_px) for part in known(parts)), default=0.0) + 3.0 * CALM_PX


def shaped(part: MaskPart, mask: Mask, px: float) -> Mask:
    """A part's own mask loosened or tightened, feathered, inverted and weakened. px: of the full size to one of it."""
    if part.grow_px:
        mask = grown(mask, part.grow_px / px)
    if part.feather_px:
        mask = feathered(mask, part.feather_px / px)
    if part.invert == "on":
        mask = 1.0 - mask
    if part.strength_percent < 100.0:
        mask = mask * np.float32(part.strength_percent / 100.0)
    return np.asarray(mask, np.float32)


def grown(mask: Mask, by: float) -> Mask:
    """Loosened by a radius in px of the mask, or tightened by a negative one."""
    whole = int(abs(by))
    act = cv2.dilate if by > 0.0 else cv2.erode
    for radius in (whole, whole + 1):
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
        done = act(mask, disc, borderType=cv2.BORDER_REPLICATE) if radius else mask
        if radius == whole:
            first = done
    share = np.float32(abs(by) - whole)
    return np.asarray(first + share * (done - first), np.float32)


def feathered(mask: Mask, width: float) -> Mask:
    """With each hard edge spread to a straight rise of `width` px of the mask."""
    reach = int(np.ceil(width / 2.0 + 0.5)) - 1
    taps = np.clip(width / 2.0 + 0.5 - np.abs(np.arange(-reach, reach + 1)), 0.0, 1.0)
    taps = (taps / taps.sum()).astype(np.float32)
    return np.asarray(cv2.sepFilter2D(mask, -1, taps, taps, borderType=cv2.BORDER_REPLICATE), np.float32)
