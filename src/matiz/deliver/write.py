"""Make a delivery: the full-size picture, resized, sharpened, bordered, encoded, written whole."""

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.outputs import SPACES
from ..colour.types import Display
from ..develop.frame.tiles import Region
from ..develop.graph.engine import Engine, full_picture
from ..develop.graph.graph import fit_to
from ..develop.stages.border import border_px, bordered
from ..errors import ArgumentError, Cancelled, FileError
from ..kernels.encoding import encode
from ..kernels.sharpen import BINS, sharpened
from ..raw.frame import PictureWords
from ..raw.metadata import NOTHING, KeptMetadata, metadata_blocks, write_metadata
from ..recipe.model import Recipe
from ..system.files import TakenError, write_whole
from ..system.outputs import remember, write_output
from .encode import TOLD_LATER, About, write_pixels
from .orders import FORMATS, Order, free_name
from .profiles import into_profile, profile_of, read_profile

Progress = Callable[[float], bool]

SHARPENED: Mapping[str, tuple[float, float, float]] = {
    "screen": (0.5, 0.45, 2.0),
    "glossy": (0.8, 0.7, 3.0),
    "matte": (1.0, 1.1, 4.0),
}
"""Radius px, amount and halo L* by what it is looked at on: paper spreads ink. Common practice, no source."""
QUIET_L = 0.15
"""What rises less above its surroundings is not sharpened."""
LEAST_PX = 8
DELIVERY = "delivery"
"""What it is remembered as, see `system.outputs`."""
MOST_TRIES = 100
"""For a free name, where others take it meanwhile."""
STRIP_ROWS = 256
DITHER_PX, DITHER_SEED = 256, 3
"""Of the chance by which 8 bits are rounded, laid side by side."""


def deliver(
    engine: Engine,
    recipe: Recipe,
    order: Order,
    path: Path,
    *,
    said: PictureWords = NOTHING,
    region: Region | None = None,
    progress: Progress | None = None,
    taken: str = "",
) -> Path:
    """Write one delivery of the picture, or of a region of it (px of the upright full size).

    `progress` hears the share done, 0..1, and returns False to stop: then nothing is written and
    Cancelled is raised. taken: what becomes of a file that is there already: "" replaces it where it is a delivery that
    Matiz wrote and raises TakenError else, "rename" takes the next free name, "leave" raises TakenError. Returns where
    the delivery lies.
    """
    if path.resolve() == engine.frame.path.resolve():
        raise FileError(f"{path}: that is the picture itself, which Matiz never writes; choose another name")
    heard = progress or (lambda _share: True)
    recipe = recipe.in_force()
    profile = profile_of(order.space) if order.space in SPACES else read_profile(Path(order.space))
    picture = _developed(engine, recipe, region, "rendered", lambda share: heard(share * 0.8))
    codes = encoded(finished(picture, recipe, order), recipe, order)
    if not heard(0.9):
        raise Cancelled("stopped by the user")
    size = codes.shape[1], codes.shape[0]
    kept = KeptMetadata(order.keeps, order.keeps_place, order.author, is_sRGB=order.space == "sRGB")

    def write(temporary: Path) -> None:
        later = order.format in TOLD_LATER
        about = About(profile) if later else About(profile, *metadata_blocks(engine.frame, size, said, kept))
        write_pixels(temporary, codes, order, about)
        if later:
            write_metadata(temporary, engine.frame, size, said=said, kept=kept)

    for _ in range(MOST_TRIES if taken == "rename" else 1):
        try:
            if taken:
                write_whole(path, write, exclusive=True)
                remember(path, DELIVERY)
            else:
                write_output(path, write, DELIVERY)
            heard(1.0)
            return path
        except TakenError as error:
            if taken != "rename":
                raise
            taken_by = error
            stem = engine.frame.path.stem if order.pattern == "{name}" else path.stem
            path = free_name(path.parent, stem, order)
    raise taken_by


def finished(picture: Display, recipe: Recipe, order: Order) -> Display:
    """Display-linear Rec.2020 in the size of an order, sharpened for it, with its border."""
    height, width = picture.shape[:2]
    border = recipe.finish.border
    around = 2 * border_px(border, (width, height))
    total = order.size_of((width + around, height + around))
    scale = total[0] / (width + around)
    inner = max(1, round(width * scale)), max(1, round(height * scale))
    out = resized(picture, (min(inner[0], width), min(inner[1], height)))
    if order.sharpening in SHARPENED and min(out.shape[:2]) >= LEAST_PX:
        sigma, amount, halo = SHARPENED[order.sharpening]
        noise = np.full(BINS, QUIET_L, np.float32)
        out = sharpened(np.ascontiguousarray(out, np.float32), noise, sigma=sigma, amount=amount, halo=halo)
    return bordered(out, border)


def encoded(picture: Display, recipe: Recipe, order: Order) -> NDArray[Any]:
    """The codes of display-linear Rec.2020 in an order's space and bits; float32 and linear for 0 bits."""
    bits = FORMATS[order.format].bits
    if order.space not in SPACES:
        within = np.clip(picture, 0.0, 1.0)
        codes = into_profile(within, Path(order.space), order.intent, black_point=order.black_point)
        return dithered(codes) if bits == 8 else codes
    space = SPACES[order.space]
    fitted = fit_to(picture, recipe, space.from_rec2020())
    if bits == 0:
        return np.asarray(fitted, np.float32)
    if order.space == "sRGB":
        codes = encode(fitted, 16).astype(np.uint16, copy=False)
    else:
        codes = np.empty(fitted.shape, np.uint16)
        for first in range(0, len(fitted), STRIP_ROWS):
            codes[first : first + STRIP_ROWS] = _codes(space.encoded(fitted[first : first + STRIP_ROWS]))
    return dithered(codes) if bits == 8 else codes


def dithered(codes: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """16 bit to 8, (height, width, 3): rounded up or down by chance, so that slow gradients show no steps and means
    stay what they were. The same picture always gives the same codes."""
    height, width = codes.shape[:2]
    tile = np.random.default_rng(DITHER_SEED).random((DITHER_PX, DITHER_PX, 3), np.float32)
    out = np.empty(codes.shape, np.uint8)
    for top in range(0, height, DITHER_PX):
        for left in range(0, width, DITHER_PX):
            part = codes[top : top + DITHER_PX, left : left + DITHER_PX]
            own = tile[: part.shape[0], : part.shape[1]]
            out[top : top + DITHER_PX, left : left + DITHER_PX] = np.minimum(part / np.float32(257.0) + own, 255.0)
    return out


def _codes(values: NDArray[np.floating]) -> NDArray[np.uint16]:
    return np.rint(np.clip(values, 0.0, 1.0) * 65_535.0).astype(np.uint16)


def developed(
    engine: Engine, recipe: Recipe, *, region: Region | None = None, progress: Progress | None = None
) -> Display:
    """The display-linear sRGB picture at full size, or a region of it."""
    return _developed(engine, recipe, region, "display", progress)


def _developed(
    engine: Engine, recipe: Recipe, region: Region | None, result: str, progress: Progress | None
) -> Display:
    if region is None:
        return full_picture(engine, recipe, result=result, progress=progress)
    return engine.render(recipe, 0, region, result=result)


def resized(picture: Display, size: tuple[int, int]) -> Display:
    """Area means: exact for making smaller, in linear light, without ringing."""
    height, width = picture.shape[:2]
    if size == (width, height):
        return picture
    if size[0] > width or size[1] > height:
        raise ArgumentError(f"size: {size[0]}x{size[1]} px is larger than the picture, {width}x{height}")
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
