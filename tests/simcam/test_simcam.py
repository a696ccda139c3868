"""The simulated camera: its noise, its exposure, its files; the scenes stay what they are."""

import numpy as np
import pytest
import rawpy

from matiz.develop.graph.as_file import write_frame
from matiz.errors import ArgumentError
from matiz_simcam.camera import Settings, camera_colour, expose, light_spectrum, sensitivities
from matiz_simcam.lens import PERFECT
from matiz_simcam.scene import Scene
from matiz_simcam.sensor import BLACK, FULL_WELL_ELECTRONS, WHITE, electrons_full, read_noise_electrons
from matiz_simcam.shoot import DEMO_SHOTS, SCENES, make_demo, missing_shots, scene_of, simulate
from matiz_simcam.spectra import chart_patches, fitting_set, reflectance
from matiz_simcam.textures import cells, smoothstep
from tests.conftest import SHOTS, SMALL


def _flat(level: float, size=(128, 128)) -> Scene:
    ones = np.ones(size[::-1], np.float32)
    scene = Scene(size, {"d": light_spectrum("daylight:5003")}, {"d": ones * level})
    scene.put("white", ones)
    return scene


@pytest.mark.parametrize("iso", [100, 400, 1600, 3200, 6400, 12_800])
def test_photon_transfer_gives_gain_read_noise_and_full_well_back(iso):
    """EMVA 1288: variance is linear in the mean; slope is 1/gain, offset the read noise. Within 2 %."""
    means, variances = [], []
    size = (1600, 1200)
    for level in (0.0, 0.02, 0.1, 0.3, 0.6):
        plain = dict(iso=iso, ev=-0.3, lens=PERFECT)
        pair = [expose(_flat(level, size), Settings(seed=s, **plain)).mosaic.values.astype(float) for s in (1, 2)]
        green = [p[0::2, 1::2] - BLACK for p in pair]
        means.append(np.mean(green))
        # a count is a whole number: rounding adds a twelfth
        variances.append(np.var(green[0] - green[1]) / 2 - 1 / 12)
    slope = np.polyfit(means, variances, 1, w=1 / np.array(variances))[0]
    per_electron = (WHITE - BLACK) / electrons_full(iso)
    assert slope == pytest.approx(per_electron, rel=0.02)
    assert (WHITE - BLACK) / slope == pytest.approx(electrons_full(iso), rel=0.02)
    # the dark frame alone gives the read noise, once black is not cut off
    assert np.sqrt(variances[0]) == pytest.approx(read_noise_electrons(iso) * per_electron, rel=0.02)


def test_full_well_and_clipping():
    assert electrons_full(100) == FULL_WELL_ELECTRONS and electrons_full(400) == FULL_WELL_ELECTRONS / 4
    assert expose(_flat(9.0), Settings()).mosaic.values.max() == WHITE


def test_frames_are_deterministic_by_seed():
    first, again, other = (expose(_flat(0.3), Settings(seed=s)).mosaic.values for s in (1, 1, 2))
    assert (first == again).all() and (first != other).any()


def test_light_and_material_mix_linearly():
    scene = _flat(1.0, (32, 32))
    half = np.full((32, 32), 0.5, np.float32)
    scene.put("grey", half)
    expected = (0.5 * reflectance("white") + 0.5 * reflectance("grey")) * light_spectrum("daylight:5003")
    np.testing.assert_allclose(scene.seen_through(sensitivities())[3, 3], expected @ sensitivities(), rtol=1e-4)
    scene.glow("d", half)
    assert scene.XYZ()[0, 0, 1] > 0.5
    assert scene.light_shares()["d"].min() == pytest.approx(1.0)


def test_a_window_of_a_scene_shares_its_maps():
    scene = _flat(1.0, (32, 32))
    part = scene.window((slice(4, 8), slice(10, 20)))
    part.put("grey", np.ones((4, 10), np.float32))
    part.shade(np.full((4, 10), 0.5, np.float32))
    assert scene.materials["grey"].sum() == 40 and scene.materials["white"][5, 12] == 0
    assert scene.irradiance["d"][5, 12] == 0.5 and scene.irradiance["d"][0, 0] == 1.0


