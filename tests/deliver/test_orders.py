"""Orders: sizes, names, formats and colour spaces, read back by other libraries."""

import io
import json
from pathlib import Path

import imagecodecs
import numpy as np
import OpenEXR
import pillow_jxl  # noqa: F401
import pytest
import tifffile
from PIL import Image as Pillow
from PIL import ImageCms

from matiz.colour.difference import delta_E_2000
from matiz.colour.outputs import SPACES
from matiz.colour.spaces import XYZ_to_Lab
from matiz.deliver.orders import FORMATS, OWN, Order, name_for, named, read_orders, write_orders
from matiz.deliver.profiles import into_profile, profile_of, read_profile
from matiz.deliver.write import deliver, dithered, finished
from matiz.develop.graph.engine import Engine, full_picture
from matiz.develop.graph.graph import fit_to
from matiz.errors import ArgumentError, FormatError, RecipeError
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.camera import IDEAL, Settings, expose

D50 = np.array([0.9642, 1.0, 0.8249])


@pytest.fixture(scope="module")
def chart():
    """The 24 patches, under sRGB's gamut but for the cyan."""
    return Engine(expose(targets.chart((480, 320)), Settings(**IDEAL, ev=0.0)))


def _wanted(chart, name):
    """Lab D50 of the float picture in the gamut of a space."""
    space = SPACES[name]
    linear = fit_to(full_picture(chart, Recipe(), result="rendered"), Recipe(), space.from_rec2020())
    return XYZ_to_Lab(linear.astype(np.float64) @ space.to_XYZ_D50().T, D50)


def _read(path, order):
    """Codes 0..1 or linear floats, by a library that did not write them where there is one."""
    data = path.read_bytes()
    match order.format:
        case "JPEG":
            return imagecodecs.jpeg_decode(data) / 255.0
        case "PNG" | "PNG 8":
            return imagecodecs.png_decode(data) / (255.0 if order.format == "PNG 8" else 65_535.0)
        case "WebP":
            return imagecodecs.webp_decode(data)[..., :3] / 255.0
        case "AVIF":
            return imagecodecs.avif_decode(data) / 255.0
        case "JPEG XL":
            return imagecodecs.jpegxl_decode(data) / 255.0
        case "OpenEXR":
            return OpenEXR.File(str(path)).channels()["RGB"].pixels
    codes = tifffile.imread(path)
    return codes / {"u1": 255.0, "u2": 65_535.0}.get(codes.dtype.str[1:], 1.0)


def _flat(lab):
    """The middles of 24 patches."""
    h, w = lab.shape[:2]
    rows, columns = (np.arange(4) + 0.5) * h / 4, (np.arange(6) + 0.5) * w / 6
    return np.array(
        [lab[int(y) - 6 : int(y) + 6, int(x) - 6 : int(x) + 6].mean(axis=(0, 1)) for y in rows for x in columns]
    )


@pytest.mark.parametrize("kind", list(FORMATS))
def test_every_format_holds_the_chart(chart, kind, tmp_path):
    order = Order(kind, space="Display P3")
    path = deliver(chart, Recipe(), order, tmp_path / f"a{FORMATS[kind].suffix}")
    seen = _read(path, order)
    assert seen.shape == (320, 480, 3)
    space = SPACES["Display P3"]
    curve = space.curve
    linear = seen if FORMATS[kind].bits == 0 else np.where(
        seen < curve.d, seen * curve.c, (curve.a * np.maximum(seen, 0) + curve.b) ** curve.g
    )  # fmt: skip
    lab = XYZ_to_Lab(linear @ space.to_XYZ_D50().T, D50)
    # lossy ones round luma and chroma to 8 bits each, which the darkest patches show; WebP and AVIF most
    limit = {"JPEG": 1.2, "WebP": 1.7, "AVIF": 1.7, "JPEG XL": 1.0}.get(kind, 0.5)
    assert delta_E_2000(_flat(lab), _flat(_wanted(chart, "Display P3"))).max() < limit
    assert np.median(delta_E_2000(_flat(lab), _flat(_wanted(chart, "Display P3")))) < 0.6


@pytest.mark.parametrize("name", list(SPACES))
def test_every_space_is_what_its_profile_says(chart, name, tmp_path):
    """littleCMS, by the embedded profile alone, sees the colours of the float picture."""
    order = Order("TIFF", space=name)
    path = deliver(chart, Recipe(), order, tmp_path / "a.tif")
    with tifffile.TiffFile(path) as tiff:
        profile, codes = bytes(tiff.pages[0].tags[34675].value), tiff.pages[0].asarray()
    parsed = ImageCms.ImageCmsProfile(io.BytesIO(profile))
    assert name.split()[0] in ImageCms.getProfileDescription(parsed) and parsed.profile.xcolor_space.strip() == "RGB"
    lab_profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB", 5000)).tobytes()
    seen = imagecodecs.cms_transform(codes, profile, lab_profile, colorspace="rgb", outcolorspace="lab",
                                     outdtype=np.float64, intent=1)  # fmt: skip
    assert delta_E_2000(_flat(seen), _flat(_wanted(chart, name))).max() < 0.3


