"""Lens and fringes in one resampling, against the simulated lens and the lens database's own arithmetic."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.frame.lens import known_lens, lens_tables, radii
from matiz.develop.graph.engine import Engine
from matiz.errors import ArgumentError
from matiz.kernels.geometry import brightened, resampled
from matiz.measure.mend.fringes import read_fringes
from matiz.raw.frame import CameraColour, Exposure, Frame
from matiz.recipe.model import Mend, Recipe
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import Geometry, Lens
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.targets import grey

SIZE = (480, 320)


def _frame(size=SIZE, **more) -> Frame:
    pixels = np.random.default_rng(4).random((size[1], size[0], 3), np.float32)
    return Frame(Path("a.tif"), CameraColour(), linear=pixels, **more)


def _recipe(**mend) -> Recipe:
    return Recipe(mend=Mend(**mend))


def _keys(at: np.ndarray, length: int) -> np.ndarray:
    """Weights of every sample for positions `at`, (positions, length), from the published formula."""
    d = np.abs(at[:, None] - np.arange(-20, length + 20))
    near, far = 1.5 * d**3 - 2.5 * d**2 + 1, -0.5 * d**3 + 2.5 * d**2 - 4 * d + 2
    weights = np.where(d < 1, near, np.where(d < 2, far, 0.0))
    # beyond the border its last sample goes on
    inner = weights[:, 20:-20].copy()
    inner[:, 0] += weights[:, :20].sum(axis=1)
    inner[:, -1] += weights[:, -20:].sum(axis=1)
    return inner


@pytest.mark.parametrize("scale", [0.97, 1.0, 1.004, 1.03])
def test_an_even_scale_is_cubic_convolution(scale):
    """Keys 1981: against weights worked out in full. An even scale is separable."""
    source = np.random.default_rng(1).random((60, 83, 3), np.float32)
    middle = (41.0, 29.5)
    got = resampled(
        source, np.full((9, 3), scale, np.float32), corner_px=60, away=(-41, -29.5), middle=middle, size=(83, 60),
        sharp=False,
    )  # fmt: skip
    across = _keys((np.arange(83) - 41.0) * scale + 41.0, 83)
    down = _keys((np.arange(60) - 29.5) * scale + 29.5, 60)
    assert np.allclose(got, np.einsum("yj,xi,jic->yxc", down, across, source), atol=2e-5)


@pytest.mark.parametrize("size", [(2, 2), (5, 40), (40, 3)])
def test_small_pictures_are_kept_as_they_are(size):
    source = np.random.default_rng(1).random((size[1], size[0], 3), np.float32)
    middle = ((size[0] - 1) / 2, (size[1] - 1) / 2)
    away = (-middle[0], -middle[1])
    ones = np.ones((5, 3), np.float32)
    for sharp, off in ((False, 1e-6), (True, 5e-3)):
        got = resampled(source, ones, corner_px=9, away=away, middle=middle, size=size, sharp=sharp)
        assert np.allclose(got, source, atol=off)


def test_a_default_recipe_resamples_nothing():
    engine = Engine(_frame())
    assert np.array_equal(engine.render(Recipe(), 0, result="camera"), engine.frame.linear)


def test_parts_are_those_of_the_whole():
    """A region asks for as much of the frame as it needs, at full size and at half."""
    frame = _frame((1500, 1000))
    engine = Engine(replace(frame, linear=cv2.GaussianBlur(frame.linear, (0, 0), 1.0)))
    recipe = _recipe(distortion_percent=-3.0, fringe_red_px=3.0, fringe_blue_px=-2.0, fall_off_EV=1.0)
    for level, area in (
        (0, (0, 0, 70, 50)),
        (0, (1401, 900, 99, 100)),
        (0, (200, 3, 50, 970)),
        (1, (130, 401, 90, 40)),
    ):
        whole = engine.render(recipe, level, result="working")
        x, y, w, h = area
        part = Engine(engine.frame).render(recipe, level, area, result="working")
        # the shift is followed by straight pieces of 16 px, which begin with the region
        assert np.allclose(part, whole[y : y + h, x : x + w], atol=5e-3)


@pytest.mark.parametrize("percent", [-20.0, -9.0, 9.0, 20.0])
def test_strong_distortion_leaves_a_plain_picture_plain(percent):
    """However steep the shift: the weights of each pixel's neighbours sum to 1, and all of them are read."""
    pixels = np.ones((320, 480, 3), np.float32)
    engine = Engine(Frame(Path("a.tif"), CameraColour(), linear=pixels))
    shown = engine.render(_recipe(distortion_percent=percent, fringe_red_px=5.0), 0, result="camera")
    assert np.abs(shown - 1.0).max() < 1e-4


