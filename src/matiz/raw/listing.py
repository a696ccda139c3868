"""What a contact sheet needs of a file, without decoding its raw data. Runs in the decoder process."""

import io
import re
from pathlib import Path
from typing import Any, BinaryIO

import cv2
import numpy as np
import rawpy
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow

from ..errors import FormatError
from ..image.orientation import upright
from .picture_file import check_size, three_channels, tiff_pixels
from .tags import Tags

PREVIEW_PX = 1600
"""Long side of previews made here; embedded ones are given as they are."""
MOST_BESIDE_BYTES = 256 * 1024
RATING = re.compile(rb"xmp:Rating(?:\s*=\s*[\"']|>)\s*(-?\d)")


def preview_of(path: Path, kind: str, tags: Tags | None, size_px: int, most_pixels: int) -> NDArray[np.uint8]:
    """A small picture of a file, as stored, uint8 (height, width, 3): from the largest JPEG in it, or made from its
    pixels. At least `size_px` on the long side where the file has as many, and not much more.

    kind: "JPEG", "PNG" or "", see `picture_file.kind_of`. tags: of a file that is built like a TIFF.
    """
    with path.open("rb") as file:
        if kind == "JPEG":
            return _small_jpeg(file, size_px, most_pixels)
        embedded = _embedded(file, tags, size_px, most_pixels)
    if embedded is not None:
        return embedded
    if kind == "PNG":
        return _small_png(path, most_pixels)
    if tags is not None and not tags.is_dng and path.suffix.lower() in (".tif", ".tiff"):
        return _small_tiff(path, most_pixels)
    return _by_libraw(path, size_px, most_pixels)


def thumbnail(pixels: NDArray[np.uint8], orientation: int, size_px: int) -> NDArray[np.uint8]:
    """uint8 (height, width, 4), blue first, upright, at most `size_px` on the long side."""
    height, width = pixels.shape[:2]
    scale = min(1.0, size_px / max(height, width))
    size = max(1, round(width * scale)), max(1, round(height * scale))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(cv2.cvtColor(upright(small, orientation), cv2.COLOR_RGB2BGRA))


def rating_beside(path: Path) -> int:
    """xmp:Rating, 0..5, of NAME.xmp or NAME.EXT.xmp beside a file; 0 where there is none."""
    for beside in (path.with_suffix(".xmp"), path.with_name(path.name + ".xmp")):
        if beside.is_file() and beside.stat().st_size <= MOST_BESIDE_BYTES:
            found = RATING.search(beside.read_bytes())
            if found:
                return min(max(int(found.group(1)), 0), 5)
    return 0


def picture_size(path: Path) -> tuple[int, int]:
    """(width, height) of a JPEG or PNG, from its head."""
    with Pillow.open(path) as picture:
        return picture.size


def _small_jpeg(file: BinaryIO, size_px: int, most_pixels: int) -> NDArray[np.uint8]:
    """The decoder itself reduces, many times faster than decoding in full."""
    with Pillow.open(file) as picture:
        check_size(picture.size[0], picture.size[1], most_pixels)
        width, height = picture.size
        share = size_px / max(width, height)
        # both sides are looked at: a short one that is asked too long keeps the decoder from reducing
        picture.draft("RGB", (max(1, int(width * share)), max(1, int(height * share))))
        return np.asarray(picture.convert("RGB"))


def _embedded(file: BinaryIO, tags: Tags | None, size_px: int, most_pixels: int) -> NDArray[np.uint8] | None:
    """The largest whole JPEG that the file's tags point at."""
    for _, offset, length in sorted(tags.previews if tags is not None else (), reverse=True):
        file.seek(offset)
        try:
            return _small_jpeg(io.BytesIO(file.read(length)), size_px, most_pixels)
        except (OSError, FormatError):
            continue  # damaged, or absurdly large: there may be another
    return None


def _by_libraw(path: Path, size_px: int, most_pixels: int) -> NDArray[np.uint8]:
    with rawpy.imread(str(path)) as raw:
        thumb = raw.extract_thumb()
    if thumb.format == rawpy.ThumbFormat.JPEG:
        return _small_jpeg(io.BytesIO(bytes(thumb.data)), size_px, most_pixels)
    return np.ascontiguousarray(thumb.data)


def _small_png(path: Path, most_pixels: int) -> NDArray[np.uint8]:
    with Pillow.open(path) as picture:
        check_size(picture.size[0], picture.size[1], most_pixels)
        deep = picture.mode.startswith("I")
        pixels = np.asarray(picture)
        return _reduced(pixels if deep else np.asarray(picture.convert("RGB")))


def _small_tiff(path: Path, most_pixels: int) -> NDArray[np.uint8]:
    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages[0]
        check_size(page.imagewidth, page.imagelength, most_pixels)
        return _reduced(tiff_pixels(page))


def _reduced(pixels: NDArray[Any]) -> NDArray[np.uint8]:
    """Every n-th pixel as 8 bit; a preview that is made in a moment, not a picture to be judged."""
    step = max(1, -(-max(pixels.shape[:2]) // PREVIEW_PX))
    small = three_channels(pixels[::step, ::step])
    if small.dtype.kind == "f":
        encoded = np.clip(np.nan_to_num(small, nan=0.0), 0.0, 1.0) ** (1 / 2.2)
        small = np.rint(encoded * 255)
    elif small.dtype.itemsize > 1:
        small = small.astype(np.uint32) >> 8
    return np.ascontiguousarray(small, np.uint8)
