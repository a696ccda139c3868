"""Colours of pictures: by their profile, their Exif, or custom; what cannot be known is refused, never guessed."""

import io
import struct

import exiv2
import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow
from PIL import ImageCms

from matiz.colour.spaces import REC2020_TO_SRGB, SRGB_TO_REC2020, decode_sRGB
from matiz.errors import FormatError
from matiz.raw import icc
from matiz.raw.decode import read_frame

CODES = np.random.default_rng(3).integers(0, 256, (24, 40, 3)).astype(np.uint8)
SRGB = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def _profile(primaries, gamma) -> bytes:
    flat = [value for xy in primaries for value in (*xy, 1.0)]
    return bytes(imagecodecs.cms_profile("rgb", whitepoint=[0.3127, 0.329, 1.0], primaries=flat, gamma=gamma))


WIDE = _profile([(0.64, 0.33), (0.21, 0.71), (0.15, 0.06)], 563 / 256)


@pytest.mark.parametrize("profile", [SRGB, WIDE], ids=["sRGB", "wide"])
@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_matrix_profiles_are_worked_out_as_littlecms_does(profile, dtype):
    pixels = CODES if dtype == np.uint8 else CODES.astype(np.uint16) * 257
    assert icc.matrix_profile(profile) is not None
    ours, theirs = icc.to_rec2020(pixels, profile), icc._by_littlecms(pixels, profile, "RGB")
    np.testing.assert_allclose(ours, theirs, atol=2e-3)


def test_a_profile_of_tables_or_none_at_all_is_left_to_littlecms():
    assert icc.matrix_profile(b"no profile") is None and icc.colour_space(b"no profile") == ""
    assert icc.matrix_profile(SRGB[:400]) is None


G, A, B, C, D, E, F = 2.2, 0.9, 0.1, 0.3, 0.2, 0.05, 0.02


@pytest.mark.parametrize(
    "function, values, formula",
    [
        (0, [G], lambda x: x**G),
        (1, [G, A, -B], lambda x: np.where(x >= B / A, np.maximum(A * x - B, 0) ** G, 0)),
        (2, [G, A, -B, C], lambda x: np.where(x >= B / A, np.maximum(A * x - B, 0) ** G + C, C)),
        (3, [2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045], decode_sRGB),
        (4, [G, A, B, C, D, E, F], lambda x: np.where(x >= D, (A * x + B) ** G + E, C * x + F)),
    ],
)
def test_parametric_curves_follow_the_standard(function, values, formula):
    """ICC.1:2010, table 65; function 3 against IEC 61966-2-1."""
    numbers = [round(v * 65536) for v in values]
    curve = icc._curve(b"para" + bytes(4) + struct.pack(f">HH{len(numbers)}i", function, 0, *numbers))
    x = np.linspace(0, 1, 400)
    np.testing.assert_allclose(curve(x), formula(x), atol=2e-4)


def test_plain_curves_follow_the_standard():
    x = np.linspace(0, 1, 400)
    gamma = icc._curve(b"curv" + bytes(4) + struct.pack(">IH", 1, round(2.2 * 256)))
    np.testing.assert_allclose(gamma(x), x ** (round(2.2 * 256) / 256))
    table = icc._curve(b"curv" + bytes(4) + struct.pack(">I3H", 3, 0, 20_000, 65_535))
    np.testing.assert_allclose(table(x), np.interp(x, [0, 0.5, 1], [0, 20_000 / 65_535, 1]))
    straight = icc._curve(b"curv" + bytes(4) + struct.pack(">I", 0))
    np.testing.assert_allclose(straight(x), x)


def _linear(path) -> np.ndarray:
    return read_frame(path).linear


def test_a_grey_picture_with_a_grey_profile(tmp_path):
    grey = CODES[..., 0]
    profile = imagecodecs.cms_profile("gray", gamma=1.8, whitepoint=[0.3127, 0.329, 1.0])
    Pillow.fromarray(grey).save(tmp_path / "a.png", icc_profile=bytes(profile))
    linear = _linear(tmp_path / "a.png")
    np.testing.assert_allclose(linear, ((grey / 255.0) ** 1.8)[..., None].repeat(3, axis=2), atol=5e-3)