def test_a_shift_too_steep_is_refused():
    scales = np.linspace(1.0, 3.0, 9, dtype=np.float32)[:, None].repeat(3, axis=1)
    plain = np.ones((60, 80, 3), np.float32)
    with pytest.raises(ArgumentError, match="too steep"):
        resampled(plain, scales, corner_px=50, away=(-40, -30), middle=(40, 30), size=(80, 60))


@pytest.mark.parametrize("distortion", [-0.08, -0.012, 0.03])
def test_a_simulated_lens_is_undone(distortion):
    """Every point, in every colour, comes from where a straight camera would see it."""
    lens = Lens(distortion, 2.0, -1.5)
    mend = Mend(distortion_percent=100 * distortion, fringe_red_px=2.0, fringe_blue_px=-1.5)
    tables = lens_tables(_frame(), mend)
    geometry = Geometry(SIZE, lens, 0.0)
    rng = np.random.default_rng(2)
    x, y = rng.uniform(-239, 239, 200), rng.uniform(-159, 159, 200)
    square = (x**2 + y**2) / geometry.corner_px**2
    seen = []
    for channel in range(3):
        scale = np.interp(square * (len(tables.scales) - 1), np.arange(len(tables.scales)), tables.scales[:, channel])
        scene_x, scene_y = geometry.sources(x * scale + 239.5, y * scale + 159.5)[channel]
        seen.append(np.hypot(scene_x - 239.5, scene_y - 159.5) / np.hypot(x, y))
    assert np.ptp(seen) * geometry.corner_px < 0.1


def test_fall_off_is_taken_back():
    """A grey wall through a lens that loses 1.5 EV to the corner."""
    settings = Settings(lens=Lens(fall_off_EV=1.5), noise=False)
    engine = Engine(expose(grey((300, 200)), settings))
    before = engine.render(Recipe(), 0, result="working")[..., 1]
    after = engine.render(_recipe(fall_off_EV=1.5), 0, result="working")[..., 1]
    assert np.log2(before[100, 150] / before[2, 2]) == pytest.approx(1.5, abs=0.06)
    assert np.ptp(np.log2(after[2:-2, 2:-2])) < 0.02


def test_fringes_are_taken_back():
    """By the numbers measured in the mosaic: red and blue come much nearer to those of a lens without fringes.

    Not all the way: interpolating the mosaic has drawn them towards edges of green by then.
    """
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    scene = scene_of(shot.scene, (1200, 800), view=1)
    settings = replace(shot.settings, noise=False)
    plain = Lens(blur_px=0.5)
    truth = Engine(expose(scene, replace(settings, lens=plain))).render(Recipe(), 0, result="camera")
    engine = Engine(expose(scene, replace(settings, lens=replace(plain, fringe_red_px=2.0, fringe_blue_px=-1.6))))
    found = read_fringes(engine.frame.mosaic)
    assert (found.red_px, found.blue_px) == pytest.approx((2.0, -1.6), abs=0.2)

    def error(recipe: Recipe) -> np.ndarray:
        roots = [np.sqrt(np.maximum(c, 0.0)) for c in (engine.render(recipe, 0, result="camera"), truth)]
        y, x = np.mgrid[0:800, 0:1200]
        return np.sqrt(np.mean((roots[0] - roots[1])[np.hypot(y - 400, x - 600) > 400] ** 2, axis=0))

    before = error(Recipe())
    after = error(_recipe(fringe_red_px=found.red_px, fringe_blue_px=found.blue_px))
    assert after[0] < 0.7 * before[0] and after[2] < 0.92 * before[2]
    assert after[1] == pytest.approx(before[1], rel=1e-3)


