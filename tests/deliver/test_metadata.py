"""Metadata: what came in goes out, in every format, as other libraries read it back."""

import io

import exiv2
import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow

from matiz.deliver.orders import Order
from matiz.deliver.write import deliver
from matiz.develop.graph.engine import Engine
from matiz.raw.decode import read_frame, shared_decoder
from matiz.raw.dng import write_dng
from matiz.raw.frame import PictureWords
from matiz.raw.metadata import KeptMetadata
from matiz.recipe.model import Recipe

EXIF = {
    "Exif.Image.Make": "A B",
    "Exif.Image.Model": "Nine",
    "Exif.Image.Artist": "Somebody",
    "Exif.Image.Copyright": "(c) Somebody, all rights kept",
    "Exif.Image.ImageDescription": "Salt at dawn",
    "Exif.Photo.DateTimeOriginal": "2026:05:09 06:12:20",
    "Exif.Photo.OffsetTimeOriginal": "+02:00",
    "Exif.Photo.ExposureTime": "1/250",
    "Exif.Photo.FNumber": "56/10",
    "Exif.Photo.ISOSpeedRatings": "400",
    "Exif.Photo.FocalLength": "50/1",
    "Exif.Photo.LensModel": "Quillon 50",
    "Exif.GPSInfo.GPSLatitudeRef": "N",
    "Exif.GPSInfo.GPSLatitude": "28/1 7/1 30/1",
    "Exif.GPSInfo.GPSMapDatum": "WGS-84",
}
IPTC = {"Iptc.Application2.Keywords": "salt", "Iptc.Application2.Byline": "Somebody"}
XMP = {"Xmp.dc.rights": "all rights kept", "Xmp.xmp.Rating": "3", "Xmp.iptc.Location": "Corva"}


def _write(path, exif=EXIF, iptc=IPTC, xmp=XMP) -> None:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    for data, values in ((image.exifData(), exif), (image.iptcData(), iptc), (image.xmpData(), xmp)):
        for key, text in values.items():
            data[key] = text
    image.writeMetadata()


def _read(path) -> dict[str, str]:
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    parts = (image.exifData(), image.iptcData(), image.xmpData())
    return {datum.key(): datum.toString() for data in parts for datum in data}


@pytest.fixture(scope="module")
def pixels():
    return (np.random.default_rng(2).random((48, 64, 3)) * 255).astype(np.uint8)


PLACED = [Order(kind, keeps_place=True) for kind in ("JPEG", "TIFF", "PNG")]


@pytest.fixture(scope="module", params=["jpg", "png", "tif"])
def source(request, pixels, tmp_path_factory):
    path = tmp_path_factory.mktemp("in") / f"in.{request.param}"
    if request.param == "tif":
        tifffile.imwrite(path, pixels, photometric="rgb", metadata=None)
    else:
        Pillow.fromarray(pixels).save(path, quality=95)
    _write(path)
    return path


@pytest.mark.parametrize("order", PLACED, ids=lambda order: order.format)
def test_what_came_in_goes_out(source, order, tmp_path):
    """Rights, names, place, time with its own offset, keywords; and the pixels and the profile are untouched."""
    out = tmp_path / f"out.{order.format.lower()}"
    engine = Engine(read_frame(source))
    deliver(engine, Recipe(), order, out)
    found = _read(out)
    missing = {key: text for key, text in {**EXIF, **IPTC}.items() if found.get(key) != text}
    assert not missing, (missing, found)
    assert found["Xmp.dc.rights"].endswith("all rights kept") and found["Xmp.iptc.Location"] == "Corva"
    assert found["Xmp.xmp.Rating"] == "3" and found["Exif.Image.Orientation"] == "1"
    assert found["Exif.Image.Software"] == "Matiz" and found["Exif.Photo.PixelXDimension"] == "64"
    with Pillow.open(out) as picture:
        assert picture.info["icc_profile"] and picture.size == (64, 48)
        assert picture.getexif()[33432].startswith("(c) Somebody")
    deliver(engine, Recipe(), order, out, said=PictureWords(5))
    assert _read(out)["Xmp.xmp.Rating"] == "5"


def test_pixels_are_as_they_were_written(scene_engine, tmp_path):
    """Writing metadata into a finished file touches none of its pixels."""
    from matiz.deliver.write import developed
    from matiz.kernels.encoding import encode

    out = tmp_path / "a.tif"
    deliver(scene_engine, Recipe(), Order("TIFF"), out)
    np.testing.assert_array_equal(tifffile.imread(out), encode(developed(scene_engine, Recipe()), 16))


