"""What a TIFF-based raw file says about itself, read with tifffile. Runs in the decoder process."""

import json
from dataclasses import asdict
from typing import Any, BinaryIO

import numpy as np
import tifffile
from numpy.typing import NDArray

from ..colour.types import Array
from ..errors import FormatError
from .dng import PRIVATE, PRIVATE_NAME
from .frame import Calibration, CameraColour, Merged
from .light_sources import LIGHT_SOURCE_K
from .picture_file import check_size

BRIGHTEST = 4096.0
"""Times white, beyond which a floating point value is no light any more: 12 EV."""
UNKNOWN_K = 6504.0
"""Taken for the light of a calibration whose code is unknown or another light's, which is legal."""
FLOAT_BLACK, FLOAT_WHITE = 1024.0, 61_000.0
"""Counts that stand for black and white of floating point mosaics."""
MOST_PREVIEW_BYTES = 64 * 2**20

LEAST_SHOT, MOST_READ = 1e-8, 0.1
"""Variances of a noise profile, of values 0..1: a full well of 100 million electrons, and read noise of a third of the
white level. No sensor lies beyond either; a damaged file does."""


class Tags:
    """Tags of a TIFF file by number, from the first IFD, its Exif IFD and its sub-IFDs."""

    def __init__(self, file: BinaryIO) -> None:
        self.values: dict[int, Any] = {}
        self.plain: dict[str, Any] | None = None
        """Where the mosaic of a DNG lies in the file, when it needs no decoding: see `_plain_mosaic`."""
        self.is_linear = False
        """Whether the picture needs no demosaicing (photometric LinearRaw)."""
        self.is_packed = False
        """Whether the mosaic is of a kind that `packed_mosaic` reads."""
        self.previews: list[tuple[int, int, int]] = []
        """Pixels, offset and length of every JPEG that lies in the file in one piece."""
        self.size = (0, 0)
        """(width, height) of the largest picture in the file."""
        with tifffile.TiffFile(file) as tiff:
            pages = [tiff.pages[0], *(tiff.pages[0].pages or ())]
            for page in pages:
                self.is_linear = self.is_linear or _is_linear_raw(page)
                self.is_packed = self.is_packed or _is_packed(page)
                self.plain = self.plain or _plain_mosaic(page, tiff.byteorder)
                self.previews += _jpegs(page)
                width, height = int(page.imagewidth), int(page.imagelength)
                self.size = max(self.size, (width, height), key=lambda size: size[0] * size[1])
                for tag in page.tags:
                    self.values.setdefault(tag.code, tag.value)
            exif = self.values.get(34665)
            names = tifffile.TIFF.EXIF_TAGS
            if isinstance(exif, dict):
                for name, value in exif.items():
                    code = names.get(name)
                    if isinstance(code, int):
                        self.values.setdefault(code, value)

    @property
    def is_dng(self) -> bool:
        return 50706 in self.values

    def numbers(self, code: int) -> list[float]:
        """A tag's values as floats, rationals divided; empty when it is missing."""
        value = self.values.get(code)
        if value is None:
            return []
        flat = np.atleast_1d(np.asarray(value)).ravel()
        if code in _RATIONAL:
            pairs = flat.reshape(-1, 2).astype(np.float64)
            return [float(a / b) if b else 0.0 for a, b in pairs]
        return [float(v) for v in flat]

    def number(self, code: int) -> float | None:
        values = self.numbers(code)
        return values[0] if values else None

    def text(self, code: int) -> str:
        value = self.values.get(code, "")
        return str(value).strip("\x00 ") if isinstance(value, str) else ""

    def colour(self) -> CameraColour | None:
        """Camera colour of a DNG, or None when the file holds no matrices."""
        calibrations = []
        for n in range(2):
            matrix = self.numbers(50721 + n)
            if len(matrix) == 9:
                code = int(self.number(50778 + n) or 0)
                forward = self.numbers(50964 + n)
                calibrations.append(
                    Calibration(
                        LIGHT_SOURCE_K.get(code, UNKNOWN_K),
                        self._calibrated(n, np.reshape(matrix, (3, 3))),
                        np.reshape(forward, (3, 3)) if len(forward) == 9 else None,
                    )
                )
        if not calibrations:
            return None
        neutral = np.array(self.numbers(50728) or [1.0, 1.0, 1.0])
        if neutral.shape != (3,) or not (neutral > 0).all():
            neutral = np.ones(3)
        return CameraColour(tuple(calibrations), neutral / neutral[1], self.number(50730) or 0.0)

    def noise_profile(self) -> tuple[tuple[float, float], ...]:
        """Shot and read noise of each channel, as variances of values 0..1 (DNG 1.4, tag NoiseProfile); none where the
        file has none, or one that no sensor can have."""
        values = self.numbers(51041)
        if len(values) not in (2, 6):
            return ()
        channels = tuple(zip(values[::2], values[1::2], strict=True))
        is_possible = all(LEAST_SHOT <= shot <= 1.0 and abs(read) <= MOST_READ for shot, read in channels)
        return channels if is_possible else ()

    def merged(self) -> dict[str, Any] | None:
        """What the frame was merged of, when Matiz made it, as `Merged` takes it."""
        held = self.values.get(PRIVATE)
        if not isinstance(held, bytes | tuple) or not bytes(held).startswith(PRIVATE_NAME):
            return None
        try:
            return asdict(Merged.from_json(json.loads(bytes(held)[len(PRIVATE_NAME) :])))
        except (ValueError, RecursionError):
            return None  # the picture is whole without it

    def _calibrated(self, n: int, matrix: Array) -> Array:
        """Color matrix with the analog balance and the single camera's calibration applied."""
        balance = self.numbers(50727) or [1.0, 1.0, 1.0]
        own = self.numbers(50723 + n)
        single = np.reshape(own, (3, 3)) if len(own) == 9 else np.eye(3)
        return np.diag(balance[:3]) @ single @ matrix


