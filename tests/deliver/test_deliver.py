"""Deliveries, read back by Pillow and tifffile."""

import io

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow
from PIL import ImageCms

from matiz.colour.spaces import encode_sRGB
from matiz.deliver.orders import Order, free_name, order_for
from matiz.deliver.write import deliver, resized
from matiz.develop.graph.engine import full_picture
from matiz.errors import ArgumentError, Cancelled, FileError
from matiz.raw.frame import PictureWords
from matiz.recipe.model import Recipe


@pytest.fixture(scope="module")
def expected(scene_engine):
    return encode_sRGB(full_picture(scene_engine, Recipe()))


def test_jpeg_has_pixels_profile_and_metadata(scene_engine, expected, tmp_path):
    path = tmp_path / "a.jpg"
    deliver(scene_engine, Recipe(), Order("JPEG", 98), path, said=PictureWords(4))
    with Pillow.open(path) as picture:
        assert picture.size == (600, 400)
        assert np.abs(np.asarray(picture) / 255.0 - expected).mean() < 0.01
        profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
        assert "sRGB" in ImageCms.getProfileDescription(profile)
        exif = picture.getexif()
        details = exif.get_ifd(0x8769)
        assert (exif[271], exif[272], exif[274]) == ("Corva", "Body A", 1)
        assert details[34855] == 100 and float(details[33434]) == pytest.approx(1 / 60)
        assert details[36867] == "2026:03:14 06:12:20" and details[42036] == "Corva 21-98"
        assert b'xmp:Rating="4"' in picture.info["xmp"]


def test_tiff_has_16_bit_profile_and_metadata(scene_engine, expected, tmp_path):
    path = tmp_path / "a.tif"
    deliver(scene_engine, Recipe(), Order("TIFF"), path, said=PictureWords(2))
    with tifffile.TiffFile(path) as tiff:
        page = tiff.pages[0]
        pixels = page.asarray()
        assert pixels.dtype == np.uint16 and np.abs(pixels / 65_535.0 - expected).max() < 1e-3
        exif = page.tags[34665].value
        assert len(page.tags[34675].value) > 400 and exif["ISOSpeedRatings"] == 100
        assert b'xmp:Rating="2"' in bytes(page.tags[700].value)
        assert exif["ExposureTime"] == (1, 60) and page.tags[305].value == "Matiz"
    assert len(np.unique(pixels & 255)) > 200, "all 16 bits are used"


def test_png_has_16_bit_and_profile(scene_engine, expected, tmp_path):
    path = tmp_path / "a.png"
    deliver(scene_engine, Recipe(), Order("PNG"), path)
    assert np.abs(imagecodecs.png_decode(path.read_bytes()) / 65_535.0 - expected).max() < 1e-3
    with Pillow.open(path) as picture:
        assert picture.info["icc_profile"]


@pytest.mark.parametrize(
    "order, size",
    [(Order(short_side=100), (150, 100)), (Order(long_side=120), (120, 80)), (Order(short_side=5000), (600, 400))],
)
def test_sizes(order, size):
    assert order.size_of((600, 400)) == size
    assert order.size_of((400, 600)) == size[::-1]


def test_made_smaller_in_linear_light(scene_engine):
    full = full_picture(scene_engine, Recipe())
    small = resized(full, (150, 100))
    np.testing.assert_allclose(small, full.reshape(100, 4, 150, 4, 3).mean(axis=(1, 3)), atol=1e-5)
    with pytest.raises(ArgumentError, match="larger"):
        resized(full, (900, 600))


def test_stopping_writes_nothing(scene_engine, tmp_path):
    with pytest.raises(Cancelled):
        deliver(scene_engine, Recipe(), Order(), tmp_path / "a.jpg", progress=lambda share: share < 0.85)
    assert list(tmp_path.iterdir()) == []


def test_the_picture_itself_is_never_written(shoot):
    from matiz.develop.graph.engine import Engine
    from matiz.raw.decode import read_frame

    path = shoot / "CORVA_0011.dng"
    before = path.read_bytes()
    with pytest.raises(FileError, match="never writes"):
        deliver(Engine(read_frame(path)), Recipe(), Order(), path)
    assert path.read_bytes() == before


def test_names_never_collide(tmp_path):
    assert free_name(tmp_path, "a", Order()).name == "a.jpg"
    (tmp_path / "a.jpg").touch()
    (tmp_path / "a-2.jpg").touch()
    assert free_name(tmp_path, "a", Order()).name == "a-3.jpg"


def test_wrong_orders_are_refused(tmp_path):
    for wrong in (dict(format="GIF"), dict(quality=10), dict(short_side=2)):
        with pytest.raises(ArgumentError):
            Order(**wrong)
    assert order_for(tmp_path / "x.JPEG").format == "JPEG"
    with pytest.raises(ArgumentError, match="must end in"):
        order_for(tmp_path / "x.gif")
