"""The frames that a merged one was made of, as they lie on it: for retouch between them."""

import threading
from collections import OrderedDict
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...colour.types import Camera
from ...errors import FileError, FormatError
from ...raw.decode import read_frame
from ...raw.frame import Frame, Merged
from .alignment import Alignment
from .laid import Laid
from .sensor import Sensor
from .tiles import Region

KNOWN = 0.95
"""Of white: up to which a px says what was there."""
MOST_HELD = 2
"""Decoded frames that are kept."""

Plane = NDArray[np.float32]


def can_retouch(frame: Frame) -> bool:
    """Whether a frame knows how those that it was made of lie on it."""
    merged = frame.merged
    return merged is not None and len(merged.names) > 1 and len(merged.lies) == len(merged.names) - 1


class Beside:
    """Reads them from beside the merged file when they are asked for. Safe to share by threads."""

    def __init__(self, frame: Frame) -> None:
        self._frame = frame
        self._held: OrderedDict[int, Laid | None] = OrderedDict()
        self._lock = threading.Lock()

    def seen(self, n: int, region: Region) -> tuple[Camera, Plane] | None:
        """What frame n, from 1 on, has of a region (height, width, 3), in the values of the merged one, and which px it
        knows: not those that it does not reach, or that are full in it. None where it cannot be read."""
        merged, laid = self._frame.merged, self._laid(n)
        if merged is None or laid is None:
            return None
        camera, nearly = laid.seen(region)
        return camera * np.float32(_factor(merged, n)), (nearly < KNOWN).astype(np.float32)

    def missing(self, numbers: Iterable[int]) -> tuple[str, ...]:
        """Names of those of some frames that cannot be read."""
        names = self._frame.merged.names if self._frame.merged is not None else ()
        return tuple(names[n - 1] for n in sorted(set(numbers)) if 1 <= n <= len(names) and self._laid(n) is None)

    def _laid(self, n: int) -> Laid | None:
        merged = self._frame.merged
        if merged is None or not can_retouch(self._frame) or not 1 <= n <= len(merged.names):
            return None
        with self._lock:
            if n not in self._held:
                while len(self._held) >= MOST_HELD:
                    self._held.popitem(last=False)
                self._held[n] = self._read(merged, n)
            self._held.move_to_end(n)
            return self._held[n]

    def _read(self, merged: Merged, n: int) -> Laid | None:
        try:
            # only its name is known: it lies beside the merged file
            frame = read_frame(self._frame.path.parent / Path(merged.names[n - 1]).name)
            alignment = Alignment.of_numbers(merged.lies[n - 2], self._frame.size) if n > 1 else None
        except (FileError, FormatError, ValueError):
            return None
        if frame.size != self._frame.size:
            return None
        return Laid(Sensor(frame), alignment)


def _factor(merged: Merged, n: int) -> float:
    """From a frame's values to the merged one's, whose white is that of the frame that got least light."""
    least = min(merged.exposures_EV) if merged.kind == "bracket" else 0.0
    return float(2.0 ** (least - merged.exposures_EV[n - 1]))
