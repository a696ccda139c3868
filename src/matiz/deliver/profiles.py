"""Colour profiles of deliveries: written here for the spaces that are known, and pixels brought into any other's.

Reference: ICC.1:2022 (version 4.4): 7.2 header, 8.4.3 three-component matrix-based profiles, 10.15
multiLocalizedUnicode, 10.18 parametricCurve, 10.22 s15Fixed16Array. littleCMS does the pixels of profiles that come as
files.
"""

import struct
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from ..colour.adaptation import adaptation_matrix
from ..colour.outputs import SPACES, Space
from ..colour.spaces import D50_XY, xy_to_XYZ
from ..colour.types import Image
from ..errors import FileError, FormatError
from ..raw.decode import exchange_file
from ..system.children import run_module
from ..system.own_files import read_small_bytes
from .orders import INTENTS

BLACK_POINT, EXACT = 0x2000, 0x0100
"""Flags of littleCMS: black point compensation, and no table in place of what is exact."""
STRIP_ROWS = 512
MOST_PROFILE = 32_000_000


@cache
def profile_of(name: str) -> bytes:
    """The profile of one of SPACES."""
    if name == "sRGB":
        return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    return _written(SPACES[name])


def read_profile(path: Path) -> bytes:
    """An RGB output or display profile. FileError when it cannot be read, FormatError when it is none."""
    data = read_small_bytes(path, MOST_PROFILE)
    if data is None:
        raise FileError(f"{path}: there is no such file; choose another profile")
    if len(data) < 132 or data[36:40] != b"acsp" or data[16:20] != b"RGB ":
        raise FormatError(f"{path.name}: not a colour profile for RGB; choose another")
    return data


def into_profile(rec2020: Image, profile: Path, intent: str, *, black_point: bool) -> NDArray[np.uint16]:
    """Codes (height, width, 3) of linear Rec.2020, by littleCMS, in a process of their own: what comes from a file is
    not read in this one. FormatError when the profile cannot be used."""
    return _through(rec2020, profile, [INTENTS[intent], EXACT | (BLACK_POINT if black_point else 0)])


def through_paper(rec2020: Image, profile: Path, intent: str, *, black_point: bool, with_white: bool) -> Image:
    """How linear Rec.2020 (height, width, 3) looks once a paper has it, likewise. with_white: the paper's own white is
    left in it; without, the eye has taken it for white."""
    back = INTENTS["absolute" if with_white else "relative"]
    codes = _through(rec2020, profile, [INTENTS[intent], EXACT | (BLACK_POINT if black_point else 0), back])
    way = SPACES["ROMM RGB"]
    return np.asarray(way.decoded(codes / 65_535.0) @ np.linalg.inv(way.from_rec2020()).T, np.float32)


def _through(rec2020: Image, profile: Path, numbers: list[int]) -> NDArray[np.uint16]:
    # a linear space in 16 bit would be coarse in darks: by way of ROMM RGB, which is wide and encoded
    way = SPACES["ROMM RGB"]
    matrix = way.from_rec2020().T.astype(np.float32)
    with exchange_file() as exchange:
        codes = np.memmap(exchange, np.uint16, "w+", shape=rec2020.shape)
        for first in range(0, len(rec2020), STRIP_ROWS):
            linear = np.clip(rec2020[first : first + STRIP_ROWS] @ matrix, 0.0, 1.0)
            codes[first : first + STRIP_ROWS] = np.rint(way.encoded(linear) * 65_535.0)
        asked = map(str, (*rec2020.shape[:2], *numbers))
        done = run_module("matiz.deliver.through_profile", str(exchange), str(profile.absolute()), *asked)
        if done.returncode:
            said = done.stderr.decode("utf-8", "replace").strip().splitlines()[-1:] or ["its reader died"]
            raise FormatError(f"{profile.name}: cannot be used as a colour profile ({said[0]:.200}); choose another")
        return np.array(codes)


def _written(space: Space) -> bytes:
    matrix, white = space.to_XYZ_D50(), xy_to_XYZ(space.white)
    turned = adaptation_matrix(white, xy_to_XYZ(D50_XY))
    p = space.curve
    numbers = (p.g, p.a, p.b, p.c, p.d) if p.d else (p.g,)
    curve = b"para" + bytes(4) + struct.pack(">HH", 3 if p.d else 0, 0) + _fixed(numbers)
    tags = {
        b"desc": _text(f"Matiz {space.name}"),
        b"cprt": _text("No rights reserved"),
        b"wtpt": b"XYZ " + bytes(4) + _fixed(xy_to_XYZ(D50_XY)),
        b"chad": b"sf32" + bytes(4) + _fixed(turned.ravel()),
        b"rXYZ": b"XYZ " + bytes(4) + _fixed(matrix[:, 0]),
        b"gXYZ": b"XYZ " + bytes(4) + _fixed(matrix[:, 1]),
        b"bXYZ": b"XYZ " + bytes(4) + _fixed(matrix[:, 2]),
        b"rTRC": curve,
        b"gTRC": curve,
        b"bTRC": curve,
    }
    offset = 128 + 4 + 12 * len(tags)
    table, body, lies = struct.pack(">I", len(tags)), b"", {}
    for name, data in tags.items():
        if data not in lies:
            lies[data] = offset + len(body)
            body += data + bytes(-len(data) % 4)
        table += struct.pack(">4sII", name, lies[data], len(data))
    head = struct.pack(
        ">I4sI4s4s4s6H4s4sIIIQI12s", 128 + len(table) + len(body), bytes(4), 0x04400000, b"mntr", b"RGB ", b"XYZ ",
        2026, 1, 1, 0, 0, 0, b"acsp", bytes(4), 0, 0, 0, 0, 0, _fixed(xy_to_XYZ(D50_XY)),
    )  # fmt: skip
    return head + bytes(128 - len(head)) + table + body


def _fixed(values: Any) -> bytes:
    return b"".join(struct.pack(">i", round(float(value) * 65_536.0)) for value in values)


def _text(text: str) -> bytes:
    data = text.encode("utf-16-be")
    return b"mluc" + bytes(4) + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(data), 28) + data