_RATIONAL = {33434, 33437, 37382, 37386, 50714, 50721, 50722, 50723, 50724, 50727, 50728, 50730, 50964, 50965}


_NEEDS_DECODER = (50712, 50715, 50716, 50829, 50830)
"""Linearization table, black level deltas, active area, masked areas: LibRaw knows what to do with them."""


def _jpegs(page: Any) -> list[tuple[int, int, int]]:
    found = []
    pixels = int(page.imagewidth) * int(page.imagelength)
    if page.compression in (6, 7) and page.photometric in (2, 6) and len(page.dataoffsets) == 1:
        found.append((pixels, int(page.dataoffsets[0]), int(page.databytecounts[0])))
    tags = {tag.code: tag.value for tag in page.tags}
    if 513 in tags and 514 in tags:
        found.append((pixels, int(tags[513]), int(tags[514])))
    return [entry for entry in found if 0 < entry[2] <= MOST_PREVIEW_BYTES]


def _plain_mosaic(page: Any, byteorder: str) -> dict[str, Any] | None:
    """Pattern, levels, shape and offset of a mosaic that lies in the file as it is: 16 bit, not
    compressed, in one piece. None for anything else.
    """
    tags = {tag.code: tag.value for tag in page.tags}
    if page.photometric != 32803 or page.compression != 1 or tags.get(254, 0) != 0 or byteorder != "<":
        return None
    if (
        page.bitspersample != 16
        or page.sampleformat != 1
        or page.samplesperpixel != 1
        or any(code in tags for code in _NEEDS_DECODER)
    ):
        return None
    first, length = page.dataoffsets[0], page.imagelength * page.imagewidth * 2
    ends = [a + b for a, b in zip(page.dataoffsets, page.databytecounts, strict=True)]
    in_one_piece = list(page.dataoffsets[1:]) == ends[:-1] and sum(page.databytecounts) == length and not page.is_tiled
    levels = _levels(tags)
    if not in_one_piece or levels is None:
        return None
    shape = [int(page.imagelength), int(page.imagewidth)]
    return {"mosaic": {"dtype": "<u2", "shape": shape, "offset": int(first)}, **levels}


def _levels(tags: dict[int, Any]) -> dict[str, Any] | None:
    """Pattern, black per place of it and white; None where they are of a kind that needs a decoder."""
    rows, columns = (int(v) for v in tags.get(33421, (0, 0)))
    pattern = np.frombuffer(bytes(tags.get(33422, b"")), np.uint8)
    colours = tuple(tags.get(50710, (0, 1, 2)))
    if pattern.size != rows * columns or pattern.size == 0 or pattern.max() > 2 or colours != (0, 1, 2):
        return None
    black = _repeated(tags, (rows, columns))
    if black is None or tags.get(50711, 1) != 1:
        return None
    return {
        "pattern": pattern.reshape(rows, columns).tolist(),
        "black": black.tolist(),
        "white": float(np.atleast_1d(tags.get(50717, 65_535))[0]),
    }


