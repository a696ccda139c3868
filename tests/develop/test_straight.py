"""Level, perspective, crop and turns: where pixels come from, exactness where nothing is resampled, no empty corner."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.frame.mapping import Mapping, focal_px
from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import HAZE
from matiz.errors import RecipeError
from matiz.image.reduce import halved
from matiz.kernels.geometry import resampled
from matiz.mend.straight import RATIOS, applied, drawn_in, half_planes, largest, reach, straight, turned
from matiz.mend.warp import bend
from matiz.raw.decode import read_frame
from matiz.raw.frame import CameraColour, Exposure, Frame
from matiz.recipe.mending import Band, Pull
from matiz.recipe.model import RATIOS as RECIPE_RATIOS
from matiz.recipe.model import Mend, Recipe
from matiz.recipe.parsing import apply_settings
from matiz.recipe.tree import Rows
from matiz_simcam.view import SceneView

SIZE = (480, 320)


def frame_of_noise(size=SIZE, **more) -> Frame:
    pixels = np.random.default_rng(4).random((size[1], size[0], 3), np.float32)
    return Frame(Path("a.tif"), CameraColour(), linear=pixels, **more)


def smooth_engine(size=(1500, 1000)) -> Engine:
    frame = frame_of_noise(size)
    return Engine(replace(frame, linear=cv2.GaussianBlur(frame.linear, (0, 0), 1.5)))


def mended(**mend) -> Recipe:
    return Recipe(mend=Mend(**mend))


BENT = {"level_deg": 4.0, "vertical_deg": 6.0, "horizontal_deg": -3.0, "distortion_percent": -3.0, "fringe_red_px": 2.0}


# ---- exactness


@pytest.mark.parametrize("level", [0, 1, 2])
def test_a_crop_alone_is_the_same_pixels(level):
    """At every level, and through all of Tone, whose surroundings are those of the whole picture."""
    engine = smooth_engine((1504, 1000))
    tone = [("tone.zones_EV", (0.0,) * 3 + (1.0, 0.5) + (0.0,) * 6), ("tone.contrast.broad_dB", 6.0),
            ("tone.haze_percent", 40.0)]  # fmt: skip
    whole = Recipe().change_all(tone, label="x")[0]
    cropped = whole.change("mend.crop", (400 / 1504, 200 / 1504, 800 / 1504, 600 / 1504))[0]
    assert engine.size(cropped) == (800, 600)
    assert engine.product(cropped, HAZE) is engine.product(whole, HAZE)
    x, y, w, h = (n >> level for n in (400, 200, 800, 600))
    for result, off in (("camera", 0.0), ("display", 1e-6)):
        all_of_it, part = (engine.render(recipe, level, result=result) for recipe in (whole, cropped))
        np.testing.assert_allclose(part, all_of_it[y : y + h, x : x + w], atol=off, rtol=0.0)


@pytest.mark.parametrize("turns", ["0", "1", "2", "3"])
@pytest.mark.parametrize("mirror", ["off", "on"])
def test_turns_and_mirror_are_the_same_pixels(turns, mirror):
    engine = Engine(frame_of_noise())
    crop = (0.1, 0.05, 0.6, 0.4)
    plain = engine.render(mended(crop=crop), 0, result="camera")
    got = engine.render(mended(crop=crop, quarter_turns=turns, mirror=mirror), 0, result="camera")
    expected = np.rot90(plain[:, ::-1] if mirror == "on" else plain, -int(turns))
    assert np.array_equal(got, expected)


@pytest.mark.parametrize("turns", ["1", "2"])
def test_a_turned_picture_is_the_level_one_turned(turns):
    """Turned after all else, whatever else is done, fall-off included."""
    engine = smooth_engine((600, 400))
    plain = engine.render(mended(**BENT, fall_off_EV=1.0), 0, result="working")
    got = engine.render(mended(**BENT, fall_off_EV=1.0, quarter_turns=turns, mirror="on"), 0, result="working")
    np.testing.assert_allclose(got, np.rot90(plain[:, ::-1], -int(turns)), atol=5e-3)


# ---- where pixels come from


@pytest.mark.parametrize("more", [{}, {"quarter_turns": "1"}, {"quarter_turns": "3", "mirror": "on"}, {"mirror": "on"},
                                  {"crop": (0.2, 0.1, 0.5, 0.4)}])  # fmt: skip
def test_there_and_back(more):
    mapping = Mapping.of(frame_of_noise(), Mend(**BENT, **more))
    width, height = mapping.size
    points = np.random.default_rng(1).uniform((0, 0), (width - 1, height - 1), (50, 2))
    there = mapping.to_frame(points)
    assert (there > -1.0).all() and (there < np.array(SIZE)).all()
    np.testing.assert_allclose(mapping.to_picture(there), points, atol=0.03)


def test_pixels_come_from_where_the_mapping_says():
    """A frame of ramps shows its own coordinates, at full size and at half."""
    y, x = np.mgrid[0:320, 0:480].astype(np.float32) / 480
    frame = Frame(Path("a.tif"), CameraColour(), linear=np.dstack([x, y, 0.5 * x + 0.25]))
    mend = Mend(level_deg=7.0, vertical_deg=5.0, horizontal_deg=4.0, crop=(0.25, 0.2, 0.4, 0.3), quarter_turns="1")
    engine, mapping = Engine(frame), Mapping.of(frame, mend)
    for level in (0, 1):
        shown = engine.render(Recipe(mend=mend), level, result="camera")
        rows, columns = np.mgrid[0 : shown.shape[0], 0 : shown.shape[1]]
        full = (np.stack([columns, rows], axis=-1).reshape(-1, 2) + 0.5) * 2.0**level - 0.5
        np.testing.assert_allclose(shown[..., :2].reshape(-1, 2) * 480, mapping.to_frame(full), atol=0.07)


@pytest.mark.parametrize("mend", [BENT, {"level_deg": -31.0}, {"level_deg": 14.0, "quarter_turns": "3"}])
def test_parts_are_those_of_the_whole(mend):
    engine = smooth_engine()
    recipe = mended(**mend)
    for level in (0, 1):
        whole = engine.render(recipe, level, result="camera")
        height, width = whole.shape[:2]
        for x, y, w, h in ((0, 0, 70, 50), (width - 99, height - 100, 99, 100), (width // 2, 3, 50, height - 9)):
            part = Engine(engine.frame).render(recipe, level, (x, y, w, h), result="camera")
            assert np.allclose(part, whole[y : y + h, x : x + w], atol=6e-3)


def test_maximal_order_is_what_was_published():
    """Blu, Thevenaz, Unser 2001: the weights solved for in full by SciPy. What is cut off of the sharpening shows by
    less than 0.4 %."""
    from scipy.linalg import solve_banded

    source = np.random.default_rng(1).random((60, 83, 3), np.float32)
    shift = 0.37
    got = resampled(source, np.ones((9, 3), np.float32), corner_px=60, away=(-41 + shift, -29.5),
                    middle=(41.0, 29.5), size=(83, 60))  # fmt: skip

    def weights(d):
        d = np.abs(d)
        near, far = d**3 / 2 - d**2 + d / 14 + 13 / 21, -(d**3) / 6 + d**2 - 85 / 42 * d + 29 / 21
        return np.where(d < 1, near, np.where(d < 2, far, 0.0))

    padded = np.pad(source.astype(np.float64), ((0, 0), (30, 30), (0, 0)), mode="edge")
    n = padded.shape[1]
    bands = np.array([np.full(n, 4 / 21), np.full(n, 13 / 21), np.full(n, 4 / 21)])
    solved = solve_banded((1, 1), bands, padded.transpose(1, 0, 2).reshape(n, -1)).reshape(n, 60, 3).transpose(1, 0, 2)
    at = np.arange(83)[:, None] + shift + 30 - np.arange(n)[None]
    np.testing.assert_allclose(got, np.einsum("xi,yic->yxc", weights(at), solved), atol=6e-3)


def test_a_mesh_bends_about_the_middle():
    """A picture whose mesh moves the right half by 2 px and the left not at all, eased in between."""
    y, x = np.mgrid[0:60, 0:81].astype(np.float32)
    source = np.dstack([x, y, x])
    mesh = np.zeros((3, 5, 2), np.float32)
    mesh[:, 3:, 0] = 2.0
    got = resampled(source, np.ones((9, 3), np.float32), corner_px=60, away=(-40, -29.5), middle=(40.0, 29.5),
                    size=(81, 60), bend=mesh, per_bend=4 / 80, steepest=2.0)  # fmt: skip
    expected = x + np.interp(x, [0, 40, 60, 80], [0.0, 0.0, 2.0, 2.0])
    inner = np.s_[10:-10, 10:-12]
    np.testing.assert_allclose(got[inner][..., 0], expected[inner], atol=0.1)
    np.testing.assert_allclose(got[inner][..., 1], y[inner], atol=0.02)


def test_turned_and_back_loses_no_more_than_lanczos():
    """Photographs of scikit-image turned by 5 degrees and back: PSNR beside OpenCV's Lanczos over 8 pixels."""
    data = pytest.importorskip("skimage.data")
    for picture in (data.astronaut(), data.coffee(), data.chelsea()):
        linear = np.ascontiguousarray(picture, np.float32) / 255
        height, width = linear.shape[:2]
        middle = ((width - 1) / 2, (height - 1) / 2)

        def ours(image, degrees, middle=middle, size=(width, height)):
            return resampled(image, np.ones((9, 3), np.float32), corner_px=float(np.hypot(*middle)),
                             away=(-middle[0], -middle[1]), middle=middle, size=size,
                             to_lens=turned(500.0, degrees, 0, 0),
                             steepest=abs(np.sin(np.radians(degrees))))  # fmt: skip

        def theirs(image, degrees, middle=middle, size=(width, height)):
            matrix = cv2.getRotationMatrix2D(middle, degrees, 1.0)
            return cv2.warpAffine(image, matrix, size, flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP)

        inner = np.s_[60:-60, 60:-60]
        off = [((way(way(linear, 5.0), -5.0) - linear)[inner] ** 2).mean() for way in (ours, theirs)]
        assert 10.0 * np.log10(off[0] / off[1]) < 0.3


