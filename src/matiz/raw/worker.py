"""The decoder process: ``python -m matiz.raw.worker``.

Reads requests from standard input, a JSON object a line, decodes hostile files under memory
limits, and answers with a JSON object a line; arrays go through a file that the caller names. A
crash here costs one picture, never the window.
"""

import io
import json
import os
import resource
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import rawpy
from numpy.typing import NDArray
from PIL import Image as Pillow

from ..errors import FormatError, MatizError
from .beside import packet_saying, words_beside
from .frame import CameraColour, Exposure, PictureWords
from .light_sources import LIGHT_SOURCE_K
from .listing import picture_size, preview_of, rating_beside, thumbnail
from .metadata import FileMetadata, read_metadata
from .picture_file import check_mosaic, check_size, kind_of, read_picture
from .tags import Tags, linear_pixels, packed_mosaic

MOST_MEMORY = 6 * 2**30
MOST_PIXELS = 200_000_000
MOST_BYTES = 2 * 2**30


def decode(path: Path, out: BinaryIO) -> dict[str, Any]:
    """Write the pixels of `path` to `out` and return everything else.

    A mosaic that needs no decoding is only pointed at: "offset" is where it lies in the file itself.
    """
    tags, metadata = _tags_of(path), read_metadata(path)
    if tags is not None and tags.is_dng and tags.plain is not None:
        height, width = tags.plain["mosaic"]["shape"]
        check_size(width, height, MOST_PIXELS)
        check_mosaic(width, height)
        colour = tags.colour()
        if colour is not None:
            return {**_about(tags, metadata, colour), **tags.plain}
    if tags is not None and tags.is_dng and tags.is_linear:
        with path.open("rb") as file:
            linear = linear_pixels(file, MOST_PIXELS)
        about = _about(tags, metadata, tags.colour() or CameraColour())
        return {**about, "linear": _write(out, linear), "merged": tags.merged()}
    if tags is not None and tags.is_dng and tags.is_packed:
        with path.open("rb") as file:
            packed = packed_mosaic(file, MOST_PIXELS)
        if packed is not None:
            values, levels = packed
            about = _about(tags, metadata, tags.colour() or CameraColour())
            return {**about, "mosaic": _write(out, values), **levels}
    data = _bytes_of(path)
    is_tiff = tags is not None and not tags.is_dng and path.suffix.lower() in (".tif", ".tiff")
    if kind_of(data) or is_tiff:
        linear, is_rendered = read_picture(data, MOST_PIXELS, is_wide=metadata.is_wide)
        return {**_metadata_dict(metadata), "rendered": is_rendered, "linear": _write(out, linear)}
    return _raw(data, tags, metadata, out)


def listing(path: Path, out: BinaryIO, size_px: int) -> dict[str, Any]:
    """Write a preview of `path` to `out`, blue first, and return what is known without decoding."""
    tags = _tags_of(path)
    with path.open("rb") as file:
        kind = kind_of(file.read(8))
    metadata = read_metadata(path)
    small = preview_of(path, kind, tags, size_px, MOST_PIXELS)
    if kind:
        size = picture_size(path)
    elif tags is not None:
        size = tags.size
    else:
        with rawpy.imread(str(path)) as raw:
            size = (raw.sizes.width, raw.sizes.height)
            metadata = _by_libraw(metadata, raw)
    preview = _write(out, thumbnail(small, metadata.orientation, size_px))
    about = {
        "size": list(size),
        "rating": metadata.rating or rating_beside(path),
        "merged": tags.merged() if tags else None,
    }
    return {**_metadata_dict(metadata), "preview": preview, **about}


def _check_length(path: Path) -> None:
    size = path.stat().st_size
    if size == 0:
        raise FormatError("the file is empty")
    if size > MOST_BYTES:
        raise FormatError(f"the file has {size / 2**30:.1f} GiB; the limit is {MOST_BYTES // 2**30}")


def _bytes_of(path: Path) -> bytes:
    _check_length(path)
    return path.read_bytes()


def _tags_of(path: Path) -> Tags | None:
    _check_length(path)
    with path.open("rb") as file:
        if file.read(2) not in (b"II", b"MM"):
            return None
        file.seek(0)
        try:
            return Tags(file)
        except Exception:
            return None  # LibRaw reads many a file that is not quite a TIFF


def _open(data: bytes) -> Any:
    raw = rawpy.RawPy()
    raw.open_buffer(io.BytesIO(data))
    return raw


def _raw(data: bytes, tags: Tags | None, metadata: FileMetadata, out: BinaryIO) -> dict[str, Any]:
    with _open(data) as raw:
        check_size(raw.sizes.raw_width, raw.sizes.raw_height, MOST_PIXELS)
        check_mosaic(raw.sizes.width, raw.sizes.height)
        raw.unpack()
        if raw.raw_image is None or raw.raw_image.ndim != 2 or raw.raw_pattern is None:
            raise FormatError("the file holds no mosaic data; this kind is not supported")
        pattern = np.array([0, 1, 2, 1], np.uint8)[np.array(raw.raw_pattern) & 3]
        values = np.ascontiguousarray(raw.raw_image_visible)
        black = np.array(raw.black_level_per_channel, np.float32)[np.array(raw.raw_pattern) & 3]
        colour = (tags.colour() if tags is not None else None) or _colour_of(raw)
        return {
            **_about(tags, _by_libraw(metadata, raw), colour),
            "mosaic": _write(out, values),
            "pattern": pattern.tolist(),
            "black": black.tolist(),
            "white": float(raw.white_level),
        }


