"""Levels and tiles: how a picture of any size is cut, the same way for the screen and for files."""

from collections.abc import Iterator
from functools import lru_cache

Size = tuple[int, int]
"""Width and height in px."""
Region = tuple[int, int, int, int]
"""x, y, width, height in px of a picture at a level."""

LEVELS = 4
"""Full, 1/2, 1/4, 1/8."""
TILE_PX = 512
WHOLE_PX = 2_500_000
"""A picture that has no more, such as one at fit, is one tile: what neighbours need of each other costs half as much
again in tiles."""
LEAST_SHORT_PX = 16
LEAST_PX = 64
"""A last tile that would be narrower belongs to the one before it."""


def level_size(size: Size, level: int) -> Size:
    """Of a picture of `size` at a level; an odd last row or column is dropped."""
    return size[0] >> level, size[1] >> level


def level_for(size: Size, least_px: int) -> int:
    """The deepest level whose long side still has `least_px`; the full size of a smaller picture, and of one so narrow
    that little would be left of its short side."""
    return max((n for n in range(LEVELS) if max(level_size(size, n)) >= least_px and n <= deepest(size)), default=0)


def deepest(size: Size) -> int:
    """The deepest level at which a picture still has something to show across its short side."""
    return max((n for n in range(LEVELS) if min(level_size(size, n)) >= LEAST_SHORT_PX), default=0)


def tiles(size: Size, region: Region, times: int = 1) -> Iterator[Region]:
    """The tiles of a picture that a region of it touches, row by row. They lie on one grid whatever is asked for.

    times: how many tiles there are to a side of each.
    """
    if size[0] * size[1] <= WHOLE_PX:
        yield 0, 0, *size
        return
    x, y, width, height = region
    columns = [(a, b) for a, b in _edges(size[0], times * TILE_PX) if a < x + width and b > x]
    for top, bottom in _edges(size[1], times * TILE_PX):
        if top < y + height and bottom > y:
            for left, right in columns:
                yield left, top, right - left, bottom - top


@lru_cache(maxsize=64)
def _edges(length: int, tile_px: int) -> tuple[tuple[int, int], ...]:
    cuts = list(range(0, length, tile_px))
    if len(cuts) > 1 and length - cuts[-1] < LEAST_PX:
        cuts.pop()
    return tuple(zip(cuts, [*cuts[1:], length], strict=True))


def common(a: Region, b: Region) -> Region:
    """What two regions share, which is not nothing."""
    left, top = max(a[0], b[0]), max(a[1], b[1])
    return left, top, min(a[0] + a[2], b[0] + b[2]) - left, min(a[1] + a[3], b[1] + b[3]) - top


def grown(region: Region, size: Size, margin: int) -> Region:
    """A region with a margin around it, as far as there is a picture."""
    x, y, w, h = region
    left, top = max(0, x - margin), max(0, y - margin)
    return left, top, min(size[0], x + w + margin) - left, min(size[1], y + h + margin) - top
