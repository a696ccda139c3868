"""Files become frames: DNG written and read, pictures through their profiles, bad files."""

import io
from dataclasses import replace
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import rawpy
import tifffile
from PIL import Image as Pillow
from PIL import ImageCms

from matiz.colour.spaces import D65_XY, REC2020_TO_SRGB, encode_sRGB
from matiz.develop.frame.camera_colour import as_shot_xy, balance, neutral_to_xy, xy_to_neutral
from matiz.develop.frame.sensor import Sensor, region
from matiz.develop.frame.tiles import level_size
from matiz.errors import ArgumentError, FileError, FormatError
from matiz.image.orientation import upright
from matiz.kernels.encoding import encode
from matiz.raw.decode import Decoder, read_frame, shared_decoder
from matiz.raw.dng import write_dng
from matiz.raw.frame import Calibration, CameraColour, Exposure, Frame, Mosaic
from matiz.raw.noise import noise_of
from matiz.raw.worker import _turned as turned_by
from matiz_simcam.camera import IDEAL, Settings, camera_colour, expose
from matiz_simcam.targets import grey

PREVIEW = np.full((40, 60, 3), 90, np.uint8)


def _frame(**changes) -> Frame:
    random = np.random.default_rng(0)
    values = random.integers(300, 16_383, (60, 90)).astype(np.uint16)
    values[0, 0], values[1, 1] = 0, 16_383
    mosaic = Mosaic(
        values, np.array([[0, 1], [1, 2]], np.uint8), np.array([[512, 513], [514, 515]], np.float32), 16_000.0
    )
    forward = np.array([[0.6, 0.25, 0.11], [0.3, 0.7, 0.0], [0.02, 0.03, 0.77]])
    colour = CameraColour(
        (Calibration(2856.0, camera_colour().calibrations[0].color_matrix, forward), camera_colour().calibrations[1]),
        np.array([0.5, 1.0, 0.625]),
        0.25,
    )
    shot = Exposure(200.0, 1 / 125, 5.6, "2026-03-01T05:06:07Z", 35.0, "Corva 21-98")
    frame = Frame(Path("x.dng"), colour, shot, mosaic, camera="Corva Body A", noise_profile=((1e-4, 1e-6),) * 3)
    return replace(frame, **changes)


@pytest.fixture
def dng(tmp_path) -> Path:
    write_dng(_frame(), tmp_path / "a.dng", PREVIEW)
    return tmp_path / "a.dng"


@pytest.mark.parametrize("channel", [(0.0, 1e-6), (-1e-4, 1e-6), (1e30, 1e-6), (float("nan"), 1e-6), (1e-4, 1e9)])
def test_a_noise_profile_that_no_sensor_can_have_is_not_taken(tmp_path, channel):
    """A damaged one made noise reduction divide by zero; the frame is measured instead."""
    write_dng(_frame(noise_profile=((1e-4, 1e-6), channel, (1e-4, 1e-6))), tmp_path / "a.dng", PREVIEW)
    frame = read_frame(tmp_path / "a.dng")
    assert frame.noise_profile == () and noise_of(frame).source != "file"


def test_a_written_dng_is_read_back_whole(dng):
    wrote, read = _frame(), read_frame(dng)
    assert (read.mosaic.values == wrote.mosaic.values).all()
    assert (read.mosaic.black == wrote.mosaic.black).all() and read.mosaic.white == 16_000
    assert (read.mosaic.pattern == wrote.mosaic.pattern).all()
    assert read.exposure == wrote.exposure and read.camera == wrote.camera
    assert read.noise_profile == wrote.noise_profile
    assert read.colour.baseline_EV == 0.25
    np.testing.assert_allclose(read.colour.as_shot_neutral, wrote.colour.as_shot_neutral, atol=1e-6)
    for ours, theirs in zip(read.colour.calibrations, wrote.colour.calibrations, strict=True):
        np.testing.assert_allclose(ours.color_matrix, theirs.color_matrix, atol=1e-6)
        assert ours.cct_K == pytest.approx(theirs.cct_K)
        assert (ours.forward_matrix is None) == (theirs.forward_matrix is None)


def test_other_readers_agree_on_levels_and_pixels(dng):
    """LibRaw through rawpy, and tifffile, as independent readers."""
    frame = _frame()
    with rawpy.imread(str(dng)) as raw:
        assert (raw.raw_image_visible == frame.mosaic.values).all()
        assert raw.white_level == 16_000
        black = np.array(raw.black_level_per_channel)[np.array(raw.raw_pattern)]
        assert (black == frame.mosaic.black).all()
        assert raw.extract_thumb().format == rawpy.ThumbFormat.JPEG
    with tifffile.TiffFile(dng) as tiff:
        assert (tiff.pages[0].pages[0].asarray() == frame.mosaic.values).all()
        assert tiff.pages[0].tags[50706].value == bytes([1, 4, 0, 0])


