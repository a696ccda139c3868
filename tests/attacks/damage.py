"""Damaged files, each from a seed: what a broken card, a cut-off copy or a hand with bad intent makes of a good one."""

import json
import struct
import zlib
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image as Pillow
from PIL import ImageCms, TiffImagePlugin

from matiz.develop.graph.as_file import write_frame
from matiz.recipe.document import Document
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import chart

FILES = ("dng", "jpg", "tif", "png")
TEXTS = ("sidecar", "recipe")
HOSTILE = (
    None, True, False, 0, -1, 1e308, -1e308, float("nan"), float("inf"), 2**70, "", "\ud800", "x" * 100_000, [], {},
    [[[[[]]]]], {"": {}}, [None] * 50, "raw", "tone.exposure_EV", [[0, 0], [1, 1]], 10**400, 1e-320,
)  # fmt: skip


def good_files(folder: Path) -> dict[str, bytes]:
    """One whole file of each kind, small, with all that a file can have."""
    rng = np.random.default_rng(1)
    codes = rng.integers(0, 256, (60, 90, 3)).astype(np.uint8)
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    exif = Pillow.Exif()
    exif[271], exif[272], exif[274], exif[315] = "Maker", "Camera", 6, "A name"
    exif.get_ifd(0x8769).update({33434: TiffImagePlugin.IFDRational(1, 125), 34855: 400, 36867: "2025:06:01 08:00:00"})
    out = {}
    for kind, name in (("jpg", "JPEG"), ("png", "PNG")):
        file = BytesIO()
        Pillow.fromarray(codes).save(file, name, exif=exif, icc_profile=profile)
        out[kind] = file.getvalue()
    file = BytesIO()
    wide = codes.astype(np.uint16) * 257
    tifffile.imwrite(file, wide, photometric="rgb", tile=(32, 32), iccprofile=profile)
    out["tif"] = file.getvalue()
    write_frame(expose(chart((90, 60)), Settings()), folder / "whole.dng")
    out["dng"] = (folder / "whole.dng").read_bytes()
    return out


def good_texts() -> dict[str, str]:
    """A sidecar with versions and steps, and a recipe with a value for most of what there is."""
    document = Document()
    steps: tuple[tuple[tuple[str, Any], ...], ...] = (
        (("tone.exposure_EV", 0.7), ("tone.contrast.fine_dB", 2.0), ("tone.haze_percent", 30.0)),
        (("light.cct_K", 5200.0), ("light.duv", 0.003)),
        (("tone.curve.lightness", [[0.0, 0.0], [0.4, 0.5], [1.0, 1.0]]), ("tone.zones_EV", [0.1] * 11)),
    )
    for step in steps:
        document, _ = document.change_all(step, label="a step")
    document = document.with_version(document.version.undo(), "second")
    return {"sidecar": json.dumps(document.to_json()), "recipe": json.dumps(document.recipe.to_json())}


def damaged(data: bytes, seed: int) -> bytes:
    """The same bytes for the same seed."""
    rng = np.random.default_rng(seed)
    broken = bytearray(data)
    is_png = data.startswith(b"\x89PNG")
    # the pixels of a PNG carry checksums of their own: half of the damage goes to what comes before them
    blows = (_flip_head, _number) if is_png and rng.random() < 0.5 else BLOWS
    for _ in range(int(rng.choice([1, 1, 2, 3]))):
        if broken:
            blows[int(rng.integers(len(blows)))](broken, rng)
    return _with_sums(bytes(broken)) if is_png and rng.random() < 0.7 else bytes(broken)


def _with_sums(png: bytes) -> bytes:
    """The checksums made good again, so that the damage gets past them."""
    out, at = bytearray(png[:8]), 8
    while at + 12 <= len(png):
        length = int.from_bytes(png[at : at + 4], "big")
        body = png[at + 4 : at + 8 + length]
        out += png[at : at + 4] + body + zlib.crc32(body).to_bytes(4, "big")
        at += 12 + length
    return bytes(out + png[at:])


def _flip(broken: bytearray, rng: np.random.Generator) -> None:
    for at in rng.integers(0, len(broken), int(rng.integers(1, 40))):
        broken[at] = int(rng.integers(256))


def _flip_head(broken: bytearray, rng: np.random.Generator) -> None:
    for at in rng.integers(0, min(len(broken), 1024), int(rng.integers(1, 12))):
        broken[at] = int(rng.integers(256))


def _cut(broken: bytearray, rng: np.random.Generator) -> None:
    del broken[int(rng.integers(len(broken))) :]


def _blank(broken: bytearray, rng: np.random.Generator) -> None:
    at, length = int(rng.integers(len(broken))), int(rng.integers(1, 2000))
    broken[at : at + length] = bytes([int(rng.choice([0, 255]))]) * len(broken[at : at + length])


def _twice(broken: bytearray, rng: np.random.Generator) -> None:
    at, length = int(rng.integers(len(broken))), int(rng.integers(1, 500))
    broken[at:at] = broken[at : at + length]


def _number(broken: bytearray, rng: np.random.Generator) -> None:
    """A size, a count or an offset of the head becomes absurd."""
    at = int(rng.integers(max(min(len(broken), 1500) - 4, 1)))
    value = int(rng.choice([0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000, 65_535, 100_000]))
    broken[at : at + 4] = struct.pack(str(rng.choice(["<I", ">I"])), value)


BLOWS: tuple[Callable[[bytearray, np.random.Generator], None], ...] = (_flip, _flip_head, _cut, _blank, _twice, _number)


def damaged_text(text: str, seed: int) -> bytes:
    """A text of JSON: half of them with other values in it, half with its bytes damaged."""
    rng = np.random.default_rng(seed)
    if rng.random() < 0.3:
        return damaged(text.encode(), seed)
    if rng.random() < 0.03:
        return ("[" * 100_000).encode()
    data = json.loads(text)
    for _ in range(int(rng.choice([1, 1, 2, 3]))):
        data = _twisted(data, rng)
    return json.dumps(data).encode()


def _twisted(data: Any, rng: np.random.Generator) -> Any:
    """`data` with one value, anywhere in it, put, taken away, or given another name."""
    if not isinstance(data, dict | list) or not data or rng.random() < 0.15:
        is_number = isinstance(data, int | float) and not isinstance(data, bool)
        if is_number and rng.random() < 0.5:
            return float(rng.normal()) if abs(data) > 1e9 else data * (1.0 + 0.2 * float(rng.normal()))
        return HOSTILE[int(rng.integers(len(HOSTILE)))]
    if isinstance(data, list):
        at = int(rng.integers(len(data)))
        return data[:at] + [_twisted(data[at], rng)] + data[at + 1 :]
    key = str(rng.choice(list(data)))
    fate = rng.random()
    if fate < 0.1:
        return {name: value for name, value in data.items() if name != key}
    if fate < 0.2:
        other = str(rng.choice(["new", "", "\ud800"]))
        return {(other if name == key else name): value for name, value in data.items()}
    return {**data, key: _twisted(data[key], rng)}