# ---- angles


def test_a_simulated_camera_is_set_straight():
    """Points of a rolled and pitched pinhole come to lie as a level one would see them, up to shift and scale."""
    size, focal = (1200, 800), 0.8
    corners = np.array([(x, y, 6.0) for x in (-1.5, -0.5, 0.5, 1.5) for y in (0.5, 1.2, 2.0, 2.6)])
    level = SceneView(size, focal).place(corners)[:, :2] * size[0]
    tipped = SceneView(size, focal, pitch_degrees=-7.0).place(corners)[:, :2] * size[0]
    roll = np.radians(3.0)
    about = tipped - np.array(size) / 2
    # the camera is rolled counter-clockwise, so that the scene leans clockwise by 3 degrees
    turn = np.array([[np.cos(roll), -np.sin(roll)], [np.sin(roll), np.cos(roll)]])
    seen = about @ turn.T + (np.array(size) - 1.0) / 2.0
    shot = Exposure(focal_mm=focal * 36.0)
    mapping = Mapping.of(frame_of_noise(size, exposure=shot), Mend(level_deg=-3.0, vertical_deg=7.0))
    shown = mapping.to_picture(seen)
    fit = np.linalg.lstsq(np.column_stack([level, np.ones(len(level))]), shown, rcond=None)[0]
    assert np.abs(np.column_stack([level, np.ones(len(level))]) @ fit - shown).max() < 0.05
    assert fit[0, 1] == pytest.approx(0.0, abs=1e-3) and fit[1, 0] == pytest.approx(0.0, abs=1e-3)
    assert fit[0, 0] == pytest.approx(fit[1, 1], rel=1e-3)