def test_libraw_agrees_on_the_camera_matrix(tmp_path):
    """rawpy's `color_matrix` is camera to sRGB with rows summing to 1; ours at D65 with no forward
    matrix, which LibRaw does not use."""
    cool = replace(camera_colour().calibrations[1], forward_matrix=None)
    neutral = xy_to_neutral(CameraColour((cool,)), D65_XY)
    frame = _frame(colour=CameraColour((cool,), neutral))
    write_dng(frame, tmp_path / "m.dng", PREVIEW)
    with rawpy.imread(str(tmp_path / "m.dng")) as raw:
        theirs = np.array(raw.color_matrix)[:, :3]
    to_sRGB = REC2020_TO_SRGB @ balance(frame.colour, D65_XY).matrix
    np.testing.assert_allclose(theirs, to_sRGB / to_sRGB.sum(axis=1, keepdims=True), atol=3e-3)


def test_the_preview_comes_without_decoding(dng):
    preview, facts = shared_decoder().listing(dng)
    assert preview.shape == (40, 60, 4) and facts.orientation == 1


@pytest.mark.parametrize("orientation", range(1, 9))
def test_upright_follows_exif(orientation):
    """Against Pillow's own reading of the tag."""
    from PIL import ImageOps

    stored = np.random.default_rng(3).integers(0, 255, (6, 9, 3)).astype(np.uint8)
    picture = Pillow.fromarray(stored)
    exif = picture.getexif()
    exif[274] = orientation
    buffer = io.BytesIO()
    picture.save(buffer, "PNG", exif=exif)
    expected = np.asarray(ImageOps.exif_transpose(Pillow.open(buffer)))
    assert (upright(stored.astype(np.float32), orientation) == expected).all()


@pytest.mark.parametrize("orientation", [1, 3, 6, 8])
@pytest.mark.parametrize("area", [(0, 0, 7, 5), (11, 9, 20, 13), (31, 40, 29, 20)])
def test_a_region_is_the_same_as_that_part_of_the_whole(orientation, area):
    frame = _frame(orientation=orientation)
    x, y, w, h = area
    w, h = min(w, frame.size[0] - x), min(h, frame.size[1] - y)
    whole = _whole(frame)
    np.testing.assert_allclose(region(frame, (x, y, w, h)), whole[y : y + h, x : x + w], rtol=1e-5, atol=1e-6)


def _whole(frame: Frame, level: int = 0) -> np.ndarray:
    return Sensor(frame).read(level, (0, 0, *level_size(frame.size, level)))


@pytest.mark.parametrize("orientation", [1, 6])
def test_levels_have_half_the_size_each_and_drafts_are_near(orientation):
    frame = _frame(orientation=orientation)
    for level in range(4):
        width, height = level_size(frame.size, level)
        whole = _whole(frame, level)
        assert whole.shape == (height, width, 3)
        draft = Sensor(frame).draft(level, (0, 0, width, height))
        assert draft.shape == whole.shape
        assert np.corrcoef(draft.ravel(), whole.ravel())[0, 1] > 0.6, "noise by noise, turned the same way"
    with pytest.raises(ArgumentError, match="region"):
        region(frame, (80, 0, 20, 10))


def test_six_by_six_mosaics_give_colour_back():
    frame = expose(grey((120, 96), "planck:3000"), Settings(mosaic="6x6", **IDEAL))
    camera = _whole(frame)
    expected = camera[40:50, 40:50].mean(axis=(0, 1))
    assert camera[4:-4, 4:-4].std(axis=(0, 1)).max() < 1e-3
    bayer = _whole(expose(grey((120, 96), "planck:3000"), Settings(**IDEAL)))
    np.testing.assert_allclose(expected, bayer[40:50, 40:50].mean(axis=(0, 1)), rtol=2e-3)


@pytest.mark.parametrize("cct_K, duv", [(2000, 0.0), (2856, 0.005), (4200, -0.01), (6504, 0.003), (12_000, 0.0)])
def test_neutral_and_light_are_inverse(cct_K, duv):
    from matiz.colour.temperature import cct_to_xy

    xy = cct_to_xy(cct_K, duv)
    np.testing.assert_allclose(neutral_to_xy(camera_colour(), xy_to_neutral(camera_colour(), xy)), xy, atol=1e-6)


def test_impossible_neutrals_are_refused():
    with pytest.raises(ArgumentError, match="three positive"):
        neutral_to_xy(camera_colour(), [0.0, 1.0, 1.0])
    with pytest.raises(ArgumentError, match="not the colour of any light"):
        neutral_to_xy(camera_colour(), [0.02, 1.0, 0.02])