def test_a_raw_file_and_its_picture_were_taken_at_the_same_time(scene_engine, source, tmp_path):
    """One rule for both: with an offset the time in UTC, and the listing says the same as decoding."""
    raw = tmp_path / "a.dng"
    write_dng(scene_engine.frame, raw, np.zeros((40, 60, 3), np.uint8))
    stamp = {"Exif.Image.DateTimeOriginal": "2026:05:09 06:12:20", "Exif.Image.0x9011": "+02:00"}
    _write(raw, stamp, {}, {})
    times = {read_frame(path).exposure.time_utc for path in (raw, source)}
    times |= {shared_decoder().listing(path)[1].exposure.time_utc for path in (raw, source)}
    assert times == {"2026-05-09T04:12:20Z"}


def test_exposure_lens_and_maker_are_read_from_pictures_too(source):
    frame = read_frame(source)
    shot = frame.exposure
    assert (shot.iso, shot.time_s, shot.f_number, shot.focal_mm) == (400, 1 / 250, 5.6, 50)
    assert shot.lens == "Quillon 50" and frame.maker_and_model == ("A B", "Nine")


@pytest.mark.parametrize(
    "wrong",
    [
        {"Exif.Photo.ExposureTime": "0/0", "Exif.Photo.FNumber": "1/0", "Exif.Photo.FocalLength": "0/0"},
        {"Exif.Image.Make": "Fabrik Größe", "Exif.Photo.LensModel": "Ω 50"},
        {"Exif.Image.Orientation": "77", "Exif.Photo.DateTimeOriginal": "0000:00:00 00:00:00"},
    ],
)
@pytest.mark.parametrize("order", PLACED, ids=lambda order: order.format)
def test_odd_values_stop_no_delivery(pixels, wrong, order, tmp_path):
    path, out = tmp_path / "in.jpg", tmp_path / f"out.{order.format.lower()}"
    Pillow.fromarray(pixels).save(path)
    _write(path, {**EXIF, **wrong}, {}, {})
    frame = read_frame(path)
    assert frame.orientation == 1 and (frame.exposure.time_s or 1) > 0
    deliver(Engine(frame), Recipe(), order, out)
    found = _read(out)
    assert found["Exif.Image.Copyright"] == EXIF["Exif.Image.Copyright"]
    assert found["Exif.Image.Make"] == wrong.get("Exif.Image.Make", "A B")


def test_time_without_an_offset_gets_none(pixels, tmp_path):
    path, out = tmp_path / "in.jpg", tmp_path / "out.jpg"
    Pillow.fromarray(pixels).save(path)
    _write(path, {"Exif.Photo.DateTimeOriginal": "2026:05:09 06:12:20"}, {}, {})
    deliver(Engine(read_frame(path)), Recipe(), Order("JPEG"), out)
    found = _read(out)
    assert found["Exif.Photo.DateTimeOriginal"] == "2026:05:09 06:12:20"
    assert "Exif.Photo.OffsetTimeOriginal" not in found


def test_a_file_whose_metadata_are_damaged_is_opened_all_the_same(pixels, tmp_path):
    made = io.BytesIO()
    Pillow.fromarray(pixels).save(made, "JPEG", exif=b"Exif\0\0II*\0\xff\xff\xff\xff" + bytes(40))
    path = tmp_path / "a.jpg"
    path.write_bytes(made.getvalue())
    assert read_frame(path).size == (64, 48)


# ---- what is kept


@pytest.mark.parametrize("kind", ["JPEG", "TIFF", "PNG", "WebP"])
def test_the_place_goes_unless_it_is_kept(source, kind, tmp_path):
    out = tmp_path / "a"
    deliver(Engine(read_frame(source)), Recipe(), Order(kind), out)
    found = _read(out)
    assert not [key for key in found if "GPS" in key or "Location" in key]
    assert found["Exif.Image.Copyright"].startswith("(c)") and found["Exif.Photo.LensModel"] == "Quillon 50"