def test_the_focal_length_of_a_file():
    assert focal_px(frame_of_noise(exposure=Exposure(focal_mm=50.0))) == pytest.approx(480 * 50 / 36)
    assert focal_px(frame_of_noise(exposure=Exposure(focal_mm=50.0, focal_35_mm=75.0))) == pytest.approx(480 * 75 / 36)
    assert focal_px(frame_of_noise(exposure=Exposure(focal_mm=4.2))) == pytest.approx(480 * 28 / 36), "a telephone's"
    assert focal_px(frame_of_noise()) == pytest.approx(480 * 28 / 36)


def test_the_middle_and_its_scale_stay():
    matrix = turned(900.0, 5.0, 20.0, -15.0)
    np.testing.assert_allclose(applied(matrix, np.zeros((1, 2))), 0.0, atol=1e-6)
    around = applied(matrix, np.array([[1.0, 0.0], [0.0, 1.0]]))
    assert abs(np.linalg.det(around)) == pytest.approx(1.0, abs=0.01)


# ---- what is cut out


@pytest.mark.parametrize("level", [0.0, 3.0, -12.0, 45.0])
@pytest.mark.parametrize("pitch", [0.0, 12.0, -30.0])
@pytest.mark.parametrize("ratio", ["original", "1:1", "16:9"])
def test_the_largest_picture_has_no_empty_corner(level, pitch, ratio):
    """Nor could it be larger: grown by a hundredth about any place, a corner is empty."""
    size = (600, 400)
    how = straight(size, 500.0, level, pitch, 5.0 if pitch else 0.0, (), ratio)
    width, height = how.size
    wanted = RATIOS.get(ratio, 1.5)
    assert width / height == pytest.approx(wanted, rel=0.02)
    edges = half_planes(reach(how.to_lens, size))
    corners = np.array([(0, 0), (width - 1, 0), (width - 1, height - 1), (0, height - 1)], float)
    corners += (how.left - 299.5, how.top - 199.5)
    assert (corners @ edges[:, :2].T <= edges[:, 2] + 0.51).all()
    seen = applied(how.to_lens, corners)
    assert (np.abs(seen) <= np.array(size) / 2.0).all()
    half = np.array([width - 1.0, height - 1.0]) / 2.0 * 1.01
    middles = np.stack(np.meshgrid(np.linspace(-300, 300, 61), np.linspace(-300, 300, 61)), axis=-1).reshape(-1, 2)
    room = edges[:, 2] - np.abs(edges[:, :2]) @ half
    assert not (middles @ edges[:, :2].T <= room).all(axis=1).any()


