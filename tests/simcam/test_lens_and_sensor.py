"""Lens, sensor faults, truth and targets: what was asked is what is measured."""

import json

import numpy as np
import pytest

from matiz.errors import ArgumentError
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose, light_spectrum
from matiz_simcam.lens import PERFECT, Geometry, Lens, through, warped
from matiz_simcam.scene import Scene
from matiz_simcam.sensor import BLACK, CLEAN, DEMO, Hair, SensorFaults, SensorSpeck, shadow
from matiz_simcam.shoot import DEMO_SHOTS, scene_of, tether
from matiz_simcam.truth import truth_of, write_truth
from tests.conftest import frame_of

SIZE = (600, 400)


def _dots(places) -> np.ndarray:
    image = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    for px, py in places:
        image += np.exp(-((x - px) ** 2 + (y - py) ** 2) / 8.0).astype(np.float32)[..., None]
    return image


def _centre(plane: np.ndarray, near: tuple[float, float], reach: int = 14) -> np.ndarray:
    x0, y0 = int(near[0]) - reach, int(near[1]) - reach
    part = np.maximum(plane[y0 : y0 + 2 * reach + 1, x0 : x0 + 2 * reach + 1], 0)
    y, x = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
    return np.array([(part * x).sum() / part.sum() + x0, (part * y).sum() / part.sum() + y0])


def test_a_perfect_lens_changes_nothing():
    light = np.random.default_rng(0).random((40, 60, 3)).astype(np.float32)
    assert (through(light, Geometry((60, 40), PERFECT, 0.0)) == light).all()


def test_fringes_have_the_size_asked_for():
    lens = Lens(fringe_red_px=2.0, fringe_blue_px=-1.5)
    geometry = Geometry(SIZE, lens, 0.0)
    place = np.array([540.0, 360.0])
    seen = warped(_dots([place]), geometry)
    red, green, blue = (_centre(seen[..., c], place) for c in range(3))
    middle = (np.array(SIZE) - 1) / 2
    share = np.linalg.norm(place - middle) / geometry.corner_px
    out = (place - middle) / np.linalg.norm(place - middle)
    assert (red - green) @ out == pytest.approx(2.0 * share, abs=0.05)
    assert (blue - green) @ out == pytest.approx(-1.5 * share, abs=0.05)
    np.testing.assert_allclose(green, place, atol=0.05)


@pytest.mark.parametrize("degrees", [-2.0, 0.8])
def test_tilt_turns_the_picture_clockwise(degrees):
    geometry = Geometry(SIZE, PERFECT, degrees)
    seen = warped(_dots([(150, 199.5), (450, 199.5)]), geometry)[..., 1]
    first, second = _centre(seen, (150, 200)), _centre(seen, (450, 200))
    angle = np.degrees(np.arctan2(second[1] - first[1], second[0] - first[0]))
    assert angle == pytest.approx(degrees, abs=0.05)


def test_distortion_is_barrel_when_negative():
    places = [(300, 30), (560, 30)]
    straight = warped(_dots(places), Geometry(SIZE, PERFECT, 0.0))[..., 1]
    bent = warped(_dots(places), Geometry(SIZE, Lens(distortion=-0.05), 0.0))[..., 1]
    sag = [_centre(image, p, 20)[1] for image in (straight, bent) for p in places]
    assert sag[0] == pytest.approx(sag[1], abs=0.05)
    assert sag[3] - sag[2] > 2.0, "toward the corner a line at the top bends downward"
    with pytest.raises(ArgumentError, match="distortion"):
        Lens(distortion=0.5)


