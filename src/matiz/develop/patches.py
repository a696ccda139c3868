"""What repairs leave of the frame, made once at full size and laid over every level.

Each is made from what the ones before it have left; it is made anew only when it, or one of those that it meets,
changes.
"""

from collections import OrderedDict
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from threading import RLock

from ..colour.types import Camera
from ..image.reduce import halved
from ..mend.heal import Area, Take, cloned, healed
from ..recipe.model import Clone, Heal
from ..recipe.tree import Rows, Section
from .tiles import LEVELS, Region, Size, common

GRID = 2 ** (LEVELS - 1)
"""Px on which patches begin and end, so that they are whole pixels at every level."""
MOST_BYTES = 200 * 2**20
"""Of patches that are kept; those in use stay however large they are."""


@dataclass(frozen=True, eq=False)
class Mended:
    """A part of the frame as a repair leaves it."""

    box: Region
    levels: tuple[Camera, ...]
    key: Hashable

    @property
    def bytes(self) -> int:
        return sum(pixels.nbytes for pixels in self.levels)

    def at(self, level: int) -> Region:
        pixels = self.levels[level]
        return self.box[0] >> level, self.box[1] >> level, pixels.shape[1], pixels.shape[0]


class Kept:
    """The patches of one frame that were made. Safe to share by threads."""

    def __init__(self) -> None:
        self._made: OrderedDict[Hashable, Mended] = OrderedDict()
        self._lock = RLock()
        self.runs = 0

    def all(self, take: Take, size: Size, repairs: Rows[Section]) -> tuple[Mended, ...]:
        """The patches of a table of repairs, in their order. take: gives regions of the frame of `size` as taken."""
        out: list[Mended] = []
        for item in repairs.values():
            if isinstance(item, Heal | Clone) and item.active == "on" and item.path:
                out.append(self._one(take, size, item, out))
        self._let_go({each.key for each in out})
        return tuple(out)

    def _one(self, take: Take, size: Size, item: Heal | Clone, before: list[Mended]) -> Mended:
        area, offset = area_of(item, size), offset_of(item, size)
        box = area.box(size, GRID)
        there = (box[0] + offset[0], box[1] + offset[1], box[2], box[3])
        below = [each for each in before if _meet(each.box, box) or _meet(each.box, there)]
        key = (item, tuple(each.key for each in below))
        with self._lock:
            found = self._made.get(key)
            if found is None:
                found = self._made[key] = self._make(take, size, item, box, below, key)
            self._made.move_to_end(key)
            return found

    def _let_go(self, used: set[Hashable]) -> None:
        """Forget the oldest of what is too much: a source that is dragged leaves a patch at every step."""
        with self._lock:
            held = sum(each.bytes for each in self._made.values())
            for key in [key for key in self._made if key not in used]:
                if held <= MOST_BYTES:
                    return
                held -= self._made.pop(key).bytes

    def _make(
        self, take: Take, size: Size, item: Heal | Clone, box: Region, below: list[Mended], key: Hashable
    ) -> Mended:
        self.runs += 1

        def left(region: Region) -> Camera:
            return laid_over(take(region), region, 0, below)

        way = cloned if isinstance(item, Clone) else healed
        levels = [way(left, size, area_of(item, size), offset_of(item, size), box)]
        while len(levels) < LEVELS and min(levels[-1].shape[:2]) >= 2:
            levels.append(halved(levels[-1]))
        return Mended(box, tuple(levels), key)


def area_of(item: Heal | Clone, size: tuple[int, int]) -> Area:
    """The area of a repair in px of a frame of `size`."""
    long_side = max(size)
    path = tuple((x * long_side - 0.5, y * long_side - 0.5) for x, y in item.path)
    return Area(path, item.radius_px, item.feather_px)


def offset_of(item: Heal | Clone, size: tuple[int, int]) -> tuple[int, int]:
    return round(item.dx * max(size)), round(item.dy * max(size))


def laid_over(pixels: Camera, region: Region, level: int, patches: Iterable[Mended]) -> Camera:
    """The camera values of a region of a level with patches laid over them; the same array where there are none."""
    out = pixels
    for patch in patches:
        if level >= len(patch.levels) or not _meet(patch.at(level), region):
            continue
        if out is pixels:
            out = pixels.copy()
        left, top, _, _ = there = patch.at(level)
        x, y, w, h = common(there, region)
        part = patch.levels[level][y - top : y - top + h, x - left : x - left + w]
        out[y - region[1] : y - region[1] + h, x - region[0] : x - region[0] + w] = part
    return out


def _meet(one: Region, other: Region) -> bool:
    return (
        one[0] < other[0] + other[2] and other[0] < one[0] + one[2]
        and one[1] < other[1] + other[3] and other[1] < one[1] + one[3]
    )  # fmt: skip
