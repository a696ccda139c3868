"""A mask as a file: a grey PNG of 16 bits, upright and of the picture's full size."""

from pathlib import Path

import cv2
import numpy as np

from ..develop.graph.engine import Engine
from ..develop.graph.graph import mask
from ..develop.places.weighing import Masked
from ..errors import ArgumentError, FileError
from ..recipe.model import Recipe
from ..system.outputs import write_output


def write_mask(engine: Engine, recipe: Recipe, wanted: Masked, path: Path) -> None:
    """path: ends in .png. White is all in the mask."""
    if path.suffix.lower() != ".png":
        raise ArgumentError(f"{path}: a mask is written as .png")
    width, height = engine.size(recipe)
    codes = np.empty((height, width), np.uint16)
    for (x, y, w, h), tile in engine.full(recipe, result=mask(wanted)):
        codes[y : y + h, x : x + w] = np.rint(np.clip(tile[..., 0], 0.0, 1.0) * 65_535.0).astype(np.uint16)
    done, data = cv2.imencode(".png", codes)
    if not done:
        raise FileError(f"{path}: the mask cannot be encoded")

    def write(part: Path) -> None:
        part.write_bytes(data.tobytes())

    write_output(path, write, "mask")
