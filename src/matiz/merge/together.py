"""What frames need to become one."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from ..colour.types import Camera
from ..develop.frame.tiles import Region, Size
from ..errors import ArgumentError, Cancelled
from ..raw.frame import Frame
from ..raw.noise import noise_of

OnProgress = Callable[[float, str], bool]
"""Hears the share that is done and what is being done; False stops it."""
MOST = 60
"""Frames at a time."""


def prepared(frames: Sequence[Frame], kind: str) -> list[Frame]:
    """The frames with what their noise is, which is asked of each over and over. Raises ArgumentError, saying why, for
    frames that cannot become one."""
    if not 2 <= len(frames) <= MOST:
        raise ArgumentError(f"{kind}: from 2 to {MOST} frames can become one, not {len(frames)}")
    first = frames[0]
    for frame in frames:
        if frame.mosaic is None:
            raise ArgumentError(f"{frame.path.name}: only raw frames can be merged, and this one is not")
        if frame.size != first.size:
            (width, height), (own_width, own_height) = frame.size, first.size
            sizes = f"{width}x{height} px, {first.path.name} {own_width}x{own_height}"
            raise ArgumentError(f"{frame.path.name}: has {sizes}; choose frames of one size")
        if frame.camera != first.camera:
            cameras = f"{frame.camera}, {first.path.name} of {first.camera}"
            raise ArgumentError(f"{frame.path.name}: is of {cameras}; choose frames of one camera")
    out = []
    for frame in frames:
        noise = noise_of(frame)
        out.append(replace(frame, noise_profile=((noise.shot, noise.read**2),)))
    return out


def report_progress(on_progress: OnProgress, share: float, text: str) -> None:
    """Tell; raises Cancelled where it is to stop."""
    if not on_progress(share, text):
        raise Cancelled("stopped by the user")


def in_areas(size: Size, area: Size, make: Callable[[Region], Camera], done: Callable[[float], None]) -> Camera:
    """A picture (height, width, 3) made area by area by two threads. make: what an area shows; done: hears the share
    that is there, and may raise to stop it."""
    width, height = size
    out = np.empty((height, width, 3), np.float32)
    areas = [
        (x, y, min(area[0], width - x), min(area[1], height - y))
        for y in range(0, height, area[1])
        for x in range(0, width, area[0])
    ]

    def one(at: Region) -> None:
        x, y, w, h = at
        out[y : y + h, x : x + w] = make(at)

    with ThreadPoolExecutor(2) as pool:
        try:
            for n, _ in enumerate(pool.map(one, areas), 1):
                done(n / len(areas))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return out
