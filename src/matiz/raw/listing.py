"""What a contact sheet needs of a file, without decoding its raw data. Runs in the decoder process."""

import io
import re
from pathlib import Path
from typing import Any, BinaryIO

import imagecodecs
import numpy as np
import rawpy
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow

from .picture_file import check_size, three_channels, tiff_pixels
from .tags import Tags

PREVIEW_PX = 1600
"""Long side of previews made here; embedded ones are given as they are."""
MOST_BESIDE_BYTES = 256 * 1024
RATING = re.compile(rb"xmp:Rating(?:\s*=\s*[\"']|>)\s*(-?\d)")


def preview_of(path: Path, kind: str, tags: Tags | None, out: BinaryIO, most_pixels: int) -> None:
    """Write a JPEG of the picture to `out`: the largest one embedded, or one made from a picture file.

    kind: "JPEG", "PNG" or "", see `picture_file.kind_of`. tags: of a file that is built like a TIFF.
    """
    with path.open("rb") as file:
        if kind == "JPEG":
            out.write(file.read())
            return
        embedded = _embedded(file, tags)
    if embedded is not None:
        out.write(embedded)
    elif kind == "PNG":
        out.write(_jpeg(_small_png(path, most_pixels)))
    elif tags is not None and not tags.is_dng and path.suffix.lower() in (".tif", ".tiff"):
        out.write(_jpeg(_small_tiff(path, most_pixels)))
    else:
        out.write(_by_libraw(path))


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
    Pillow.MAX_IMAGE_PIXELS = None
    with Pillow.open(path) as picture:
        return picture.size


def _embedded(file: BinaryIO, tags: Tags | None) -> bytes | None:
    """The largest whole JPEG that the file's tags point at."""
    for _, offset, length in sorted(tags.previews if tags is not None else (), reverse=True):
        file.seek(offset)
        data = file.read(length)
        try:
            with Pillow.open(io.BytesIO(data)) as picture:
                if picture.format == "JPEG" and picture.mode in ("RGB", "L"):
                    return data
        except OSError:
            continue
    return None


def _by_libraw(path: Path) -> bytes:
    with rawpy.imread(str(path)) as raw:
        thumb = raw.extract_thumb()
    if thumb.format == rawpy.ThumbFormat.JPEG:
        return bytes(thumb.data)
    return _jpeg(np.ascontiguousarray(thumb.data))


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


def _jpeg(pixels: NDArray[np.uint8]) -> bytes:
    return bytes(imagecodecs.jpeg8_encode(pixels, level=85))
