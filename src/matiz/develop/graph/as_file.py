"""A frame as a file of its own, with the preview that a camera would have made."""

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from ...raw.dng import write_dng
from ...raw.frame import Frame
from ...recipe.model import Recipe
from ...system.files import write_whole
from .engine import Engine

PREVIEW_LONG_SIDE = 1200


def write_frame(frame: Frame, path: Path, *, exclusive: bool = False) -> None:
    """Write a frame as DNG. exclusive: raise TakenError rather than take the place of a file that is there."""
    write_whole(path, frame_writer(frame), exclusive=exclusive)


def frame_writer(frame: Frame) -> Callable[[Path], None]:
    """What writes a frame as DNG to a path, for `system.outputs.write_output`."""
    pixels = Engine(frame).render(Recipe(), 1, result="draft")
    scale = min(1.0, PREVIEW_LONG_SIDE / max(pixels.shape[:2]))
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    preview = np.ascontiguousarray(small[..., 2::-1])
    return lambda path: write_dng(frame, path, preview)