@pytest.fixture(scope="module")
def of_the_database():
    """The first lens of the database with both corrections measured, and a camera it fits; picked by what it has."""
    lensfunpy = pytest.importorskip("lensfunpy")
    database = lensfunpy.Database()
    for body in database.cameras:
        for lens in database.find_lenses(body, None, None):
            if lens.calib_distortion and lens.calib_vignetting and lens.type == lensfunpy.LensType.RECTILINEAR:
                return lensfunpy, body, lens
    raise AssertionError("the database is empty")


def _known_frame(body, lens, **exposure) -> Frame:
    shot = Exposure(focal_mm=lens.min_focal, f_number=lens.min_aperture, lens=str(lens.model), **exposure)
    return _frame(camera=f"{body.maker} {body.model}", exposure=shot)


def test_a_lens_of_the_database(of_the_database):
    """Distortion and fall-off as the database's own library works them out for the same picture."""
    lensfunpy, body, lens = of_the_database
    frame = _known_frame(body, lens)
    known = known_lens(frame)
    assert known is not None and known.name == str(lens.model)
    shot = frame.exposure
    modifier = lensfunpy.Modifier(lens, body.crop_factor, *SIZE)
    modifier.initialize(shot.focal_mm, shot.f_number, 1000.0, 1.0, pixel_format=np.float32, flags=2 | 8)
    theirs = modifier.apply_geometry_distortion()
    x, y = np.meshgrid(np.arange(480.0) - 239.5, np.arange(320.0) - 159.5)
    radius = np.hypot(x, y) / np.hypot(239.5, 159.5)
    scale = np.interp(radius, radii(), known.stretch)
    assert np.abs(np.dstack([x * scale + 239.5, y * scale + 159.5]) - theirs).max() < 0.15
    light = np.ones((320, 480, 3), np.float32)
    assert modifier.apply_color_modification(light)
    assert np.abs(np.interp(radius, radii(), known.fall_off_EV) - np.log2(light[..., 1])).max() < 0.03
    assert np.ptp(known.stretch) > 0.001 and known.fall_off_EV[-1] > 0.1


def test_a_known_lens_changes_the_picture_only_when_asked(of_the_database):
    _, body, lens = of_the_database
    engine = Engine(_known_frame(body, lens))
    assert np.array_equal(engine.render(Recipe(), 0, result="camera"), engine.frame.linear)
    assert not np.allclose(engine.render(_recipe(lens="known"), 0, result="camera"), engine.frame.linear, atol=1e-3)


def test_a_lens_that_is_not_known_is_left_alone():
    frame = _frame(camera="Corva One", exposure=Exposure(focal_mm=35.0, lens="Corva 21-98"))
    assert known_lens(frame) is None
    assert not lens_tables(frame, Mend(lens="known")).moves
    assert known_lens(_frame()) is None


def test_no_border_is_left_empty():
    """The picture is filled: no point comes from outside the frame."""
    for percent in (-15.0, -3.0, 4.0, 12.0):
        scale = lens_tables(_frame(), Mend(distortion_percent=percent)).scales[:, 1]
        t = np.linspace(-1.0, 1.0, 99)
        square = (SIZE[0] ** 2 + (SIZE[1] * t) ** 2) / (SIZE[0] ** 2 + SIZE[1] ** 2)
        assert np.interp(square * (len(scale) - 1), np.arange(len(scale)), scale).max() < 1.0 + 1e-4


def test_gains_by_radius():
    got = brightened(
        np.ones((40, 50, 3), np.float32), np.linspace(1, 2, 101, dtype=np.float32), corner_px=32.0, away=(-24.5, -19.5)
    )
    y, x = np.mgrid[-19.5:20, -24.5:25]
    assert np.allclose(got[..., 0], 1 + np.minimum((x**2 + y**2) / 32.0**2, 1.0), atol=1e-3)