def _pixels() -> np.ndarray:
    y, x = np.mgrid[0:48, 0:64] / 64
    return np.stack([x, y, 1 - x], axis=2)


@pytest.mark.parametrize("kind", ["jpeg", "png8", "png16", "tiff8", "tiff16", "grey", "palette"])
def test_pictures_come_in_linear(tmp_path, kind):
    rgb = _pixels()
    if kind == "grey":
        rgb = rgb[..., :1].repeat(3, axis=2)
    eight, sixteen = (rgb * 255).round().astype(np.uint8), (rgb * 65_535).round().astype(np.uint16)
    path = tmp_path / f"a.{'jpg' if kind == 'jpeg' else 'tif' if 'tiff' in kind else 'png'}"
    tolerance = 0.02
    match kind:
        case "jpeg":
            Pillow.fromarray(eight).save(path, quality=100, subsampling=0)
        case "png16":
            path.write_bytes(imagecodecs.png_encode(sixteen))
            tolerance = 1e-3
        case "tiff16" | "tiff8":
            tifffile.imwrite(path, sixteen if kind == "tiff16" else eight, photometric="rgb")
        case "grey":
            Pillow.fromarray(eight[..., 0]).save(path)
        case "palette":
            Pillow.fromarray(eight).convert("P", palette=Pillow.Palette.ADAPTIVE, colors=256).save(path)
            tolerance = 0.25
        case _:
            Pillow.fromarray(eight).save(path)
    frame = read_frame(path)
    shown = encode_sRGB(np.clip(frame.linear @ REC2020_TO_SRGB.T, 0, 1))
    assert np.abs(shown - rgb).max() < tolerance
    np.testing.assert_allclose(as_shot_xy(frame.colour), D65_XY, atol=1e-6)


def test_float_tiff_is_linear_already(tmp_path):
    tifffile.imwrite(tmp_path / "f.tif", np.full((32, 32, 3), 2.5, np.float32), photometric="rgb")
    np.testing.assert_allclose(read_frame(tmp_path / "f.tif").linear, 2.5, rtol=1e-3)


def test_an_embedded_profile_is_used(tmp_path):
    """A wide profile: the same numbers are stronger colours than in sRGB."""
    white = [D65_XY[0], D65_XY[1], 1.0]
    wide = imagecodecs.cms_profile(
        "rgb", whitepoint=white, primaries=[0.708, 0.292, 1, 0.170, 0.797, 1, 0.131, 0.046, 1], gamma=1.0
    )
    pixels = np.tile(np.array([200, 60, 60], np.uint8), (32, 32, 1))
    Pillow.fromarray(pixels).save(tmp_path / "w.png", icc_profile=wide)
    np.testing.assert_allclose(read_frame(tmp_path / "w.png").linear[5, 5], pixels[0, 0] / 255, atol=4e-3)
    broken = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()[:200]
    Pillow.fromarray(pixels).save(tmp_path / "b.png", icc_profile=broken)
    Pillow.fromarray(pixels).save(tmp_path / "n.png")
    np.testing.assert_allclose(read_frame(tmp_path / "b.png").linear, read_frame(tmp_path / "n.png").linear)


def test_a_tiff_that_claims_more_than_it_holds_is_refused(tmp_path):
    """Else a few bytes are a black picture of any size."""
    tifffile.imwrite(tmp_path / "a.tif", np.full((64, 64, 3), 90, np.uint8), photometric="rgb", rowsperstrip=8)
    whole = (tmp_path / "a.tif").read_bytes()
    assert read_frame(tmp_path / "a.tif").size == (64, 64)
    (tmp_path / "b.tif").write_bytes(whole[:-200])
    with pytest.raises(FormatError, match=r"b\.tif: .*missing"):
        read_frame(tmp_path / "b.tif")
    with tifffile.TiffFile(tmp_path / "a.tif", mode="r+b") as tiff:
        tiff.pages[0].tags["ImageLength"].overwrite(60_000)
    with pytest.raises(FormatError, match=r"a\.tif: .*missing"):
        read_frame(tmp_path / "a.tif")


def test_a_dng_whose_colours_cannot_be_inverted_is_refused(tmp_path, dng):
    for matrix in (np.zeros((3, 3)), np.ones((3, 3)), np.full((3, 3), np.nan)):
        with pytest.raises(ArgumentError, match="cannot be inverted"):
            Calibration(6504.0, matrix)
    whole = bytearray(dng.read_bytes())
    with tifffile.TiffFile(dng) as tiff:
        at = tiff.pages[0].tags["ColorMatrix1"].valueoffset
    whole[at + 24 : at + 48] = whole[at : at + 24]
    (tmp_path / "c.dng").write_bytes(whole)
    with pytest.raises(FormatError, match=r"c\.dng: .*cannot be inverted"):
        read_frame(tmp_path / "c.dng")