def _about(tags: Tags | None, metadata: FileMetadata, colour: CameraColour) -> dict[str, Any]:
    """Everything but the pixels and their levels."""
    return {**_metadata_dict(metadata), "colour": _plain(colour), "noise_profile": tags.noise_profile() if tags else ()}


def _metadata_dict(metadata: FileMetadata) -> dict[str, Any]:
    """What a file says of its picture, as it is handed over."""
    return {
        "maker": metadata.maker,
        "camera": metadata.camera,
        "orientation": metadata.orientation,
        "exposure": vars(metadata.exposure),
        "metadata": vars(metadata.metadata),
    }


def _colour_of(raw: Any) -> CameraColour:
    """Colour of a camera that LibRaw knows: one matrix, for D65."""
    matrix = np.array(raw.rgb_xyz_matrix[:3], np.float64)
    multipliers = np.array(raw.camera_whitebalance[:3], np.float64)
    neutral = 1.0 / multipliers if (multipliers > 0).all() else np.ones(3)
    base = CameraColour(as_shot_neutral=neutral / neutral[1])
    if abs(np.linalg.det(matrix)) < 1e-6:
        return base
    calibration = type(base.calibrations[0])(LIGHT_SOURCE_K[21], matrix)
    return CameraColour((calibration,), base.as_shot_neutral)


def _by_libraw(metadata: FileMetadata, raw: Any) -> FileMetadata:
    """What LibRaw knows of a camera's own format, where its tags say nothing."""
    other, shot = raw.other, metadata.exposure
    # by the camera's clock, which is taken for UTC
    taken = other.timestamp.strftime("%Y-%m-%dT%H:%M:%SZ") if other.timestamp else None
    found = Exposure(
        shot.iso or float(other.iso_speed) or None,
        shot.time_s or float(other.shutter_speed) or None,
        shot.f_number or float(other.aperture) or None,
        shot.time_utc or taken,
        shot.focal_mm or float(other.focal_length) or None,
        shot.lens,
        shot.focus_m,
        shot.focal_35_mm,
    )
    turned = metadata.orientation if metadata.orientation != 1 else _turned(raw.sizes.flip)
    return replace(metadata, exposure=found, orientation=turned)


def _plain(colour: CameraColour) -> dict[str, Any]:
    return {
        "calibrations": [
            [c.cct_K, c.color_matrix.tolist(), None if c.forward_matrix is None else c.forward_matrix.tolist()]
            for c in colour.calibrations
        ],
        "as_shot_neutral": colour.as_shot_neutral.tolist(),
        "baseline_EV": colour.baseline_EV,
    }


def _turned(flip: int) -> int:
    """LibRaw's flip as Exif orientation."""
    return {0: 1, 3: 3, 5: 8, 6: 6}.get(flip, 1)


def _write(out: BinaryIO, array: NDArray[Any]) -> dict[str, Any]:
    out.write(np.ascontiguousarray(array).data.cast("B"))
    return {"dtype": array.dtype.str, "shape": list(array.shape)}


def _answer(request: dict[str, Any]) -> dict[str, Any]:
    path = Path(request["path"])
    try:
        with Path(request["out"]).open("wb") as out:
            match request["task"]:
                case "decode":
                    return decode(path, out)
                case "listing":
                    return listing(path, out, int(request["size_px"]))
                case "said beside":
                    return vars(words_beside(path))
                case _:
                    said = request["said"]
                    out.write(packet_saying(path, PictureWords(said["rank"], said["caption"], tuple(said["keywords"]))))
                    return {}
    except MatizError as error:
        return {"error": str(error)}
    except FileNotFoundError:
        return {"error": "the file is gone"}
    except MemoryError:
        return {"error": "the file asks for more memory than the decoder may use"}
    except rawpy.LibRawFileUnsupportedError:
        return {"error": "not a raw file or picture that Matiz can read"}
    except rawpy.LibRawNoThumbnailError:
        return {"error": "the file holds no preview"}
    except Exception as error:  # whatever a damaged file makes a library do
        return {"error": f"damaged, or of an unknown kind ({type(error).__name__}: {str(error)[:160]})"}


def main() -> None:
    # libraries that print must not talk into the answers
    answers = os.fdopen(os.dup(sys.stdout.fileno()), "w")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())
    Pillow.MAX_IMAGE_PIXELS = None  # limits of our own follow, with messages of ours
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    for line in sys.stdin:
        print(json.dumps(_answer(json.loads(line))), file=answers, flush=True)


if __name__ == "__main__":
    main()
