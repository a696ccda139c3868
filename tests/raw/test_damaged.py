"""Damaged files of every kind: a picture or a clear error, never a crash, a hang or an odd exception."""

import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow

from matiz.errors import FormatError
from matiz.raw.decode import Decoder
from matiz.raw.dng import write_dng
from matiz.simcam.camera import Settings
from matiz.simcam.shoot import simulate

KINDS = ("dng", "jpg", "png", "tif")


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    folder = tmp_path_factory.mktemp("whole")
    pixels = np.random.default_rng(1).integers(0, 255, (120, 180, 3)).astype(np.uint8)
    write_dng(simulate("chart24", (180, 120), Settings()), folder / "a.dng", pixels)
    Pillow.fromarray(pixels).save(folder / "a.jpg")
    Pillow.fromarray(pixels).save(folder / "a.png")
    tifffile.imwrite(folder / "a.tif", pixels, compression="adobe_deflate", photometric="rgb")
    return {kind: (folder / f"a.{kind}").read_bytes() for kind in KINDS}


def _cut(data: bytearray, random) -> bytearray:
    return data[: random.integers(1, len(data))]


def _flipped(data: bytearray, random) -> bytearray:
    for _ in range(random.integers(1, 40)):
        data[random.integers(0, len(data))] ^= 1 << int(random.integers(0, 8))
    return data


def _edited(data: bytearray, random) -> bytearray:
    """Sizes and offsets in the head of the file replaced by any number."""
    for _ in range(random.integers(1, 6)):
        at = int(random.integers(0, min(len(data), 1500) - 4))
        data[at : at + 4] = int(random.integers(0, 2**32)).to_bytes(4, "little")
    return data


@pytest.mark.parametrize("damage", [_cut, _flipped, _edited])
@pytest.mark.parametrize("kind", KINDS)
def test_a_damaged_file_is_a_picture_or_a_clear_error(whole, tmp_path, kind, damage):
    random = np.random.default_rng(KINDS.index(kind))
    decoder = Decoder(time_limit_s=10.0)
    path = tmp_path / f"x.{kind}"
    errors = 0
    try:
        for _ in range(40):
            path.write_bytes(damage(bytearray(whole[kind]), random))
            try:
                assert min(decoder.frame(path).size) >= 16
            except FormatError as error:
                errors += 1
                assert path.name in str(error)
                assert "crashed" not in str(error) and "took over" not in str(error)
    finally:
        decoder.stop()
    assert errors > 0 or damage is _flipped, "a flipped bit among pixels is only noise"
