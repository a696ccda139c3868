"""What a contact sheet needs of a file comes without decoding its raw data; facts and ratings are read."""

import io
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow

from matiz.errors import FormatError
from matiz.image.orientation import upright
from matiz.raw.decode import read_frame, shared_decoder
from matiz.raw.dng import write_dng
from matiz.raw.listing import _small_jpeg
from matiz.work.session import Session
from matiz_simcam.camera import Settings
from matiz_simcam.shoot import simulate

XMP = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    '<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Rating="{}"/></rdf:RDF></x:xmpmeta>'
)
PREVIEW = np.tile(np.linspace(0, 255, 90).astype(np.uint8)[None, :, None], (60, 1, 3))


def listed(path: Path):
    pixels, facts = shared_decoder().listing(path)
    return pixels[..., 2::-1], facts


@pytest.fixture(scope="module")
def dng(tmp_path_factory) -> Path:
    path = tmp_path_factory.mktemp("listing") / "a.dng"
    frame = simulate("lava-lizard", (240, 160), Settings(iso=400, focus_m=1.2))
    shot = replace(frame.exposure, lens="Corva 21-98", focal_mm=62.0)
    write_dng(replace(frame, orientation=6, exposure=shot), path, PREVIEW)
    return path


def test_a_raw_file_is_listed_with_its_facts(dng):
    preview, facts = listed(dng)
    turned = upright(PREVIEW, 6)
    assert preview.shape == turned.shape and np.abs(preview.astype(int) - turned).mean() < 3
    assert facts.size == (240, 160) and facts.orientation == 6 and facts.rating == 0
    assert facts.exposure.iso == 400 and facts.exposure.lens == "Corva 21-98" and facts.exposure.focal_mm == 62.0
    assert facts.camera == read_frame(dng).camera


def test_raw_data_are_not_read(dng, tmp_path):
    """A file whose raw data end too soon cannot be developed, but it is listed."""
    whole = dng.read_bytes()
    cut = tmp_path / "cut.dng"
    cut.write_bytes(whole[: len(whole) - 30_000])
    preview, facts = listed(cut)
    assert preview.shape == (90, 60, 3) and facts.exposure.iso == 400
    with pytest.raises(FormatError):
        read_frame(cut)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("planes", [1, 3])
def test_tiff_is_read_and_listed(tmp_path, kind, planes):
    """8 and 16 bit are sRGB-encoded, 32 bit float is linear; grey becomes three channels."""
    ramp = np.linspace(0.0, 1.0, 96)[None, :, None].repeat(64, 0).repeat(planes, 2)
    scale = {np.uint8: 255, np.uint16: 65_535, np.float32: 1.0}[kind]
    pixels = (ramp * scale).astype(kind)
    path = tmp_path / "a.tif"
    tifffile.imwrite(
        path, pixels[..., 0] if planes == 1 else pixels, photometric="minisblack" if planes == 1 else "rgb"
    )
    frame = read_frame(path)
    assert frame.size == (96, 64) and frame.linear.shape == (64, 96, 3)
    middle = float(frame.linear[10, 48].mean())
    expected = ramp[10, 48, 0] if kind is np.float32 else ((ramp[10, 48, 0] + 0.055) / 1.055) ** 2.4
    assert middle == pytest.approx(expected, rel=0.03)
    preview, facts = listed(path)
    assert preview.shape == (64, 96, 3) and facts.size == (96, 64)
    assert preview[10, 90].mean() > preview[10, 48].mean() > preview[10, 5].mean()


def test_tiff_of_other_layouts(tmp_path):
    """Planes one after the other, tiles, white as zero, and metadata."""
    y, x = np.mgrid[0:64, 0:80]
    pixels = np.dstack([3 * x, 3 * y, x + y]).astype(np.uint8)
    planar, tiled, inverse = (tmp_path / f"{n}.tif" for n in ("planar", "tiled", "inverse"))
    tifffile.imwrite(planar, np.moveaxis(pixels, -1, 0), photometric="rgb", planarconfig="separate")
    camera = [(271, "s", 0, "Corva", True), (272, "s", 0, "Body A", True), (274, "H", 1, 8, True)]
    tifffile.imwrite(tiled, pixels, photometric="rgb", tile=(32, 32), compression="zlib", extratags=camera)
    tifffile.imwrite(inverse, 255 - pixels[..., 0], photometric="miniswhite")
    assert np.allclose(read_frame(planar).linear, read_frame(tiled).linear, atol=1e-6)
    assert read_frame(tiled).camera == "Corva Body A" and read_frame(tiled).size == (64, 80)
    assert np.abs(listed(planar)[0].astype(int) - pixels).mean() < 12
    facts = listed(tiled)[1]
    assert facts.orientation == 8 and facts.camera == "Corva Body A"
    assert np.abs(listed(inverse)[0].astype(int) - pixels[..., :1]).mean() < 6