def test_rights_and_time_alone_or_nothing(source, tmp_path):
    engine, out = Engine(read_frame(source)), tmp_path / "a.jpg"
    deliver(engine, Recipe(), Order(keeps="rights"), out, said=PictureWords(3))
    found = _read(out)
    assert found["Exif.Image.Artist"] == "Somebody" and found["Exif.Photo.DateTimeOriginal"] == "2026:05:09 06:12:20"
    assert found["Iptc.Application2.Byline"] == "Somebody" and found["Xmp.dc.rights"].endswith("all rights kept")
    for gone in ("Exif.Image.Make", "Exif.Photo.LensModel", "Exif.Photo.FNumber", "Xmp.xmp.Rating",
                 "Exif.Image.ImageDescription", "Iptc.Application2.Keywords"):  # fmt: skip
        assert gone not in found
    deliver(engine, Recipe(), Order(keeps="none", author="Nobody"), out)
    assert set(_read(out)) <= {
        "Exif.Image.Orientation", "Exif.Image.Software", "Exif.Image.ExifTag", "Exif.Photo.ColorSpace",
        "Exif.Photo.PixelXDimension", "Exif.Photo.PixelYDimension",
    }  # fmt: skip
    deliver(engine, Recipe(), Order(keeps="rights", author="Ana Corva", space="Display P3"), out)
    found = _read(out)
    assert found["Exif.Image.Artist"] == found["Exif.Image.Copyright"] == "Ana Corva"
    assert "Ana Corva" in found["Xmp.dc.creator"] and found["Exif.Photo.ColorSpace"] == "65535"


@pytest.mark.parametrize("kind", ["AVIF", "JPEG XL"])
def test_formats_that_are_told_as_they_are_written(source, kind, tmp_path):
    """exiv2 reads these but does not write them."""
    import pillow_jxl  # noqa: F401

    out = tmp_path / ("a.avif" if kind == "AVIF" else "a.jxl")
    deliver(Engine(read_frame(source)), Recipe(), Order(kind), out, said=PictureWords(4))
    with Pillow.open(out) as picture:
        exif = picture.getexif()
        assert exif[33432].startswith("(c) Somebody") and exif[271] == "A B"
        assert not exif.get_ifd(0x8825)


def test_what_says_a_place_or_a_right_is_told_by_its_name_whoever_defined_it():
    bare, rights = KeptMetadata(place=False), KeptMetadata("rights", place=False)
    for key in ("Xmp.other.City", "Xmp.iptcExt.LocationCreated[1]", "Exif.GPSInfo.GPSLatitude", "Xmp.iptc.CountryCode"):
        assert not bare.holds(key) and not rights.holds(key) and KeptMetadata().holds(key)
    for key in ("Xmp.other.Credit", "Xmp.other.DateCreated", "Xmp.dc.rights"):
        assert bare.holds(key) and rights.holds(key)
    assert bare.holds("Xmp.dc.title") and not rights.holds("Xmp.dc.title")


@pytest.mark.parametrize("kind", ["JPEG", "TIFF", "PNG", "WebP"])
def test_caption_and_keywords_are_written_under_every_name_and_replace_what_came(source, kind, tmp_path):
    out = tmp_path / "a"
    said = PictureWords(2, "Am langen Tisch, \u4e5d guests\nand bread", ("supper", "L\u00f8v\u00f8y", "x" * 64))
    deliver(Engine(read_frame(source)), Recipe(), Order(kind), out, said=said)
    image = exiv2.ImageFactory.open(str(out))
    image.readMetadata()
    words = [datum.toString() for datum in image.iptcData() if datum.key() == "Iptc.Application2.Keywords"]
    assert words == list(said.keywords) or kind == "WebP", "which holds no IPTC"
    charset = {datum.toString() for datum in image.iptcData() if datum.key() == "Iptc.Envelope.CharacterSet"}
    assert charset == {"\x1b%G"} or kind == "WebP"
    found = _read(out)
    assert found["Exif.Image.ImageDescription"] == said.caption
    assert said.caption in found["Xmp.dc.description"]
    assert found["Xmp.dc.subject"].split(", ") == list(said.keywords)
    deliver(Engine(read_frame(source)), Recipe(), Order(kind, keeps="rights"), tmp_path / "b", said=said)
    assert "Xmp.dc.subject" not in _read(tmp_path / "b")


def test_a_long_caption_is_cut_for_the_reader_that_cannot_take_it_and_nothing_said_leaves_what_came(source, tmp_path):
    out = tmp_path / "a.jpg"
    engine = Engine(read_frame(source))
    deliver(engine, Recipe(), Order(), out, said=PictureWords(caption="\u00e9" * 1500))
    found = _read(out)
    assert found["Iptc.Application2.Caption"] == "\u00e9" * 1000 and "\u00e9" * 1500 in found["Xmp.dc.description"]
    before = dict(engine.frame.metadata.exif)["Exif.Image.ImageDescription"]
    deliver(engine, Recipe(), Order(), out)
    found = _read(out)
    assert found["Exif.Image.ImageDescription"] == before and "Iptc.Application2.Keywords" in found
