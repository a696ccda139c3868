"""Write frames as DNG: a preview first, the picture in a sub-IFD, the tags a camera would write.

Reference: DNG specification 1.7; TIFF/EP for the exposure tags in the first IFD.
"""

import json
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray

from ..colour.types import Array
from .frame import Frame, Mosaic
from .light_sources import LIGHT_SOURCE_K

SOFTWARE = "Matiz"
LINEAR_RAW = 34892
"""Photometric interpretation of values that need no demosaicing."""
STRIP_ROWS = 256
PRIVATE, PRIVATE_NAME = 50740, b"Matiz merged\0"
"""The tag for what only its writer reads, and how that begins: what a frame was merged of, as JSON."""


def write_dng(frame: Frame, path: Path, preview: NDArray[np.uint8], *, compress: bool = False) -> None:
    """Write `frame` with an sRGB `preview` (height, width, 3): a mosaic as it is, linear values as float32.

    compress: without loss, as lossless JPEG (a mosaic) or deflate (linear values). The file is written
    as given; writing to a temporary name and renaming is the caller's business.
    """
    with tifffile.TiffWriter(path) as tiff:
        tiff.write(
            preview,
            photometric="rgb",
            compression="jpeg",
            compressionargs={"level": 90},
            subfiletype=1,
            subifds=1,
            rowsperstrip=preview.shape[0],
            software=SOFTWARE,
            metadata=None,
            extratags=_first_ifd_tags(frame),
        )
        if frame.mosaic is not None:
            _write_mosaic(tiff, frame.mosaic, compress=compress)
        else:
            assert frame.linear is not None
            # half floats hold light finer than any noise, in half the room
            kind = np.float32 if frame.merged is None else np.float16
            tiff.write(
                np.ascontiguousarray(frame.linear, kind),
                photometric=LINEAR_RAW,
                planarconfig=1,
                subfiletype=0,
                software=False,
                metadata=None,
                rowsperstrip=STRIP_ROWS,
                compression=8 if compress else None,
                predictor=3 if compress else None,
                extratags=[(50717, "I", 3, (1, 1, 1))],
            )


def _write_mosaic(tiff: tifffile.TiffWriter, mosaic: Mosaic, *, compress: bool) -> None:
    height, width = mosaic.values.shape
    common: dict[str, Any] = {
        "photometric": 32803, "subfiletype": 0, "rowsperstrip": height, "software": False, "metadata": None,
        "extratags": _mosaic_tags(mosaic),
    }  # fmt: skip
    if not compress:
        tiff.write(mosaic.values, **common)
        return
    bits = max(2, int(mosaic.values.max()).bit_length())
    # two rows side by side, so that the predictor compares photosites of one colour
    rows = mosaic.values.reshape(height // 2, 2 * width) if height % 2 == 0 else mosaic.values
    encoded = imagecodecs.ljpeg_encode(np.ascontiguousarray(rows), bitspersample=bits)
    tiff.write(iter([encoded]), shape=(height, width), dtype=np.uint16, compression=7, **common)


def _first_ifd_tags(frame: Frame) -> list[tuple[Any, ...]]:
    colour, shot = frame.colour, frame.exposure
    make, model = frame.maker_and_model
    tags: list[tuple[Any, ...]] = [
        (50706, "B", 4, (1, 4, 0, 0)),
        (50707, "B", 4, (1, 4, 0, 0) if frame.linear is not None else (1, 1, 0, 0)),
        (271, "s", 0, make or model),
        (272, "s", 0, model),
        (50708, "s", 0, frame.camera),
        (274, "H", 1, frame.orientation),
        (50728, "2I", 3, _rationals(colour.as_shot_neutral)),
        (50730, "2i", 1, _rationals([colour.baseline_EV], 100)),
    ]
    for n, calibration in enumerate(colour.calibrations[:2]):
        code = min(LIGHT_SOURCE_K, key=lambda c: abs(1 / LIGHT_SOURCE_K[c] - 1 / calibration.cct_K))
        tags.append((50778 + n, "H", 1, code))
        tags.append((50721 + n, "2i", 9, _rationals(calibration.color_matrix)))
        if calibration.forward_matrix is not None:
            tags.append((50964 + n, "2i", 9, _rationals(calibration.forward_matrix)))
    if frame.merged is not None:
        tags.append((PRIVATE, "B", 0, PRIVATE_NAME + json.dumps(asdict(frame.merged)).encode()))
    if frame.noise_profile:
        flat = [v for pair in frame.noise_profile for v in pair]
        tags.append((51041, "d", len(flat), tuple(flat)))
    if shot.iso is not None:
        tags.append((34855, "H", 1, min(int(shot.iso), 65_535)))
    lengths = ((33434, shot.time_s), (33437, shot.f_number), (37382, shot.focus_m), (37386, shot.focal_mm))
    for tag, value in lengths:
        if value is not None:
            fraction = Fraction(value).limit_denominator(100_000)
            tags.append((tag, "2I", 1, (fraction.numerator, fraction.denominator)))
    if shot.time_utc:
        stamp = shot.time_utc[:19].replace("-", ":").replace("T", " ")
        tags += [(306, "s", 0, stamp), (36867, "s", 0, stamp), (36881, "s", 0, "+00:00")]
    if shot.lens:
        tags.append((42036, "s", 0, shot.lens))
    return tags


def _mosaic_tags(mosaic: Mosaic) -> list[tuple[Any, ...]]:
    rows, columns = mosaic.pattern.shape
    black = [int(v) for v in mosaic.black.ravel()]
    return [
        (33421, "H", 2, (rows, columns)),
        (33422, "B", rows * columns, bytes(mosaic.pattern.ravel().tolist())),
        (50710, "B", 3, (0, 1, 2)),
        (50711, "H", 1, 1),
        (50713, "H", 2, (rows, columns)),
        (50714, "H", rows * columns, tuple(black)),
        (50717, "I", 1, int(mosaic.white)),
    ]


def _rationals(values: Array | list[float], denominator: int = 1_000_000) -> tuple[int, ...]:
    out: list[int] = []
    for value in np.ravel(values):
        out += [round(float(value) * denominator), denominator]
    return tuple(out)
