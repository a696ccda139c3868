"""Make a delivery: the full-size picture, resized, encoded, written whole."""

import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow

from ..colour.types import Display
from ..develop.engine import Engine, full_picture
from ..develop.tiles import Region
from ..errors import ArgumentError, Cancelled, FileError
from ..files import TakenError, write_whole
from ..kernels.encoding import encode
from ..raw.frame import Frame
from ..raw.metadata import SOFTWARE, write_metadata
from ..recipe.model import Recipe
from .orders import Order, free_name
from .profiles import sRGB_profile

Progress = Callable[[float], bool]


def deliver(
    engine: Engine,
    recipe: Recipe,
    order: Order,
    path: Path,
    *,
    rank: int = 0,
    region: Region | None = None,
    progress: Progress | None = None,
    exclusive: bool = False,
) -> Path:
    """Write one delivery of the picture, or of a region of it (px of the upright full size).

    `progress` hears the share done, 0..1, and returns False to stop: then nothing is written and
    Cancelled is raised. exclusive: a file that is there is never written over; the next free name is taken. Returns
    where the delivery lies.
    """
    if path.resolve() == engine.frame.path.resolve():
        raise FileError(f"{path}: that is the picture itself, which Matiz never writes; choose another name")
    heard = progress or (lambda _share: True)
    picture = developed(engine, recipe, region=region, progress=lambda share: heard(share * 0.8))
    pixels = encode(resized(picture, order.size_of((picture.shape[1], picture.shape[0]))), _bits(order))
    if not heard(0.9):
        raise Cancelled("stopped by the user")

    def write(temporary: Path) -> None:
        _write(engine.frame, pixels, order, rank, temporary)

    while True:
        try:
            write_whole(path, write, exclusive=exclusive)
            break
        except TakenError:
            path = free_name(path.parent, engine.frame.path.stem, order)
    heard(1.0)
    return path


def developed(
    engine: Engine, recipe: Recipe, *, region: Region | None = None, progress: Progress | None = None
) -> Display:
    """The display-linear picture at full size, or a region of it."""
    if region is None:
        return full_picture(engine, recipe, progress=progress)
    return engine.render(recipe, 0, region, result="display")


def resized(picture: Display, size: tuple[int, int]) -> Display:
    """Area means: exact for making smaller, in linear light, without ringing."""
    height, width = picture.shape[:2]
    if size == (width, height):
        return picture
    if size[0] > width or size[1] > height:
        raise ArgumentError(f"size: {size[0]}x{size[1]} px is larger than the picture, {width}x{height}")
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))


def _bits(order: Order) -> int:
    return 8 if order.format == "JPEG" else 16


def _write(frame: Frame, pixels: NDArray[np.uint8] | NDArray[np.uint16], order: Order, rank: int, path: Path) -> None:
    if order.format == "JPEG":
        Pillow.fromarray(pixels).save(
            path,
            "JPEG",
            quality=order.quality,
            subsampling=0 if order.quality >= 90 else 2,
            optimize=True,
            icc_profile=sRGB_profile(),
        )
    elif order.format == "TIFF":
        tifffile.imwrite(
            path,
            pixels,
            photometric="rgb",
            compression="adobe_deflate",
            predictor=True,
            iccprofile=sRGB_profile(),
            software=SOFTWARE,
            metadata=None,
        )
    else:
        path.write_bytes(_png(pixels))
    write_metadata(path, frame, (pixels.shape[1], pixels.shape[0]), rank=rank)


def _png(pixels: NDArray[np.uint8] | NDArray[np.uint16]) -> bytes:
    """A PNG that says which colour space it is in."""
    done, data = cv2.imencode(".png", pixels[..., ::-1])
    if not done:
        raise FileError("the PNG could not be encoded")
    raw = data.tobytes()
    after_header = 8 + 25
    body = b"iCCP" + b"sRGB\0\0" + zlib.compress(sRGB_profile())
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    return raw[:after_header] + chunk + raw[after_header:]