def test_a_level_alone_stays_about_the_middle():
    for level in (1.0, -5.0, 20.0):
        how = straight((600, 400), 500.0, level, 0.0, 0.0, (), "original")
        assert how.left + (how.size[0] - 1) / 2 == pytest.approx(299.5, abs=0.51)
        assert how.top + (how.size[1] - 1) / 2 == pytest.approx(199.5, abs=0.51)


def test_a_crop_that_would_be_empty_is_drawn_in_about_its_middle():
    crop = (0.0, 0.0, 0.5, 0.5)
    kept, turned_ = (straight((600, 400), 500.0, level, 0.0, 0.0, crop, "free") for level in (0.0, 6.0))
    assert kept.size == (300, 300) and (kept.left, kept.top) == (0.0, 0.0)
    assert turned_.size[0] == turned_.size[1] < 300
    assert turned_.left + turned_.size[0] / 2 == pytest.approx(150, abs=1)
    outside = straight((600, 400), 500.0, 6.0, 0.0, 0.0, (0.99, 0.6, 0.3, 0.3), "free")
    assert min(outside.size) >= 16
    edges = half_planes(reach(np.eye(3), (600, 400)))
    centre, half = drawn_in(edges, np.array([900.0, 0.0]), np.array([50.0, 50.0]))
    assert centre[0] < 300 and half.min() > 0
    assert largest(edges, np.array([1.0, 1.0]))[1] == pytest.approx((199.5, 199.5))


def test_ratios_are_those_that_a_recipe_names():
    assert tuple(RATIOS) == RECIPE_RATIOS


def test_values_of_a_crop():
    recipe = apply_settings(Recipe(), ["mend.crop=0.1, 0.2,0.5,0.25", "mend.quarter_turns=1"])
    assert recipe.mend.crop == (0.1, 0.2, 0.5, 0.25)
    assert apply_settings(recipe, ["mend.crop="]).mend.crop == ()
    assert Recipe.from_json(recipe.to_json()) == recipe
    for wrong in ((0.1, 0.2, 0.3), (0.1, 0.2, 0.0, 0.3), "abcd", (0.1, 0.2, float("nan"), 0.3)):
        with pytest.raises(RecipeError, match="crop"):
            Recipe().change("mend.crop", wrong)


WARPED = Mend(
    level_deg=3.0,
    distortion_percent=-2.0,
    warp=Rows([("a", Pull(0.4, 0.3, 0.06, -0.03)), ("b", Band(0.2, 0.1, 0.5, 0.3, 30.0))]),
)