def test_no_border_comes_into_the_frame():
    ones = np.ones((SIZE[1], SIZE[0], 3), np.float32)
    for lens, tilt in ((Lens(distortion=0.05), 3.0), (Lens(distortion=-0.05, fringe_red_px=2.0), -3.0)):
        x = np.arange(SIZE[0], dtype=np.float32)[None]
        y = np.arange(SIZE[1], dtype=np.float32)[:, None]
        for from_x, from_y in Geometry(SIZE, lens, tilt).sources(x, y):
            assert from_x.min() > -3 and from_x.max() < SIZE[0] + 2 and from_y.min() > -3 and from_y.max() < SIZE[1] + 2
        assert through(ones, Geometry(SIZE, lens, tilt)).min() > 0.99


def test_fall_off_blur_and_glare():
    ones = np.ones((SIZE[1], SIZE[0], 3), np.float32)
    fallen = through(ones, Geometry(SIZE, Lens(fall_off_EV=1.0), 0.0))
    assert fallen[0, 0, 1] == pytest.approx(0.5, rel=0.01) and fallen[200, 300, 1] == pytest.approx(1.0, rel=0.01)
    veiled = through(_dots([(300, 200)]), Geometry(SIZE, Lens(glare=0.1), 0.0))
    assert veiled[10, 10, 1] == pytest.approx(_dots([(300, 200)]).mean() * 0.1, rel=1e-3)
    soft = through(_dots([(300, 200), (580, 380)]), Geometry(SIZE, Lens(blur_px=0.5, corner_blur_px=3.0), 0.0))
    assert soft[200, 300, 1] > 2 * soft[380, 580, 1]


def test_dust_is_where_it_is_and_sharper_stopped_down():
    faults = SensorFaults(specks=(SensorSpeck(0.25, 0.25, 0.01, 0.3),), hairs=(Hair(((0.6, 0.3), (0.7, 0.32))),))
    closed, opened = shadow(SIZE, faults, 16.0), shadow(SIZE, faults, 4.0)
    y, x = np.unravel_index(np.argmin(closed[:, :300]), (SIZE[1], 300))
    assert abs(x - 150) <= 1 and abs(y - 150) <= 1 and closed[y, x] == pytest.approx(0.7, abs=0.02)
    assert opened[150, 150] > closed[150, 150]
    assert closed[180:195, 360:420].min() < 0.9 and closed[300, 500] == 1.0


def test_faults_stay_in_their_places():
    ones = np.full((200, 300), 0.3, np.float32)
    scene = Scene((300, 200), {"d": light_spectrum("daylight:5003")}, {"d": ones})
    scene.put("white", np.ones_like(ones))
    faults = SensorFaults(
        nonuniformity=0.01, dark_columns=((0.5, 20.0),), hot_share=1e-3, hot_electrons_per_s=4e6, seed=3
    )
    frames = [
        expose(scene, Settings(noise=False, lens=PERFECT, faults=faults, seed=s)).mosaic.values.astype(float)
        for s in (1, 2)
    ]
    assert (frames[0] == frames[1]).all(), "another exposure, the same faults"
    clean = expose(scene, Settings(noise=False, lens=PERFECT, faults=CLEAN)).mosaic.values.astype(float)
    assert np.median(clean[:, 150] - frames[0][:, 150]) == pytest.approx(20.0, abs=12.0)
    spread = (frames[0] - BLACK) / (clean - BLACK)
    assert np.std(spread[np.abs(spread - 1) < 0.05]) == pytest.approx(0.01, rel=0.15)
    assert 20 < (frames[0] - clean > 200).sum() < 70


def test_truth_lies_where_the_frame_shows_it(tmp_path):
    scene = targets.slanted_edge(SIZE)
    settings = Settings(noise=False, lens=Lens(distortion=-0.03), tilt_degrees=2.0)
    truth = truth_of(scene, settings)
    green = expose(scene, settings).mosaic.values[0::2, 1::2].astype(float)
    known = truth.XYZ[0::2, 1::2, 1]
    assert np.corrcoef(green.ravel(), known.ravel())[0, 1] > 0.999
    assert truth.parameters["tilt_degrees"] == 2.0 and truth.parameters["lens"]["distortion"] == -0.03
    write_truth(truth, tmp_path / "t")
    assert json.loads((tmp_path / "t" / "truth.json").read_text())["electrons_full"] == 48_000.0
    assert np.load(tmp_path / "t" / "maps.npz")["XYZ"].shape == (400, 600, 3)