def test_a_scene_is_enlarged():
    small = scene_of("two-light-wall", (60, 40))
    small.depth_m = np.full((40, 60), 3.0, np.float32)
    small.depth_m[:, 30:] = 5.0
    large = small.enlarged((120, 80))
    assert set(np.unique(large.depth_m)) == {3.0, 5.0}, "no depth lies between two things"
    seen = large.XYZ()
    assert np.abs(seen[::2, ::2] - small.XYZ()).mean() < 0.01 * seen.mean()


def test_reflectances_are_possible():
    assert fitting_set().min() >= 0 and fitting_set().max() <= 1 and len(chart_patches()) == 24
    with pytest.raises(ArgumentError, match="material"):
        reflectance("unobtainium")


def test_matrices_keep_white():
    for calibration, light in zip(camera_colour().calibrations, ("A", "daylight:6504"), strict=True):
        from matiz.colour.tables import observer_bands

        spectrum = light_spectrum(light)
        np.testing.assert_allclose(
            calibration.color_matrix @ (spectrum @ observer_bands()), spectrum @ sensitivities(), rtol=1e-6
        )


@pytest.mark.parametrize("name", sorted(SCENES))
def test_every_scene_makes_a_file_that_rawpy_develops(name, tmp_path):
    frame = simulate(name, (240, 160), Settings(ev=-1.0), view=1)
    write_frame(frame, tmp_path / "a.dng")
    with rawpy.imread(str(tmp_path / "a.dng")) as raw:
        pixels = raw.postprocess(use_camera_wb=True, no_auto_bright=True)
    assert pixels.shape == (160, 240, 3) and 5 < pixels.mean() < 250


def test_scenes_know_their_truth():
    scene = SCENES["grain-hall"](SMALL, 0)
    x, y, w, h = scene.areas["grey card"]
    XYZ = scene.XYZ()[y : y + h, x : x + w]
    lights = scene.light_shares()
    assert w > 30 and np.ptp(XYZ[..., 1]) < XYZ[..., 1].mean()
    assert lights["window"][y, x] + lights["lanterns"][y, x] == pytest.approx(1.0, abs=1e-5)
    lizard = SCENES["lava-lizard"](SMALL, 0)
    assert 1.0 < lizard.depth_m.min() < 1.3
    assert 0.02 < lizard.masks["subject"].mean() < 0.3 and lizard.masks["eye"].max() > 0.5


def test_the_demo_shoot_goes_on_where_it_was_stopped(tmp_path):
    making = make_demo(tmp_path, size=(120, 80))
    done, count, name = next(making)
    making.close()
    assert (done, count) == (1, len(DEMO_SHOTS)) and (tmp_path / name).exists()
    left = missing_shots(tmp_path)
    assert 0 < len(left) < len(DEMO_SHOTS)
    assert [count for _, count, _ in make_demo(tmp_path, size=(120, 80))] == [len(left)] * len(left)
    assert missing_shots(tmp_path) == [] and not list(tmp_path.glob("*.part"))
    assert {s.name.removesuffix(".dng") for s in DEMO_SHOTS} >= set(SHOTS)


def test_wrong_wishes_are_refused():
    with pytest.raises(ArgumentError, match="scene"):
        simulate("moon", SMALL, Settings())
    with pytest.raises(ArgumentError, match="size"):
        simulate("grey", (8, 8), Settings())
    for wrong in (dict(iso=1), dict(mosaic="3x3")):
        with pytest.raises(ArgumentError):
            Settings(**wrong)


def test_textures():
    assert smoothstep(0, 1, [-1, 0.5, 2]).tolist() == [0, 0.5, 1]
    y, x = np.mgrid[0:64, 0:64].astype(np.float32) / 8
    gap, value = cells(x, y, seed=1)
    assert gap.min() >= 0 and 0 <= value.min() <= value.max() <= 1