def test_profiles_agree_with_littlecms_on_their_curves():
    for name, space in SPACES.items():
        codes = np.linspace(0, 65_535, 64).astype(np.uint16)[None, :, None].repeat(3, axis=2)
        xyz = imagecodecs.cms_profile("xyz")
        seen = imagecodecs.cms_transform(np.ascontiguousarray(codes), profile_of(name), xyz, colorspace="rgb",
                                         outcolorspace="xyz", outdtype=np.float64, intent=1)  # fmt: skip
        back = space.encoded(np.clip(seen[0, :, 1], 0.0, 1.0))
        np.testing.assert_allclose(back, codes[0, :, 0] / 65_535.0, atol=2e-3, err_msg=name)


def test_a_profile_of_a_file_is_followed_as_littlecms_does(tmp_path):
    path = tmp_path / "own.icc"
    path.write_bytes(profile_of("Display P3"))
    pixels = np.random.default_rng(1).uniform(0.05, 0.6, (40, 50, 3)).astype(np.float32)
    made = into_profile(pixels, path, "relative", black_point=True) / 65_535.0
    direct = SPACES["Display P3"].encoded(np.clip(pixels @ SPACES["Display P3"].from_rec2020().T, 0, 1))
    inside = ((pixels @ SPACES["Display P3"].from_rec2020().T) > 0).all(axis=2)
    assert inside.mean() > 0.5 and np.abs(made - direct)[inside].max() < 2e-3
    (tmp_path / "no.icc").write_bytes(b"nothing" * 40)
    broken = bytearray(profile_of("Display P3"))
    broken[200:] = bytes(len(broken) - 200)
    (tmp_path / "broken.icc").write_bytes(broken)
    with pytest.raises(FormatError, match=r"broken\.icc: cannot be used"):
        into_profile(pixels, tmp_path / "broken.icc", "relative", black_point=False)
    with pytest.raises(FormatError, match="not a colour profile"):
        read_profile(tmp_path / "no.icc")
    with pytest.raises(Exception, match="choose another"):
        read_profile(tmp_path / "gone.icc")


def test_sizes_by_side_megapixels_and_print():
    assert Order(megapixels=1.5).size_of((6000, 4000)) == (1500, 1000)
    assert Order(print_cm=25.4, ppi=300).size_of((6000, 4000)) == (3000, 2000)
    assert Order(print_cm=254.0, ppi=300).size_of((6000, 4000)) == (6000, 4000), "never enlarged"
    assert Order(long_side=3000, megapixels=1.5).size_of((6000, 4000)) == (1500, 1000), "the smaller counts"


def test_a_checkerboard_keeps_its_mean_luminance():
    """Made smaller in linear light: by encoded values it would be darker by a third."""
    board = np.indices((400, 600)).sum(axis=0) % 2
    picture = np.repeat(board[..., None], 3, axis=2).astype(np.float32)
    for order in (Order(long_side=151), Order(long_side=300)):
        assert finished(picture, Recipe(), order).mean() == pytest.approx(0.5, rel=0.01)


def test_the_border_counts_and_sharpening_is_for_the_medium(chart, tmp_path):
    recipe = Recipe().change("finish.border.width_percent", 10.0)[0]
    order = Order("PNG 8", long_side=272)
    path = deliver(chart, recipe, order, tmp_path / "a.png")
    codes = imagecodecs.png_decode(path.read_bytes())
    assert max(codes.shape[:2]) in (271, 272, 273) and codes[:10].min() == 255
    plain = full_picture(chart, Recipe(), result="rendered")
    steep = {}
    for how in ("none", "screen", "glossy", "matte"):
        made = finished(plain, Recipe(), Order(long_side=240, sharpening=how))
        steep[how] = float(np.abs(np.diff(made[..., 1], axis=1)).max())
    assert steep["none"] < steep["screen"] < steep["matte"] and steep["screen"] < steep["glossy"]


def test_names_follow_a_pattern():
    path = Path("CORVA_0011.dng")
    assert name_for(path, Order()) == "CORVA_0011"
    assert name_for(path, Order(pattern="corva-{counter:03}-{rank}"), counter=7, rank=4) == "corva-007-4"
    timed = Order(pattern="{date}_{time}")
    assert name_for(path, timed, "2026-03-14T06:12:20Z") == "2026-03-14_06-12-20" and timed.names_time
    assert named("{date} {time}", {"date": "2026-03-14", "time": "06-12-20"}) == "2026-03-14 06-12-20"
    assert named("{version}", {"version": "a/b:c"}) == "a-b-c"
    for wrong in ("", "..", "{nothing}", "a/b", "{name", "{name}}"):
        with pytest.raises(ArgumentError, match="pattern"):
            Order(pattern=wrong)


