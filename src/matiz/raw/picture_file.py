"""JPEG, TIFF and PNG as linear frames, through their embedded profile. Runs in the decoder process."""

import io
import math
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow
from PIL import ImageCms

from ..colour.spaces import OPRGB_TO_REC2020, SRGB_TO_REC2020, decode_sRGB
from ..colour.types import Image
from ..errors import FormatError
from . import icc

LEAST_MOSAIC_PX, LEAST_PICTURE_PX = 16, 2
MAGIC = {b"\xff\xd8\xff": "JPEG", b"\x89PNG": "PNG"}
PALETTE = 3
UNKNOWN_COLOURS = {5: "colour in printing inks (CMYK)", 8: "CIE Lab", 9: "ICC Lab", 10: "ITU Lab"}
"""Photometric interpretations of TIFF that are no RGB, and whose pixels would be taken for it."""
OPRGB_GAMMA = 563.0 / 256.0
"""IEC 61966-2-5."""
BRIGHTEST = 4096.0


def kind_of(data: bytes) -> str:
    """ "JPEG", "PNG" or "" from the first bytes."""
    return next((kind for magic, kind in MAGIC.items() if data.startswith(magic)), "")


def read_picture(data: bytes, most_pixels: int, *, is_wide: bool = False) -> tuple[Image, bool]:
    """Linear Rec.2020 float32 (height, width, 3), as stored; and whether it is rendered: floats are a scene's.

    is_wide: whether the file says by its Exif alone that it is in the wide space of the Exif annex (opRGB).
    """
    kind = kind_of(data)
    pixels, profile = _read_tiff(data, most_pixels) if not kind else _read_pillow(data, kind, most_pixels)
    pixels = _channels(pixels)
    check_picture(pixels.shape[1], pixels.shape[0])
    if pixels.dtype.kind != "f" and pixels.dtype not in (np.uint8, np.uint16):
        raise FormatError(f"pixels of type {pixels.dtype} are not supported; 8 or 16 bit, or float")
    return _to_linear(pixels, profile, is_wide=is_wide), pixels.dtype.kind != "f"


def _read_pillow(data: bytes, kind: str, most_pixels: int) -> tuple[NDArray[Any], bytes | None]:
    with Pillow.open(io.BytesIO(data)) as picture:
        check_size(picture.size[0], picture.size[1], most_pixels)
        profile = picture.info.get("icc_profile")
        if kind == "PNG":
            pixels = np.asarray(picture.convert("RGB")) if picture.mode == "P" else imagecodecs.png_decode(data)
        elif picture.mode == "CMYK":
            pixels, profile = _from_inks(picture, profile), None
        else:
            pixels = np.asarray(picture if picture.mode in ("L", "RGB") else picture.convert("RGB"))
    return pixels, profile


def _from_inks(picture: Pillow.Image, profile: bytes | None) -> NDArray[np.uint8]:
    """sRGB of a picture in printing inks, by the profile that says which."""
    if not profile:
        raise FormatError("CMYK without a colour profile: the inks are unknown; convert it to RGB")
    try:
        inks = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        made = ImageCms.profileToProfile(picture, inks, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError) as error:
        raise FormatError(f"its colour profile cannot be used ({str(error)[:80]}); convert it to RGB") from None
    return np.asarray(made)


def _read_tiff(data: bytes, most_pixels: int) -> tuple[NDArray[Any], bytes | None]:
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        page = tiff.pages[0]
        check_size(page.imagewidth, page.imagelength, most_pixels)
        if int(page.photometric) in UNKNOWN_COLOURS:
            raise FormatError(f"{UNKNOWN_COLOURS[int(page.photometric)]} is not supported in a TIFF; convert it to RGB")
        _check_whole(page, len(data))
        pixels = tiff_pixels(page)
        profile = page.tags[34675].value if 34675 in page.tags else None
    return pixels, profile


def tiff_pixels(page: Any) -> NDArray[Any]:
    """Pixels of a page of a TIFF, channels last and black at 0, whatever way they are stored."""
    pixels: NDArray[Any] = page.asarray()
    if page.planarconfig == 2 and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    if page.photometric == PALETTE:
        return np.ascontiguousarray(np.moveaxis(np.asarray(page.colormap, np.uint16)[:, pixels], 0, -1))
    return np.iinfo(pixels.dtype).max - pixels if page.photometric == 0 else pixels


def _check_whole(page: Any, length: int) -> None:
    """What is not there would be shown as black, and a few bytes could claim a picture of any size."""
    ends = [at + count for at, count in zip(page.dataoffsets, page.databytecounts, strict=False)]
    if len(ends) < math.prod(page.chunked) or max(ends) > length:
        raise FormatError("part of the picture is missing; the file is truncated or damaged")


def check_size(width: int, height: int, most_pixels: int) -> None:
    if width * height > most_pixels:
        raise FormatError(f"{width}x{height} px is more than the limit of {most_pixels // 10**6} megapixels")


def check_picture(width: int, height: int) -> None:
    if min(width, height) < LEAST_PICTURE_PX:
        raise FormatError(f"{width}x{height} px is too small to be developed; at least 2x2 are needed")


def check_mosaic(width: int, height: int) -> None:
    """A mosaic is interpolated from what lies round about: it needs some."""
    if min(width, height) < LEAST_MOSAIC_PX:
        raise FormatError(f"{width}x{height} px is too small to be developed; a mosaic needs at least 16x16")


def three_channels(pixels: NDArray[Any]) -> NDArray[Any]:
    """Pixels (height, width, 3) of those of one to four channels; a fourth is dropped."""
    pixels = _channels(pixels)
    return np.ascontiguousarray(pixels.repeat(3, axis=2) if pixels.shape[2] == 1 else pixels)


def _channels(pixels: NDArray[Any]) -> NDArray[Any]:
    """Pixels (height, width, 1 or 3): grey or colour, without opacity."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3:
        raise FormatError(f"expected a picture of rows and columns, got shape {pixels.shape}")
    return np.ascontiguousarray(pixels[..., : 1 if pixels.shape[2] <= 2 else 3])


def _to_linear(pixels: NDArray[Any], profile: bytes | None, *, is_wide: bool) -> Image:
    """The one way by which colours of a picture are understood: its profile, else its Exif, else custom."""
    if pixels.dtype.kind == "f":
        pixels = np.nan_to_num(pixels.astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0)
        pixels = np.clip(pixels, -BRIGHTEST, BRIGHTEST)
    if profile and icc.colour_space(profile):
        is_grey = icc.colour_space(profile) == "GRAY"
        made = icc.to_rec2020(pixels if is_grey else three_channels(pixels), profile)
        if made is not None:
            return made
    pixels = three_channels(pixels)
    if pixels.dtype.kind == "f":
        # without a profile, floating-point pictures are linear sRGB by custom
        return np.ascontiguousarray(pixels @ SRGB_TO_REC2020.T.astype(np.float32))
    top = np.iinfo(pixels.dtype).max
    codes = np.arange(top + 1) / top
    table = (codes**OPRGB_GAMMA if is_wide else decode_sRGB(codes)).astype(np.float32)
    matrix = OPRGB_TO_REC2020 if is_wide else SRGB_TO_REC2020
    return np.ascontiguousarray(table[pixels] @ matrix.T.astype(np.float32))