@pytest.mark.parametrize(
    "content, says",
    [
        (b"", "empty"),
        (b"hello" * 100, "not a raw file"),
        (b"II*\0" + b"\xff" * 400, "not a raw file|damaged"),
        (b"\xff\xd8\xff" + b"\0" * 50, "damaged"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 60, "damaged"),
    ],
)
def test_bad_files_say_so(tmp_path, content, says):
    path = tmp_path / "bad.dng"
    path.write_bytes(content)
    with pytest.raises(FormatError, match=says) as caught:
        read_frame(path)
    assert "bad.dng" in str(caught.value)


@pytest.mark.parametrize("share", [0.05, 0.3, 0.6, 0.95])
def test_truncated_files_say_so_and_the_program_goes_on(dng, share):
    whole = dng.read_bytes()
    (dng.parent / "cut.dng").write_bytes(whole[: int(len(whole) * share)])
    with pytest.raises(FormatError, match=r"cut\.dng"):
        read_frame(dng.parent / "cut.dng")
    assert read_frame(dng).size == (90, 60)


def test_a_missing_file_and_too_many_pixels(tmp_path):
    with pytest.raises(FileError, match="no such file"):
        read_frame(tmp_path / "nowhere.dng")
    header = io.BytesIO()
    Pillow.new("1", (40_000, 40_000)).save(header, "PNG")
    (tmp_path / "huge.png").write_bytes(header.getvalue())
    with pytest.raises(FormatError, match="limit of 200 megapixels"):
        read_frame(tmp_path / "huge.png")


def test_a_decoder_that_dies_is_replaced(dng):
    decoder = Decoder(time_limit_s=30)
    try:
        assert decoder.frame(dng).size == (90, 60)
        decoder._process.kill()
        decoder._process.wait()
        assert decoder.frame(dng).size == (90, 60)
    finally:
        decoder.stop()


def test_a_real_photograph_comes_back_through_a_dng(tmp_path):
    """scikit-image's chelsea, made into a mosaic through the camera's own matrix for D65, developed
    with the linear rendition: mean ΔE00 under 1.5 (a criterion of the project)."""
    skimage_data = pytest.importorskip("skimage.data")
    from matiz.develop.graph.engine import Engine
    from matiz.recipe.model import Recipe
    from tests.conftest import mean_delta_E

    photograph = skimage_data.chelsea()[:, :450, :3]
    linear = (read_linear(photograph)) * 0.9
    cool = replace(camera_colour().calibrations[1], forward_matrix=None)
    neutral = xy_to_neutral(CameraColour((cool,)), D65_XY)
    frame = _frame(colour=CameraColour((cool,), neutral))
    to_working = balance(frame.colour, D65_XY)
    camera = linear @ np.linalg.inv(REC2020_TO_SRGB @ to_working.matrix @ np.diag(to_working.gains / 2**0)).T
    pattern = np.array([[0, 1], [1, 2]], np.uint8)
    height, width = camera.shape[:2]
    picked = np.take_along_axis(camera, np.tile(pattern, (height // 2, width // 2))[..., None].astype(int), axis=2)[
        ..., 0
    ]
    counts = np.clip(picked * 15_488 + 512, 0, 16_000).round().astype(np.uint16)
    mosaic = Mosaic(counts, pattern, np.full((2, 2), 512, np.float32), 16_000.0)
    write_dng(replace(frame, mosaic=mosaic, colour=CameraColour((cool,), neutral)), tmp_path / "p.dng", PREVIEW)
    recipe, _ = Recipe().change("tone.rendition", "linear")
    shown = Engine(read_frame(tmp_path / "p.dng")).render(recipe, 0, result="display")
    inner = np.s_[8:-8, 8:-8]
    assert mean_delta_E(shown[inner], linear[inner]) < 1.5
    assert encode(shown, 8).dtype == np.uint8


def read_linear(pixels: np.ndarray) -> np.ndarray:
    from matiz.colour.spaces import decode_sRGB

    return decode_sRGB(pixels / 255.0)


@pytest.mark.parametrize(("flip", "orientation"), [(0, 1), (3, 3), (5, 8), (6, 6)])
def test_a_camera_s_turn_is_the_one_of_exif(flip, orientation):
    """LibRaw's 5 is a quarter turn to the left, its 6 one to the right (libraw_image_sizes_t, flip)."""
    assert turned_by(flip) == orientation
    row = np.array([[1.0, 2.0, 3.0]], np.float32)
    shown = upright(np.repeat(row[..., None], 3, axis=2), turned_by(flip))[..., 0]
    expected = {0: [[1, 2, 3]], 3: [[3, 2, 1]], 5: [[3], [2], [1]], 6: [[1], [2], [3]]}[flip]
    assert shown.tolist() == expected
