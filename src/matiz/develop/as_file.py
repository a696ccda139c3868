"""A frame as a file of its own, with the preview that a camera would have made."""

from pathlib import Path

import cv2
import numpy as np

from ..raw.dng import write_dng
from ..raw.frame import Frame
from ..recipe.model import Recipe
from ..system.files import write_whole
from .engine import Engine

PREVIEW_LONG_SIDE = 1200


def write_frame(frame: Frame, path: Path, *, exclusive: bool = False) -> None:
    """Write a frame as DNG. exclusive: raise TakenError rather than take the place of a file that is there."""
    pixels = Engine(frame).render(Recipe(), 1, result="draft")
    scale = min(1.0, PREVIEW_LONG_SIDE / max(pixels.shape[:2]))
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    preview = np.ascontiguousarray(small[..., 2::-1])
    write_whole(path, lambda temporary: write_dng(frame, temporary, preview), exclusive=exclusive)
