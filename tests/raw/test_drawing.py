"""Drawings that come as files."""

import numpy as np
import pytest
from PIL import Image, ImageDraw

from matiz.errors import FormatError
from matiz.raw.drawing import LONG_PX, read_drawing


def drawn(mode: str, ground, ink) -> Image.Image:
    made = Image.new(mode, (400, 200), ground)
    ImageDraw.Draw(made).rectangle((100, 50, 299, 99), fill=ink)
    return made


@pytest.mark.parametrize(
    "mode, ground, ink",
    [("RGBA", (255, 255, 255, 0), (255, 255, 255, 255)), ("RGB", (255, 255, 255), (10, 0, 30)), ("L", 255, 0),
     ("LA", (0, 0), (200, 255))],
)  # fmt: skip
def test_what_is_opaque_or_dark_is_drawn_and_the_rest_is_cut_away(tmp_path, mode, ground, ink):
    drawn(mode, ground, ink).save(tmp_path / "a.png")
    shares = read_drawing(tmp_path / "a.png")
    assert shares.shape == (50, 200) and shares.min() > 0.85 and shares.dtype == np.float32


def test_a_large_one_is_made_smaller_and_what_is_half_opaque_stays_so(tmp_path):
    made = drawn("RGBA", (0, 0, 0, 0), (0, 0, 0, 128)).resize((4000, 2000))
    made.save(tmp_path / "a.png")
    shares = read_drawing(tmp_path / "a.png")
    assert max(shares.shape) <= LONG_PX and np.median(shares) == pytest.approx(0.5, abs=0.01)


def test_what_is_none_or_empty_is_told(tmp_path):
    (tmp_path / "a.png").write_bytes(b"no picture")
    with pytest.raises(FormatError, match="save it as PNG"):
        read_drawing(tmp_path / "a.png")
    with pytest.raises(FormatError, match="cannot be read"):
        read_drawing(tmp_path / "missing.png")
    Image.new("RGB", (40, 40), (255, 255, 255)).save(tmp_path / "b.png")
    with pytest.raises(FormatError, match="it is empty"):
        read_drawing(tmp_path / "b.png")
