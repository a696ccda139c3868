"""What frames need to become one."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from ..colour.types import Camera
from ..develop.tiles import Size
from ..errors import ArgumentError, Cancelled
from ..raw.frame import Frame

Told = Callable[[float, str], bool]
"""Hears the share that is done and what is being done; False stops it."""
MOST = 60
"""Frames at a time."""


def checked(frames: Sequence[Frame], kind: str) -> None:
    """Raises ArgumentError, saying why, for frames that cannot become one."""
    if not 2 <= len(frames) <= MOST:
        raise ArgumentError(f"{kind}: from 2 to {MOST} frames can become one, not {len(frames)}")
    first = frames[0]
    for frame in frames:
        if frame.mosaic is None:
            raise ArgumentError(f"{frame.path.name}: only raw frames can be merged, this is a picture already made")
        if frame.size != first.size:
            (width, height), (own_width, own_height) = frame.size, first.size
            sizes = f"{width}x{height} px, {first.path.name} {own_width}x{own_height}"
            raise ArgumentError(f"{frame.path.name}: has {sizes}; choose frames of one size")
        if frame.camera != first.camera:
            cameras = f"{frame.camera}, {first.path.name} of {first.camera}"
            raise ArgumentError(f"{frame.path.name}: is of {cameras}; choose frames of one camera")


def heard(told: Told, share: float, text: str) -> None:
    """Tell; raises Cancelled where it is to stop."""
    if not told(share, text):
        raise Cancelled("stopped by the user")


def in_strips(size: Size, rows: int, make: Callable[[int, int], Camera], done: Callable[[float], None]) -> Camera:
    """A picture (height, width, 3) made in strips by two threads. make: the strip of a top row and so many rows; done:
    hears the share that is there, and may raise to stop it."""
    width, height = size
    out = np.empty((height, width, 3), np.float32)
    tops = range(0, height, rows)

    def one(top: int) -> None:
        count = min(rows, height - top)
        out[top : top + count] = make(top, count)

    with ThreadPoolExecutor(2) as pool:
        try:
            for n, _ in enumerate(pool.map(one, tops), 1):
                done(n / len(tops))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return out