def test_a_palette_tiff_shows_its_colours(tmp_path):
    palette = np.random.default_rng(4).integers(0, 65_536, (3, 256)).astype(np.uint16)
    index = CODES[..., 0]
    tifffile.imwrite(tmp_path / "a.tif", index, photometric="palette", colormap=palette)
    expected = decode_sRGB(np.moveaxis(palette[:, index], 0, -1) / 65_535.0) @ SRGB_TO_REC2020.T
    np.testing.assert_allclose(_linear(tmp_path / "a.tif"), expected, atol=1e-4)


@pytest.mark.parametrize(
    "photometric, channels, says", [("separated", 4, "CMYK"), ("cielab", 3, "CIE Lab"), ("icclab", 3, "ICC Lab")]
)
def test_what_is_no_rgb_is_refused_and_said(tmp_path, photometric, channels, says):
    pixels = np.zeros((20, 30, channels), np.uint8)
    tifffile.imwrite(tmp_path / "a.tif", pixels, photometric=photometric)
    with pytest.raises(FormatError, match=rf"{says}.*convert it to RGB"):
        read_frame(tmp_path / "a.tif")


def test_inks_without_a_profile_are_refused(tmp_path):
    Pillow.fromarray(np.zeros((20, 30, 4), np.uint8), "CMYK").save(tmp_path / "a.jpg")
    with pytest.raises(FormatError, match="inks are unknown"):
        read_frame(tmp_path / "a.jpg")


def test_a_wide_space_that_only_exif_names(tmp_path):
    path, plain = tmp_path / "a.jpg", tmp_path / "b.jpg"
    flat = np.tile(np.uint8([200, 60, 40]), (24, 40, 1))
    for target in (path, plain):
        Pillow.fromarray(flat).save(target, quality=100, subsampling=0)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    image.exifData()["Exif.Photo.ColorSpace"] = "65535"
    image.exifData()["Exif.Iop.InteroperabilityIndex"] = "R03"
    image.writeMetadata()
    with Pillow.open(path) as picture:
        codes = np.asarray(picture)
    expected = icc.to_rec2020(codes, WIDE)
    np.testing.assert_allclose(_linear(path), expected, atol=2e-3)
    assert np.abs(_linear(path) - _linear(plain)).max() > 0.05


def test_floats_with_a_profile_go_through_it(tmp_path):
    pixels = (CODES / 255.0).astype(np.float32)
    tifffile.imwrite(tmp_path / "a.tif", pixels, photometric="rgb", iccprofile=WIDE)
    np.testing.assert_allclose(_linear(tmp_path / "a.tif"), icc.to_rec2020(CODES, WIDE), atol=2e-3)
    tifffile.imwrite(tmp_path / "b.tif", pixels * 3.0, photometric="rgb")
    np.testing.assert_allclose(_linear(tmp_path / "b.tif") @ REC2020_TO_SRGB.T, pixels * 3.0, atol=1e-4)


def test_a_profile_for_other_pixels_is_said(tmp_path):
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    out = io.BytesIO()
    Pillow.fromarray(CODES).save(out, "PNG", icc_profile=lab)
    (tmp_path / "a.png").write_bytes(out.getvalue())
    with pytest.raises(FormatError, match="profile is for Lab"):
        read_frame(tmp_path / "a.png")


def test_a_profile_for_grey_does_not_drop_colours(tmp_path):
    grey = bytes(imagecodecs.cms_profile("gray", gamma=1.8, whitepoint=[0.3127, 0.329, 1.0]))
    tifffile.imwrite(tmp_path / "a.tif", CODES, photometric="rgb", iccprofile=grey)
    with pytest.raises(FormatError, match="profile is for GRAY"):
        read_frame(tmp_path / "a.tif")
