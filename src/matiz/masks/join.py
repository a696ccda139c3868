"""Mask parts shaped and joined."""

import hashlib
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import ClassVar

import cv2
import numpy as np

from ..recipe.places import MaskPart
from ..recipe.tree import Rows, Section
from .parts import PARTS, zone_range
from .sides import fit_looks_px, fitted
from .view import CALM_PX, Mask, MaskWindow


@dataclass(frozen=True)
class Within(MaskPart):
    """The parts of another place's mask, in place of `SameAs` which names that place."""

    KIND: ClassVar[str] = "within"

    parts: Rows[Section] = field(default_factory=Rows)
    spare_dark: float = 0.0
    spare_light: float = 10.0

    @property
    def digest(self) -> bytes:
        return _digest(super().digest, self.mask_digest)

    @property
    def mask_digest(self) -> bytes:
        """What stands for that place's mask, however it is joined here."""
        return _digest(self.parts.digest, self.spare_dark, self.spare_light)


def _digest(*values: object) -> bytes:
    return hashlib.blake2b(repr(values).encode(), digest_size=16).digest()


def used_twice(masks: Iterable[Rows[Section]]) -> frozenset[bytes]:
    """Digests of masks of other places that several parts use: they need to be made only once."""
    counts: Counter[bytes] = Counter()
    waiting = list(masks)
    while waiting:
        for part in waiting.pop().values():
            if isinstance(part, Within):
                counts[part.mask_digest] += 1
                if counts[part.mask_digest] == 1:
                    waiting.append(part.parts)
    return frozenset(digest for digest, count in counts.items() if count > 1)


def joined(parts: Iterable[Section], view: MaskWindow, out: Mask | None = None) -> Mask:
    """The parts joined in their order, (height, width), 0..1; in `out` where it is given. The first is added to
    nothing; without any, all is meant.

    Added parts are united by the larger of both, intersected ones by the product, and what is subtracted leaves its
    share of what is there.
    """
    mask = np.empty(view.shape, np.float32) if out is None else out
    own: Mask | None = None
    own_parts = list(known(parts))
    for n, part in enumerate(own_parts):
        if n == 0:
            # added to nothing, taken from all, met with all
            shaped(part, evaluated(part, view, mask), view, mask)
            if part.join == "subtract":
                np.subtract(1.0, mask, out=mask)
            continue
        own = np.empty(view.shape, np.float32) if own is None else own
        shaped(part, evaluated(part, view, own), view, own)
        if part.join == "subtract":
            np.subtract(1.0, own, out=own)
        (np.maximum if part.join == "add" else np.multiply)(mask, own, out=mask)
    if not own_parts:
        mask[...] = 1.0
    return mask


def spared(mask: Mask, view: MaskWindow, dark: float, light: float) -> Mask:
    """A mask, which is written to, that leaves out what lies below one zone and above another, softly over one."""
    if dark > 0.0 or light < 10.0:
        mask *= zone_range(dark, light, 1.0, view)
    return mask


def evaluated(part: MaskPart, view: MaskWindow, out: Mask) -> Mask:
    """A part as its kind has it, before its edge is shaped, in `out`."""
    if isinstance(part, Within):
        return _of_other_place(part, view, out)
    PARTS[type(part)](part, view, out)
    return out


def _of_other_place(part: Within, view: MaskWindow, out: Mask) -> Mask:
    """Once for each region, however many parts use it."""
    made = view.made.get(part.mask_digest)
    if made is not None:
        out[...] = made
        return out
    mask = spared(joined(part.parts.values(), view, out), view, part.spare_dark, part.spare_light)
    if part.mask_digest in view.shared:
        view.made[part.mask_digest] = mask.copy()
    return mask


def known(parts: Iterable[Section]) -> Iterator[MaskPart]:
    """Those of a kind that this Matiz knows."""
    for part in parts:
        if isinstance(part, MaskPart) and (type(part) in PARTS or isinstance(part, Within)):
            yield part


def margin_px(parts: Iterable[Section]) -> float:
    """How far a mask looks beyond a region, full-size px."""
    reach = max((_reach_px(part) for part in known(parts)), default=0.0)
    return reach + 3.0 * CALM_PX


def _reach_px(part: MaskPart) -> float:
    within = part.parts.values() if isinstance(part, Within) else ()
    inner = max((_reach_px(each) for each in known(within)), default=0.0)
    fit = fit_looks_px(part.fit_px) if part.fit_px else 0.0
    return inner + fit + part.feather_px / 2.0 + abs(part.grow_px)


def shaped(part: MaskPart, mask: Mask, view: MaskWindow, out: Mask) -> Mask:
    """A part's own mask fitted to the picture, loosened or tightened, feathered, inverted and weakened, in `out`, which
    it may be itself."""
    if part.fit_px:
        mask = fitted(mask, view.Lab, max(part.fit_px / view.px, 1.0))
    if part.grow_px:
        mask = grown(mask, part.grow_px / view.px)
    if part.feather_px:
        mask = feathered(mask, part.feather_px / view.px)
    if mask is not out:
        out[...] = mask
    if part.invert == "on":
        np.subtract(1.0, out, out=out)
    if part.strength_percent < 100.0:
        out *= np.float32(part.strength_percent / 100.0)
    return out


def grown(mask: Mask, by: float) -> Mask:
    """Loosened by a radius in px of the mask, or tightened by a negative one. A wide radius is worked out on a smaller
    mask, and leaves an edge a tenth of it wide: by itself it costs its square."""
    scale = abs(by) / WIDE_RADIUS_PX
    if scale > 1.0:
        height, width = mask.shape
        size = max(2, round(width / scale)), max(2, round(height / scale))
        small = _grown(cv2.resize(mask, size, interpolation=cv2.INTER_AREA), by * size[0] / width)
        return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
    return _grown(mask, by)


WIDE_RADIUS_PX = 10.0


def _grown(mask: Mask, by: float) -> Mask:
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
    """With each hard edge spread to a straight rise of `width` px of the mask: the mean over so many px each way."""
    reach = int(np.ceil(width / 2.0 + 0.5)) - 1
    if width < WIDE_PX:
        taps = np.clip(width / 2.0 + 0.5 - np.abs(np.arange(-reach, reach + 1)), 0.0, 1.0)
        taps = (taps / taps.sum()).astype(np.float32)
        return np.asarray(cv2.sepFilter2D(mask, -1, taps, taps, borderType=cv2.BORDER_REPLICATE), np.float32)
    # by running sums, between the whole widths below and above it
    end, less = width / 2.0 + 0.5 - reach, 2 * reach - 1
    for across in (True, False):
        low, high = (
            cv2.boxFilter(mask, -1, (n, 1) if across else (1, n), normalize=False, borderType=cv2.BORDER_REPLICATE)
            for n in (less, less + 2)
        )
        mask = cv2.addWeighted(low, (1.0 - end) / (less + 2.0 * end), high, end / (less + 2.0 * end), 0.0)
    return np.asarray(np.clip(mask, 0.0, 1.0, out=mask), np.float32)


WIDE_PX = 120.0
"""From there on running sums are quicker than taps."""