def test_orders_are_kept_and_damaged_files_are_told(tmp_path):
    path = tmp_path / "matiz" / "orders.json"
    assert read_orders(path) == dict(OWN)
    mine = dict(OWN) | {"mail": Order(long_side=1200, quality=80), "screen": Order("WebP")}
    write_orders(path, mine)
    assert read_orders(path) == mine and set(json.loads(path.read_text())["orders"]) == {"mail", "screen"}
    for broken in ("{", '{"orders": {"a": {"format": "GIF"}}}', '{"orders": []}'):
        path.write_text(broken)
        with pytest.raises(RecipeError, match="orders"):
            read_orders(path)


@pytest.mark.parametrize("wrong", [
    dict(megapixels=0.0), dict(print_cm=0.1), dict(ppi=10), dict(space="CMYK"), dict(sharpening="much"),
    dict(keeps="some"), dict(intent="best"), dict(format="OpenEXR", space="x.icc"),
])  # fmt: skip
def test_wrong_orders_say_what_is_right(wrong):
    with pytest.raises(ArgumentError, match=list(wrong)[-1]):
        Order(**wrong)


def test_exr_says_its_primaries_and_is_linear(chart, tmp_path):
    path = deliver(chart, Recipe(), Order("OpenEXR", space="Display P3"), tmp_path / "a.exr")
    file = OpenEXR.File(str(path))
    assert file.header()["chromaticities"][:2] == pytest.approx((0.68, 0.32))
    linear = full_picture(chart, Recipe(), result="rendered") @ SPACES["Display P3"].from_rec2020().T
    inside = (linear > 0.01).all(axis=2) & (linear < 0.99).all(axis=2)
    assert np.abs(file.channels()["RGB"].pixels - linear)[inside].max() < 2e-3


def test_quality_100_of_jpeg_xl_loses_nothing(chart, tmp_path):
    path = deliver(chart, Recipe(), Order("JPEG XL", 100), tmp_path / "a.jxl")
    eight = deliver(chart, Recipe(), Order("PNG 8"), tmp_path / "a.png")
    with Pillow.open(path) as picture:
        assert (np.asarray(picture) == imagecodecs.png_decode(eight.read_bytes())).all()


def test_slow_gradients_have_no_steps_in_8_bits():
    ramp = np.linspace(30_000, 31_000, 2000)[None, :, None].repeat(64, axis=0).repeat(3, axis=2).astype(np.uint16)
    made = dithered(ramp)
    assert (made == dithered(ramp)).all() and set(np.unique(made)) == set(range(116, 122))
    mean = made[..., 1].mean(axis=0).reshape(-1, 50).mean(axis=1)
    np.testing.assert_allclose(mean, ramp[0, :, 1].reshape(-1, 50).mean(axis=1) / 257.0, atol=0.06)
    ends = np.array([[[0, 0, 0], [65_535, 65_535, 65_535]]], np.uint16)
    assert dithered(ends).tolist() == [[[0, 0, 0], [255, 255, 255]]]


def test_curves_are_those_of_the_standards():
    """By the equations of IEC 61966-2-1, IEC 61966-2-5, ITU-R BT.2020 and ISO 22028-2."""
    for name, linear, wanted in (
        ("sRGB", 0.002, 0.02584), ("sRGB", 0.5, 0.735357), ("opRGB", 0.5, 0.5 ** (256.0 / 563.0)),
        ("Rec.2020", 0.01, 0.045), ("Rec.2020", 0.5, 1.0993 * 0.5**0.45 - 0.0993),
        ("ROMM RGB", 0.001, 0.016), ("ROMM RGB", 0.5, 0.5 ** (1.0 / 1.8)),
    ):  # fmt: skip
        assert float(SPACES[name].curve.encoded(np.array(linear))) == pytest.approx(wanted, abs=1e-5)


def test_a_delivery_by_a_profile_of_a_file_holds_it(chart, tmp_path):
    path = tmp_path / "own.icc"
    path.write_bytes(profile_of("opRGB"))
    made = deliver(chart, Recipe(), Order("TIFF", space=str(path)), tmp_path / "a.tif")
    with tifffile.TiffFile(made) as tiff:
        assert bytes(tiff.pages[0].tags[34675].value) == path.read_bytes()
    by_name = tifffile.imread(deliver(chart, Recipe(), Order("TIFF", space="opRGB"), tmp_path / "b.tif"))
    inside = (by_name > 2000).all(axis=2) & (by_name < 63_000).all(axis=2)
    assert np.abs(tifffile.imread(made).astype(int) - by_name)[inside].max() < 200
