"""Pixels as a file of each format, with their colour profile."""

import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image as Pillow

from ..colour.outputs import SPACES
from ..errors import FileError
from ..raw.metadata import SOFTWARE
from .orders import Order

Codes = NDArray[Any]
"""(height, width, 3): 8 or 16 bit encoded, or float32 linear."""


@dataclass(frozen=True)
class About:
    """What goes into a file beside its pixels."""

    profile: bytes
    exif: bytes = b""
    xmp: bytes = b""
    """Both for the formats that take them only as they are written, see TOLD_LATER."""


FINE_QUALITY = 90
"""From which on colour keeps its full resolution."""


def write_pixels(path: Path, codes: Codes, order: Order, about: About) -> None:
    """Write a picture. FileError when that fails."""
    try:
        _WRITERS[order.format](path, codes, order, about)
    except RuntimeError as error:  # what libraries in C++ make of a full disk
        raise FileError(f"{path.parent}: a {order.format} cannot be written there ({error})") from None


TOLD_LATER = ("JPEG", "PNG", "PNG 8", "TIFF", "TIFF 8", "TIFF float", "WebP")
"""Formats whose metadata is written into the finished file."""


def _by_pillow(path: Path, codes: Codes, name: str, **options: Any) -> None:
    """Into memory first: written to a full disk by the library itself, a file may end early without an error."""
    data = BytesIO()
    Pillow.fromarray(codes).save(data, name, **options)
    path.write_bytes(data.getbuffer())


def _jpeg(path: Path, codes: Codes, order: Order, about: About) -> None:
    sampling = 0 if order.quality >= FINE_QUALITY else 2
    _by_pillow(
        path, codes, "JPEG", quality=order.quality, subsampling=sampling, optimize=True, icc_profile=about.profile
    )


def _webp(path: Path, codes: Codes, order: Order, about: About) -> None:
    _by_pillow(path, codes, "WEBP", quality=order.quality, method=4, icc_profile=about.profile)


def _avif(path: Path, codes: Codes, order: Order, about: About) -> None:
    sampling = "4:4:4" if order.quality >= FINE_QUALITY else "4:2:0"
    told = {"icc_profile": about.profile, "exif": about.exif, "xmp": about.xmp}
    _by_pillow(path, codes, "AVIF", quality=order.quality, subsampling=sampling, **told)


def _jpeg_xl(path: Path, codes: Codes, order: Order, about: About) -> None:
    import pillow_jxl  # noqa: F401

    told = {"icc_profile": about.profile, "exif": about.exif, "xmp": about.xmp}
    _by_pillow(path, codes, "JXL", quality=order.quality, lossless=order.quality == 100, **told)


def _tiff(path: Path, codes: Codes, order: Order, about: About) -> None:
    tifffile.imwrite(
        path, codes, photometric="rgb", compression="adobe_deflate", predictor=codes.dtype.kind != "f",
        iccprofile=about.profile, software=SOFTWARE, metadata=None,
        resolution=(order.ppi, order.ppi), resolutionunit="INCH",
    )  # fmt: skip


def _png(path: Path, codes: Codes, order: Order, about: About) -> None:
    """A PNG that says which colour space it is in."""
    done, data = cv2.imencode(".png", codes[..., ::-1])
    if not done:
        raise FileError("the PNG could not be encoded")
    raw = data.tobytes()
    after_header = 8 + 25
    name = order.space if order.space in SPACES else "profile"
    body = b"iCCP" + name.encode("latin-1") + b"\0\0" + zlib.compress(about.profile)
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    path.write_bytes(raw[:after_header] + chunk + raw[after_header:])


def _exr(path: Path, codes: Codes, order: Order, _: About) -> None:
    import OpenEXR

    space = SPACES[order.space]
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": tuple(np.ravel([*space.primaries, space.white]).tolist()),
        "software": SOFTWARE,
    }
    OpenEXR.File(header, {"RGB": np.ascontiguousarray(codes, np.float32)}).write(str(path))


_WRITERS: dict[str, Callable[[Path, Codes, Order, About], None]] = {
    "JPEG": _jpeg,
    "PNG": _png,
    "PNG 8": _png,
    "TIFF": _tiff,
    "TIFF 8": _tiff,
    "TIFF float": _tiff,
    "WebP": _webp,
    "AVIF": _avif,
    "JPEG XL": _jpeg_xl,
    "OpenEXR": _exr,
}
