"""What repairs leave of the frame, made once at full size and laid over every level.

Each is made from what the ones before it have left; it is made anew only when it, or one of those that it meets,
changes.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from threading import Lock

from ...colour.types import Camera
from ...image.reduce import halved
from ...mend.fill import Go, filled, looked_at
from ...mend.heal import Area, Pixels, Take, base_healed, cloned, healed, mixed, texture_healed
from ...mend.mix import base_mixed
from ...recipe.mending import BASE, MIXED, TEXTURE, Clone, Fill, FromFrame, Heal, Repair
from ...recipe.tree import Rows, Section
from .tiles import LEVELS, Region, Size, common

GRID = 2 ** (LEVELS - 1)
"""Px on which patches begin and end, so that they are whole pixels at every level."""
MOST_BYTES = 200 * 2**20
"""Of patches that are kept; those in use stay however large they are."""

OfFrame = Callable[[int, Region], tuple[Camera, Pixels] | None]
"""Gives what frame n, from 1 on, of those that a picture was merged of, has of a region (height, width, 3), in the
values of the picture, and which px it knows, (height, width), 0..1; None where it cannot be read."""


def of_none(_n: int, _region: Region) -> None:
    """Of a picture that was not merged."""
    return


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


class KeptPatches:
    """The patches of one frame that were made. Safe to share by threads."""

    def __init__(self, of_frame: OfFrame) -> None:
        self._of_frame = of_frame
        self._made: OrderedDict[Hashable, Mended] = OrderedDict()
        self._turns: dict[Hashable, Lock] = {}
        """Of those that are being made: another who asks waits, and takes what comes of it."""
        self._lock = Lock()
        self.runs = 0

    def all(self, take: Take, size: Size, repairs: Rows[Section], go: Go | None = None) -> tuple[Mended, ...]:
        """The patches of a table of repairs, in their order. take: gives regions of the frame of `size` as taken. go:
        hears the share done of a fill that is to be made, and stops it by False, which raises Cancelled."""
        out: list[Mended] = []
        for item in repairs.values():
            if isinstance(item, Repair) and item.active == "on" and item.path:
                out.append(self._one(take, size, item, out, go))
        self._let_go({each.key for each in out})
        return tuple(out)

    def _one(self, take: Take, size: Size, item: Repair, before: list[Mended], go: Go | None) -> Mended:
        box = area_of(item, size).box(size, GRID)
        seen = box, _looked_at(item, box, size)
        below = [each for each in before if _meet(each.box, seen[0]) or _meet(each.box, seen[1])]
        key = (item, tuple(each.key for each in below))
        with self._lock:
            found = self._made.get(key)
            if found is not None:
                self._made.move_to_end(key)
                return found
            turn = self._turns.setdefault(key, Lock())
        with turn:
            found = self._made.get(key)
            if found is None:
                found = _make(take, self._of_frame, size, item, box, below, key, go)
                with self._lock:
                    self._made[key] = found
                    self._turns.pop(key, None)
                    self.runs += 1
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
    take: Take, of_frame: OfFrame, size: Size, item: Repair, box: Region, below: list[Mended], key: Hashable,
    go: Go | None,
) -> Mended:  # fmt: skip
    def left(region: Region) -> Camera:
        return laid_over(take(region), region, 0, below)

    area = area_of(item, size)
    if isinstance(item, Fill):
        pixels = filled(left, size, area, box, turn=int(item.turn), go=go)
    elif isinstance(item, FromFrame):
        pixels = _of_one(left(box), of_frame(int(item.frame), box), area.cover(box))
    else:
        assert isinstance(item, Heal)
        pixels = _healed(left, size, area, item, box)
    levels = [pixels]
    while len(levels) < LEVELS and min(levels[-1].shape[:2]) >= 2:
        levels.append(halved(levels[-1]))
    return Mended(box, tuple(levels), key)


def _of_one(here: Camera, seen: tuple[Camera, Pixels] | None, cover: Pixels) -> Camera:
    """As one frame has it, as far as it knows."""
    return here if seen is None else mixed(here, seen[0], cover * seen[1])


def _healed(take: Take, size: Size, area: Area, item: Heal, box: Region) -> Camera:
    offset = offset_of(item, size)
    if isinstance(item, Clone):
        return cloned(take, size, area, offset, box)
    if item.layer == TEXTURE:
        return texture_healed(take, size, area, offset, box, item.detail_px)
    if item.layer == MIXED:
        return base_mixed(take, area, box, item.detail_px)
    return base_healed(take, area, box, item.detail_px) if item.layer == BASE else healed(take, size, area, offset, box)


def _looked_at(item: Repair, box: Region, size: Size) -> Region:
    """What a repair takes from beyond its own box."""
    if isinstance(item, Heal):
        dx, dy = offset_of(item, size)
        return box[0] + dx, box[1] + dy, box[2], box[3]
    return looked_at(box, size) if isinstance(item, Fill) else box


def area_of(item: Repair, size: tuple[int, int]) -> Area:
    """The area of a repair in px of a frame of `size`."""
    long_side = max(size)
    path = tuple((x * long_side - 0.5, y * long_side - 0.5) for x, y in item.path)
    return Area(path, item.radius_px, item.feather_px, item.outline == "on")


def offset_of(item: Heal, size: tuple[int, int]) -> tuple[int, int]:
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
