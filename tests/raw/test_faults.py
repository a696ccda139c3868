"""Faults of a sensor are found in the frame and mended; what only looks like one is left alone."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB
from matiz.develop.frame.sensor import Sensor
from matiz.kernels.levels import mended
from matiz.measure.detail.noise import noise_reading
from matiz.raw.frame import Frame, Mosaic
from matiz.raw.noise import FLAT, PART, QUIET, QUIET_SHARE, Noise, _blocks, common_noise, measure_noise, noise_of
from matiz.raw.pattern import fixed_pattern
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose, light_spectrum
from matiz_simcam.lens import KIT, PERFECT
from matiz_simcam.scene import Scene
from matiz_simcam.sensor import CLEAN, SensorFaults, electrons_full, read_noise_electrons
from matiz_simcam.shoot import DEMO_SHOTS, scene_of, simulate

SIZE = (900, 600)


def textured(faults: SensorFaults, iso: float = 400.0, size: tuple[int, int] = SIZE) -> Frame:
    """The lizard on its rock, as a camera with these faults takes it."""
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    return simulate(shot.scene, size, replace(shot.settings, iso=iso, faults=faults))


def grey(value: float) -> Scene:
    ones = np.full((SIZE[1], SIZE[0]), value, np.float32)
    scene = Scene(SIZE, {"d": light_spectrum("daylight:5003")}, {"d": ones})
    scene.put("white", np.ones_like(ones))
    return scene


def known(frame: Frame) -> tuple[float, float]:
    return noise_of(frame).shot, noise_of(frame).read


def test_hot_photosites_are_mended_and_nothing_else_is():
    clean, hot = textured(CLEAN), textured(SensorFaults(hot_share=2e-4, hot_electrons_per_s=1.5e7, seed=4))
    is_hot = hot.mosaic.values.astype(int) - clean.mosaic.values > 400
    assert 20 < is_hot.sum() < 200
    shot, read = noise_of(hot).shot, noise_of(hot).read
    values = ((hot.mosaic.values - 512.0) / 15_488).astype(np.float32)
    truth = ((clean.mosaic.values - 512.0) / 15_488).astype(np.float32)
    out = mended(values, shot=shot, read=read)
    changed = out != values
    # those within an edge may stay: a photographer sees them as little
    assert (changed & is_hot).sum() > 0.9 * is_hot.sum()
    assert (changed & ~is_hot).sum() < 2e-5 * values.size
    assert np.abs(out - truth)[is_hot & changed].mean() < 0.02


def test_dead_photosites_are_mended():
    values = np.full((64, 64), 0.4, np.float32) + np.random.default_rng(1).normal(0, 0.004, (64, 64)).astype(np.float32)
    values[20, 31] = 0.0
    out = mended(values, shot=4e-5, read=1e-4)
    assert out[20, 31] == pytest.approx(0.4, abs=0.01) and (out != values).sum() == 1


@pytest.mark.parametrize("iso", [100, 3200])
def test_stars_are_kept(iso):
    """Even a point of light is spread by a lens over its neighbours."""
    scene = targets.star_field((600, 400), count=120)
    frame = expose(scene, Settings(iso=iso, lens=KIT, seed=3))
    values = ((frame.mosaic.values - 512.0) / 15_488).astype(np.float32)
    shot, read = noise_of(frame).shot, noise_of(frame).read
    out = mended(values, shot=shot, read=read)
    assert out.sum() == pytest.approx(values.sum(), rel=0.002)
    assert (out != values).sum() <= 4, "a few of the faintest, lost in noise"


def test_a_fixed_pattern_is_found_in_a_textured_frame_and_taken_away():
    faults = SensorFaults(dark_columns=((0.2137, 60.0), (0.7841, 80.0)))
    wide = (1500, 1000)
    dirty = textured(faults, iso=100.0, size=wide)
    found = fixed_pattern(dirty.mosaic, known(dirty))
    places = [int(0.2137 * SIZE[0]), int(0.7841 * SIZE[0])]
    there = [int(0.2137 * wide[0]), int(0.7841 * wide[0])]
    # the other column runs through too much detail to be sure of; what is not sure is left alone
    assert set(np.flatnonzero(found.columns)) == {there[1]} and not found.rows.any()
    assert found.columns[there[1]] == pytest.approx(-80.0, rel=0.25)
    smooth = expose(grey(0.2), Settings(iso=100, lens=KIT, faults=faults))
    found = fixed_pattern(smooth.mosaic, known(smooth))
    assert set(np.flatnonzero(found.columns)) == set(places) and not found.rows.any()
    np.testing.assert_allclose(found.columns[places], [-60.0, -80.0], rtol=0.1)
    frame = expose(grey(0.2), Settings(iso=100, lens=PERFECT, faults=faults))
    camera = Sensor(frame).read(0, (0, 0, *SIZE))[..., 1]
    mean = camera.mean(axis=0)
    assert abs(mean[places[0]] - np.median(mean)) < 5.0 / 15_488


def test_a_clean_frame_has_no_pattern_and_an_edge_is_none():
    clean = textured(CLEAN)
    assert not fixed_pattern(clean.mosaic, known(clean)).columns.any()
    scene = grey(0.2)
    scene.irradiance["d"][:, 400:] = 0.5
    scene.irradiance["d"][:, 200] = 0.3
    plain = expose(scene, Settings(lens=replace(PERFECT, blur_px=0.6)))
    found = fixed_pattern(plain.mosaic, known(plain))
    assert not found.columns.any() and not found.rows.any()


@pytest.fixture(scope="module")
def supper() -> Scene:
    """A scene with darks and lights, textured as rooms are."""
    return scene_of("grain-hall", (2400, 1600), view=2)


@pytest.mark.parametrize("iso", [100, 400, 1600, 6400, 12_800])
def test_gain_and_read_noise_come_back_from_one_textured_frame(supper, iso):
    """Both within 5 % of what the simulated sensor was given."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0053.dng")
    found = measure_noise(expose(supper, replace(shot.settings, iso=iso)).mosaic, common_noise(iso))
    full = electrons_full(iso)
    assert found.source == "frame" and found.blocks > 60
    assert found.shot == pytest.approx(1 / full, rel=0.05)
    assert found.read == pytest.approx(read_noise_electrons(iso) / full, rel=0.05)