@pytest.mark.parametrize("mode", ["L", "RGB", "RGBA", "P", "I;16"])
def test_png_of_every_kind_is_listed(tmp_path, mode):
    ramp = np.tile(np.arange(0, 240, 2, dtype=np.uint8), (80, 1))
    path = tmp_path / "a.png"
    if mode == "I;16":
        Pillow.fromarray(ramp.astype(np.uint16) * 257).save(path)
    else:
        Pillow.fromarray(ramp).convert(mode).save(path)
    preview, facts = listed(path)
    assert preview.shape == (80, 120, 3) and facts.size == (120, 80)
    assert np.abs(preview[..., 0].astype(int) - ramp).mean() < 4
    assert read_frame(path).size == (120, 80)


@pytest.mark.parametrize("orientation", range(1, 9))
def test_the_thumbnail_of_a_jpeg_is_upright(tmp_path, orientation):
    """Against Pillow's own reading of the tag."""
    from PIL import ImageOps

    pixels = np.zeros((120, 200, 3), np.uint8)
    pixels[:60, :100] = 250
    picture = Pillow.fromarray(pixels)
    exif = picture.getexif()
    exif[274] = orientation
    path = tmp_path / "a.jpg"
    picture.save(path, exif=exif)
    expected = np.asarray(ImageOps.exif_transpose(Pillow.open(path)))
    shown = shared_decoder().listing(path, 100)[0][..., 2::-1].astype(int)
    step = expected.shape[0] / shown.shape[0]
    rows = (np.arange(shown.shape[0]) * step + step / 2).astype(int)
    columns = (np.arange(shown.shape[1]) * step + step / 2).astype(int)
    assert np.abs(shown - expected[np.ix_(rows, columns)]).mean() < 6


def test_ratings_come_from_xmp_inside_and_beside(dng, tmp_path):
    inside, beside, plain = tmp_path / "in.jpg", tmp_path / "beside.dng", tmp_path / "plain.tif"
    Pillow.fromarray(PREVIEW).save(inside, xmp=XMP.format(4).encode())
    shutil.copy(dng, beside)
    beside.with_suffix(".xmp").write_bytes(b"<x:xmpmeta><xmp:Rating>2</xmp:Rating></x:xmpmeta>")
    tifffile.imwrite(plain, PREVIEW, photometric="rgb", extratags=[(700, "B", 0, XMP.format(3).encode(), True)])
    assert [listed(p)[1].rating for p in (inside, beside, plain, dng)] == [4, 2, 3, 0]
    beside.with_suffix(".xmp").write_bytes(b'<rdf:Description xmp:Rating="-1"/>')
    assert listed(beside)[1].rating == 0, "rejected elsewhere is not a rank"


def test_a_rating_is_the_rank_until_the_user_gives_one(qapp, dng, tmp_path):
    copy = tmp_path / "a.dng"
    shutil.copy(dng, copy)
    copy.with_suffix(".xmp").write_bytes(b'<rdf:Description xmp:Rating="5"/>')
    session = Session()
    session.desk.catalogue.pictures = [copy]
    facts = shared_decoder().listing(copy)[1]
    session.take_facts(copy, facts)
    assert session.document_of(copy).rank == 5
    session.sort_as(copy, rank=1)
    session.take_facts(copy, facts)
    assert session.document_of(copy).rank == 1
    session.end()


@pytest.mark.parametrize("data", [b"", b"\xff\xd8\xff\xe0junk", b"II*\x00\xff\xff\xff\x7f", b"\x89PNG\r\n\x1a\nxx"])
def test_what_cannot_be_listed_says_so(tmp_path, data):
    for suffix in (".dng", ".jpg", ".png", ".tif"):
        path = tmp_path / f"a{suffix}"
        path.write_bytes(data)
        with pytest.raises(FormatError, match=path.name):
            shared_decoder().listing(path)


def test_previews_that_claim_too_much_are_passed_over(dng, tmp_path):
    """A preview inside a raw file that says it has 32,000 x 32,000 px: said, and nothing is unpacked here."""
    whole = bytearray(dng.read_bytes())
    start = whole.index(b"\xff\xc0") + 5
    whole[start : start + 4] = (32_000).to_bytes(2, "big") * 2
    path = tmp_path / "a.dng"
    path.write_bytes(whole)
    with pytest.raises(FormatError, match=r"a\.dng"):
        shared_decoder().listing(path)


def test_previews_are_small_whatever_the_picture_is(tmp_path):
    for size in ((4000, 300), (17, 900), (3, 2000)):
        path = tmp_path / "a.jpg"
        Pillow.fromarray(np.zeros((size[1], size[0], 3), np.uint8)).save(path)
        assert max(shared_decoder().listing(path, 100)[0].shape) == 100


@pytest.mark.parametrize(
    "size, reduced", [((1200, 800), (600, 400)), ((800, 1200), (400, 600)), ((479, 300), (479, 300))]
)
def test_a_jpeg_is_reduced_while_it_is_decoded(size, reduced):
    """Not below what is asked for, and not decoded in full where a half will do."""
    file = io.BytesIO()
    Pillow.fromarray(np.zeros((size[1], size[0], 3), np.uint8)).save(file, "JPEG")
    assert _small_jpeg(file, 480, 10**8).shape == (reduced[1], reduced[0], 3)