def packed_mosaic(file: BinaryIO, most_pixels: int) -> tuple[NDArray[np.uint16], dict[str, Any]] | None:
    """A mosaic packed with deflate, or of floating point values: LibRaw gives neither.

    Counts (height, width), and pattern, black and white as `_levels`; floating point values are put
    on 16 bit, black at FLOAT_BLACK so that noise below it is kept. None for any other file.
    """
    with tifffile.TiffFile(file) as tiff:
        page = next((p for p in [tiff.pages[0], *(tiff.pages[0].pages or ())] if _is_packed(p)), None)
        if page is None:
            return None
        check_size(page.imagewidth, page.imagelength, most_pixels)
        tags = {tag.code: tag.value for tag in page.tags}
        levels = _levels(tags)
        if levels is None or any(code in tags for code in (50712, 50715, 50716)):
            return None
        values = page.asarray()
    if 50829 in tags:
        top, left, bottom, right = (int(v) for v in tags[50829])
        values = values[top:bottom, left:right]
    if values.dtype.kind != "f":
        return np.ascontiguousarray(values, np.uint16), levels
    if page.tags.get(50717) is None:
        levels["white"] = 1.0
    black, white = np.array(levels["black"]), levels["white"]
    height, width = values.shape
    rows, columns = black.shape
    there = np.tile(black, (-(-height // rows), -(-width // columns)))[:height, :width]
    scaled = (values.astype(np.float64) - there) / (white - there)
    counts = np.nan_to_num(scaled, nan=0.0) * (FLOAT_WHITE - FLOAT_BLACK) + FLOAT_BLACK
    levels |= {"black": np.full(black.shape, FLOAT_BLACK).tolist(), "white": FLOAT_WHITE}
    return np.clip(np.rint(counts), 0, 65_535).astype(np.uint16), levels


def _is_packed(page: Any) -> bool:
    packed = page.compression in (8, 32946) or page.sampleformat == 3
    return bool(page.photometric == 32803 and page.samplesperpixel == 1 and packed)


def _repeated(tags: dict[int, Any], shape: tuple[int, int]) -> Array | None:
    """Black level for each place of the pattern, or None when the two periods do not fit."""
    rows, columns = (int(v) for v in tags.get(50713, (1, 1)))
    values = np.atleast_1d(np.asarray(tags.get(50714, 0), np.float64)).ravel()
    if values.size == 2 * rows * columns:
        values = values[::2] / np.maximum(values[1::2], 1.0)
    if values.size != rows * columns or shape[0] % rows or shape[1] % columns:
        return None
    return np.tile(values.reshape(rows, columns), (shape[0] // rows, shape[1] // columns))


def _is_linear_raw(page: Any) -> bool:
    return bool(page.photometric == 34892 and page.samplesperpixel == 3)


def linear_pixels(file: BinaryIO, most_pixels: int) -> NDArray[np.float32]:
    """Camera values (height, width, 3) of a linear DNG, 0 at black and 1 at the white level."""
    with tifffile.TiffFile(file) as tiff:
        pages = [tiff.pages[0], *(tiff.pages[0].pages or ())]
        page = next(p for p in pages if _is_linear_raw(p) and p.tags.get(254, 0) is not None)
        check_size(page.imagewidth, page.imagelength, most_pixels)
        tags = {tag.code: tag.value for tag in page.tags}
        values = page.asarray().astype(np.float32)
    top = 1.0 if page.dtype.kind == "f" else float(2**page.bitspersample - 1)
    white = np.broadcast_to(np.asarray(tags.get(50717, top), np.float32), (3,))
    black = np.atleast_1d(np.asarray(tags.get(50714, 0), np.float64)).ravel()
    if black.size in (2, 6):
        black = black[::2] / np.maximum(black[1::2], 1.0)
    black = np.broadcast_to(black if black.size == 3 else black[:1], (3,)).astype(np.float32)
    if not (white > black).all():
        raise FormatError(f"white level {white.tolist()} is not above black {black.tolist()}")
    scaled = (values - black) / (white - black)
    finite = np.nan_to_num(scaled, nan=0.0, posinf=1.0, neginf=0.0)
    return np.ascontiguousarray(np.clip(finite, -BRIGHTEST, BRIGHTEST), np.float32)
