"""JPEG, TIFF and PNG as linear frames, through their embedded profile. Runs in the decoder process."""

import io
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow

from ..colour.spaces import D65_XY, SRGB_TO_REC2020, decode_sRGB
from ..colour.types import Image
from ..errors import FormatError

LEAST_MOSAIC_PX, LEAST_PICTURE_PX = 16, 2
MAGIC = {b"\xff\xd8\xff": "JPEG", b"\x89PNG": "PNG"}
_REC2020_PRIMARIES = [0.708, 0.292, 1.0, 0.170, 0.797, 1.0, 0.131, 0.046, 1.0]


def kind_of(data: bytes) -> str:
    """ "JPEG", "PNG" or "" from the first bytes."""
    return next((kind for magic, kind in MAGIC.items() if data.startswith(magic)), "")


def read_picture(data: bytes, most_pixels: int) -> tuple[Image, bool]:
    """Linear Rec.2020 float32 (height, width, 3), as stored; and whether it is rendered: floats are a scene's."""
    kind = kind_of(data)
    pixels, profile = _read_tiff(data, most_pixels) if not kind else _read_pillow(data, kind, most_pixels)
    pixels = three_channels(pixels)
    check_picture(pixels.shape[1], pixels.shape[0])
    return _to_linear(pixels, profile), pixels.dtype.kind != "f"


def _read_pillow(data: bytes, kind: str, most_pixels: int) -> tuple[NDArray[Any], bytes | None]:
    with Pillow.open(io.BytesIO(data)) as picture:
        check_size(picture.size[0], picture.size[1], most_pixels)
        profile = picture.info.get("icc_profile")
        if kind == "PNG":
            pixels = imagecodecs.png_decode(data)
            if picture.mode == "P":
                pixels = np.asarray(picture.convert("RGB"))
        else:
            pixels = np.asarray(picture if picture.mode in ("L", "RGB") else picture.convert("RGB"))
            if picture.mode not in ("L", "RGB"):
                profile = None
    return pixels, profile


def _read_tiff(data: bytes, most_pixels: int) -> tuple[NDArray[Any], bytes | None]:
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        page = tiff.pages[0]
        check_size(page.imagewidth, page.imagelength, most_pixels)
        pixels = tiff_pixels(page)
        profile = page.tags[34675].value if 34675 in page.tags else None
    return pixels, profile


def tiff_pixels(page: Any) -> NDArray[Any]:
    """Pixels of a page of a TIFF, channels last and black at 0, whatever way they are stored."""
    pixels: NDArray[Any] = page.asarray()
    if page.planarconfig == 2 and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    return np.iinfo(pixels.dtype).max - pixels if page.photometric == 0 else pixels


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
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    if pixels.ndim != 3:
        raise FormatError(f"expected a picture of rows and columns, got shape {pixels.shape}")
    if pixels.shape[2] in (1, 2):
        pixels = pixels[..., :1].repeat(3, axis=2)
    return np.ascontiguousarray(pixels[..., :3])


def _to_linear(pixels: NDArray[Any], profile: bytes | None) -> Image:
    if pixels.dtype.kind == "f":
        # floating-point pictures are linear by custom; without a profile, linear sRGB
        finite = np.clip(np.nan_to_num(pixels.astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0), -4096.0, 4096.0)
        return np.ascontiguousarray(finite @ SRGB_TO_REC2020.T.astype(np.float32))
    if pixels.dtype not in (np.uint8, np.uint16):
        raise FormatError(f"pixels of type {pixels.dtype} are not supported; 8 or 16 bit, or float")
    if profile:
        try:
            return _through_profile(pixels, profile)
        except (imagecodecs.CmsError, ValueError):
            pass  # a broken profile: what follows is what an untagged picture gets
    top = np.iinfo(pixels.dtype).max
    table = decode_sRGB(np.arange(top + 1) / top).astype(np.float32)
    return np.ascontiguousarray(table[pixels] @ SRGB_TO_REC2020.T.astype(np.float32))


def _through_profile(pixels: NDArray[Any], profile: bytes) -> Image:
    white = [D65_XY[0], D65_XY[1], 1.0]
    linear = imagecodecs.cms_profile("rgb", whitepoint=white, primaries=_REC2020_PRIMARIES, gamma=1.0)
    wide = pixels if pixels.dtype == np.uint16 else pixels.astype(np.uint16) * 257
    out = imagecodecs.cms_transform(wide, profile, linear, outdtype=np.float32, colorspace="rgb", outcolorspace="rgb")
    return np.ascontiguousarray(out, np.float32)
