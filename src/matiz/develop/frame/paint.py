"""What strokes have painted, kept so that a stroke more costs no more than itself.

A hand paints at the end of many strokes, or takes the last ones back. So for each brush and region a few masks are
kept: that of all strokes, that of all but the last, which may still be growing, and older ones to go back to.
"""

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from threading import Lock

from ...masks.brush import painted
from ...masks.view import Mask, MaskWindow
from ...recipe.places import Stroke
from ...recipe.tree import Rows

MOST_BYTES = 160 * 2**20
MOST_KEPT, BACK = 5, 16
"""Masks of one brush and region, and how many strokes lie between those that are kept to go back to."""


@dataclass(frozen=True, eq=False)
class PaintedPart:
    """A mask, and the digests of the strokes that it is of."""

    strokes: tuple[bytes, ...]
    mask: Mask

    def leads_to(self, wanted: tuple[bytes, ...]) -> bool:
        return wanted[: len(self.strokes)] == self.strokes


class Paint:
    """The painted masks of one frame. Safe to share by threads; masks are not to be written to."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, tuple[PaintedPart, ...]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()
        self.strokes_laid = 0
        """How many were painted since the beginning."""

    def mask(self, view: MaskWindow, strokes: Rows[Stroke], where: Hashable) -> Mask:
        """The mask (height, width) of strokes. where: what stands for the region, and for what strokes see there."""
        items = list(strokes.values())
        wanted = tuple(stroke.digest for stroke in items)
        if not wanted:
            return painted((), view)
        slot = where, wanted[0]
        with self._lock:
            kept = self._kept.get(slot, ())
        usable = [each for each in kept if each.leads_to(wanted)]
        done = max(usable, key=lambda each: len(each.strokes), default=None)
        marks = {count for count in (len(wanted) // BACK * BACK, len(wanted) - 1, len(wanted)) if count}
        made = []
        for count in sorted(marks):
            if done is None or len(done.strokes) < count:
                done = self._laid(done, items[:count], wanted[:count], view)
            made.append(done)
        assert done is not None
        old = [each for each in usable if each not in made and len(each.strokes) % BACK == 0]
        self._keep(slot, (*made[::-1], *old)[:MOST_KEPT])
        return done.mask

    def _laid(
        self, before: PaintedPart | None, items: list[Stroke], wanted: tuple[bytes, ...], view: MaskWindow
    ) -> PaintedPart:
        """What is painted once the strokes after those `before` are laid on it."""
        count = len(before.strokes) if before is not None else 0
        self.strokes_laid += len(items) - count
        return PaintedPart(wanted, painted(items[count:], view, before.mask if before is not None else None))

    def _keep(self, slot: Hashable, masks: tuple[PaintedPart, ...]) -> None:
        with self._lock:
            self._bytes += sum(each.mask.nbytes for each in masks)
            self._bytes -= sum(each.mask.nbytes for each in self._kept.pop(slot, ()))
            self._kept[slot] = masks
            while self._bytes > MOST_BYTES and len(self._kept) > 1:
                _, oldest = self._kept.popitem(last=False)
                self._bytes -= sum(each.mask.nbytes for each in oldest)