def test_the_unevenness_of_a_sensor_is_not_taken_for_shot_noise():
    scene = grey(0.5)
    scene.irradiance["d"] *= np.linspace(0.002, 1.6, SIZE[0], dtype=np.float32)[None, :]
    frame = expose(scene, Settings(iso=100, ev=-0.8, lens=PERFECT, faults=SensorFaults(nonuniformity=0.008)))
    found = measure_noise(frame.mosaic, common_noise(100))
    assert found.unevenness == pytest.approx(0.008, rel=0.1)
    assert found.shot == pytest.approx(1 / electrons_full(100), rel=0.15)


def test_noise_by_profile_by_frame_and_by_iso(supper):
    frame = expose(supper, Settings(iso=1600))
    assert noise_of(frame).source == "file"
    assert noise_of(replace(frame, noise_profile=())).source == "frame"
    few = expose(targets.grey((64, 64)), Settings(iso=800))
    guess = noise_of(replace(few, noise_profile=()))
    assert guess.source == "ISO" and 0.3 < guess.shot / noise_of(few).shot < 3.0
    assert measure_noise(few.mosaic, common_noise(800)) is None


def test_signal_to_noise_per_zone_is_that_of_the_model():
    camera = np.full((20, 20, 3), 0.04, np.float32)
    camera[:10] = 0.5
    zone = np.where(np.arange(20)[:, None] < 10, 7, 3).repeat(20, axis=1)
    reading = noise_reading(Noise(1e-4, 1e-3), camera, zone)
    assert reading.zones_dB[7] == pytest.approx(20 * np.log10(0.5 / np.sqrt(0.5e-4 + 1e-6)), abs=1e-3)
    assert reading.zones_dB[3] == pytest.approx(20 * np.log10(0.04 / np.sqrt(4e-6 + 1e-6)), abs=1e-3)
    assert reading.zones_dB[5] is None


def test_what_the_quieter_blocks_of_pure_noise_give():
    plane = np.random.default_rng(2).normal(0.0, 1.0, (1800, 2700)).astype(np.float32)
    _, variance, spread = _blocks(plane)
    assert np.quantile(variance[spread < FLAT / PART**2], QUIET) == pytest.approx(QUIET_SHARE, abs=0.005)


@pytest.mark.parametrize("iso, most_dB", [(400, 3.0), (6400, 1.5)])
def test_fine_texture_is_not_taken_for_noise(iso, most_dB):
    """Signal over noise of mid-tones on a photograph full of texture, by a sensor that is not the common one: fur."""
    data = pytest.importorskip("skimage.data")
    linear = decode_sRGB(data.chelsea()[:, :450] / 255.0) * np.array([0.55, 1.0, 0.7])
    pattern = np.array([[0, 1], [1, 2]], np.uint8)
    places = np.tile(pattern, (150, 225))[..., None].astype(int)
    values = np.take_along_axis(linear, places, axis=2)[..., 0]
    full = 1.3 * 30_000.0 * 100.0 / iso
    true = Noise(1.0 / full, 5.0 / full)
    noisy = values + np.random.default_rng(1).normal(size=values.shape) * np.sqrt(true.variance(values))
    counts = np.clip(noisy * 15_488 + 512, 0, 16_383).round().astype(np.uint16)
    mosaic = Mosaic(counts, pattern, np.full((2, 2), 512, np.float32), 16_000.0)
    found = measure_noise(mosaic, common_noise(iso)) or common_noise(iso)
    for signal in (0.05, 0.18, 0.5):
        shown, truth = (n.shot * signal + n.read**2 for n in (found, true))
        assert abs(10.0 * np.log10(shown / truth)) < most_dB


def test_unevenness_is_no_noise_of_a_zone():
    camera, zone = np.full((20, 20, 3), 0.5, np.float32), np.full((20, 20), 7)
    even, uneven = (noise_reading(Noise(1e-4, 1e-3, each), camera, zone).zones_dB[7] for each in (0.0, 0.05))
    assert even == uneven