def test_a_bent_picture_comes_from_where_the_mapping_says(scene_engine):
    recipe = Recipe(mend=WARPED)
    mapping = scene_engine.mapping(recipe)
    assert mapping.moves and not mapping.is_lens_alone
    width, height = mapping.size
    points = np.random.default_rng(2).uniform((3, 3), (width - 4, height - 4), (80, 2))
    there = mapping.to_frame(points)
    np.testing.assert_allclose(mapping.to_picture(there), points, atol=0.05)
    plain = scene_engine.render(Recipe(), 0, result="camera")[..., 1]
    shown = scene_engine.render(recipe, 0, result="camera")[..., 1]
    x, y = np.meshgrid(np.arange(width, dtype=float), np.arange(height, dtype=float))
    where = mapping.to_frame(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32).reshape(height, width, 2)
    sampled = cv2.remap(plain, where[..., 0], where[..., 1], cv2.INTER_CUBIC)
    off = np.abs(sampled - shown)[4:-4, 4:-4]
    assert np.quantile(off, 0.95) < 0.02 * plain.max(), "the kernel bends as the mapping does"
    x, y = width // 3, height // 3
    part = scene_engine.render(recipe, 0, (x, y, 64, 48), result="camera")[..., 1]
    np.testing.assert_allclose(part, shown[y : y + 48, x : x + 64], atol=1e-5)


def test_a_bent_picture_is_the_same_at_every_level(scene_engine):
    recipe = Recipe(mend=WARPED)
    full = scene_engine.render(recipe, 0, result="camera")
    small = scene_engine.render(recipe, 1, result="camera")
    halves = halved(full)
    height, width = min(small.shape[0], halves.shape[0]), min(small.shape[1], halves.shape[1])
    assert np.abs(small[:height, :width] - halves[:height, :width])[3:-3, 3:-3].mean() < 0.01


@pytest.mark.parametrize(
    "mend",
    [
        {"level_deg": 4.0},
        {"vertical_deg": 6.0, "crop": (0.2, 0.2, 0.5, 0.4)},
        {"quarter_turns": "1", "level_deg": -3.0},
    ],
)
def test_how_a_picture_lies_changes_no_tone(scene_engine, mend):
    """Haze, zones and contrast read the surroundings that the camera saw."""
    tone = [("tone.zones_EV", (0.6,) * 4 + (0.0,) * 7), ("tone.contrast.broad_dB", 5.0), ("tone.haze_percent", 50.0)]
    recipe = Recipe().change_all(tone, label="x")[0]
    turned_one = recipe.change_all([(f"mend.{name}", value) for name, value in mend.items()], label="x")[0]
    engine = Engine(scene_engine.frame)
    plain = engine.render(recipe, 0, result="scene")
    runs = dict(engine.runs)
    shown = engine.render(turned_one, 0, result="scene")
    if "quarter_turns" not in mend:
        assert engine.runs["haze"] == runs["haze"] and engine.runs["plan of the scene"] == runs["plan of the scene"]
    height, width = shown.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=float), np.arange(height, dtype=float))
    where = engine.mapping(turned_one).to_frame(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32)
    sampled = cv2.remap(plain, *where.reshape(height, width, 2).transpose(2, 0, 1), cv2.INTER_CUBIC)
    off = np.abs(np.log2(np.maximum(shown, 1e-3) / np.maximum(sampled, 1e-3)))[5:-5, 5:-5]
    assert np.median(off) < 0.01 and np.quantile(off, 0.9) < 0.06


def test_the_angle_of_view_comes_from_the_file(tmp_path):
    import exiv2
    from PIL import Image

    path = tmp_path / "a.jpg"
    Image.fromarray(np.full((240, 360, 3), 90, np.uint8)).save(path)
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    image.exifData()["Exif.Photo.FocalLength"] = "24/1"
    image.exifData()["Exif.Photo.FocalLengthIn35mmFilm"] = "36"
    image.writeMetadata()
    frame = read_frame(path)
    assert (frame.exposure.focal_mm, frame.exposure.focal_35_mm) == (24.0, 36.0)
    assert focal_px(frame) == pytest.approx(360.0)


def test_nobody_waits_for_a_bend_who_asks_for_the_size(scene_engine):
    """Nor for what is the same without it: the window asks at every step of a drag."""
    warp = Rows([("a", Pull(0.41, 0.29, 0.0123, 0.0))])
    before = bend.cache_info().misses
    mapping = scene_engine.mapping(Recipe(mend=Mend(warp=warp)))
    assert mapping.size == (600, 400) and mapping.moves and not mapping.is_idle
    mapping.flat().to_place([(3.0, 4.0)])
    assert bend.cache_info().misses == before
    mapping.to_frame([(3.0, 4.0)])
    assert bend.cache_info().misses == before + 1