def test_masks_of_the_demo_scenes_are_moved_with_the_picture():
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    truth = truth_of(scene_of(shot.scene, SIZE), shot.settings)
    assert truth.masks["subject"].min() >= 0 and truth.masks["subject"].max() <= 1
    assert sum(truth.light_shares.values()).mean() == pytest.approx(1.0, abs=0.01)


# ---- targets


def test_the_slanted_edge_has_its_angle_and_contrast():
    truth = targets.slanted_edge(SIZE).XYZ()[..., 1]
    assert truth.max() / truth.min() == pytest.approx(4.0, rel=0.01)
    crossings = [np.interp(truth.mean(), row, np.arange(SIZE[0])) for row in truth[50:350]]
    slope = np.polyfit(np.arange(300), crossings, 1)[0]
    assert np.degrees(np.arctan(-slope)) == pytest.approx(5.0, abs=0.1)


def test_the_zone_plate_reaches_the_finest_rings():
    truth = targets.zone_plate((400, 400)).XYZ()[..., 1]
    middle = truth[200]
    assert (np.diff(np.sign(np.diff(middle[210:240]))) != 0).sum() < (
        np.diff(np.sign(np.diff(middle[360:390]))) != 0
    ).sum()


def test_stars_have_their_places():
    scene = targets.star_field(SIZE)
    x, y, w, h = scene.areas["star 3"]
    patch = scene.XYZ()[y : y + h, x : x + w, 1]
    assert patch[3, 3] == patch.max() > 5 * np.median(patch)


def test_skin_and_posts():
    skin = targets.skin_set(SIZE)
    XYZ = skin.XYZ()
    values = [XYZ[y + h // 2, x + w // 2] for x, y, w, h in (skin.areas[f"skin {n}"] for n in range(10))]
    assert all(X > Z for X, _, Z in values) and np.all(np.diff([v[1] for v in values[:5]]) > 0)
    posts = targets.hazy_posts(SIZE)
    transmission = posts.masks["transmission"]
    assert transmission.max() == 1.0 and 0.3 < transmission.min() < 0.4
    Y = posts.XYZ()[..., 1]
    assert np.ptp(Y[10]) > 2.5 * np.ptp(Y[-10])


def test_the_two_light_wall_has_two_lights():
    scene = targets.two_light_wall(SIZE)
    shares = scene.light_shares()
    warm = shares["planck:2700"]
    assert warm[:, 2].max() < 0.05 and warm[:, -3].min() > 0.95 and 0.2 < warm.mean() < 0.6
    left, right = (frame_of(scene).mosaic.values[:, part].astype(float) for part in (slice(0, 40), slice(-40, None)))
    assert left[1::2, 1::2].mean() / left[::2, ::2].mean() > 2 * right[1::2, 1::2].mean() / right[::2, ::2].mean()


def test_a_tethered_camera_writes_whole_frames_one_by_one(tmp_path):
    names = tether(tmp_path, 0.0, size=(96, 64))
    first = next(names)
    assert [p.name for p in tmp_path.iterdir()] == [first]
    next(names)
    names.close()
    assert len(list(tmp_path.iterdir())) == 2
    assert next(tether(tmp_path, 0.0, size=(96, 64))) not in {first}


def test_the_demo_camera_has_its_faults():
    assert {s.settings.faults for s in DEMO_SHOTS} == {DEMO}
    tilts = {s.settings.tilt_degrees for s in DEMO_SHOTS if s.scene == "salt-pans"}
    assert tilts == {0.8}
    bracket = [s for s in DEMO_SHOTS if s.scene == "salt-pans" and s.view == 5]
    assert [s.settings.ev for s in bracket] == [-0.6, -2.6, 1.4]
