"""Faults of a sensor are found in the frame and mended; what only looks like one is left alone."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.kernels.levels import mended
from matiz.raw.frame import Frame
from matiz.raw.pattern import fixed_pattern
from matiz.raw.sensor import Sensor, noise_of
from matiz.simcam import targets
from matiz.simcam.camera import Settings, expose, light_spectrum
from matiz.simcam.lens import KIT, PERFECT
from matiz.simcam.scene import Scene
from matiz.simcam.sensor import CLEAN, Faults
from matiz.simcam.shoot import DEMO_SHOTS, simulate

SIZE = (900, 600)


def textured(faults: Faults, iso: float = 400.0) -> Frame:
    """The lizard on its rock, as a camera with these faults takes it."""
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    return simulate(shot.scene, SIZE, replace(shot.settings, iso=iso, faults=faults))


def grey(value: float) -> Scene:
    ones = np.full((SIZE[1], SIZE[0]), value, np.float32)
    scene = Scene(SIZE, {"d": light_spectrum("daylight:5003")}, {"d": ones})
    scene.put("white", np.ones_like(ones))
    return scene


def test_hot_photosites_are_mended_and_nothing_else_is():
    clean, hot = textured(CLEAN), textured(Faults(hot_share=2e-4, hot_electrons_per_s=1.5e7, seed=4))
    is_hot = hot.mosaic.values.astype(int) - clean.mosaic.values > 400
    assert 20 < is_hot.sum() < 200
    shot, read = noise_of(hot)
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
    shot, read = noise_of(frame)
    out = mended(values, shot=shot, read=read)
    assert out.sum() == pytest.approx(values.sum(), rel=0.002)
    assert (out != values).sum() <= 4, "a few of the faintest, lost in noise"


def test_a_fixed_pattern_is_found_in_a_textured_frame_and_taken_away():
    faults = Faults(dark_columns=((0.2137, 60.0), (0.7841, 80.0)))
    dirty = textured(faults, iso=100.0)
    found = fixed_pattern(dirty.mosaic, noise_of(dirty))
    places = [int(0.2137 * SIZE[0]), int(0.7841 * SIZE[0])]
    assert set(np.flatnonzero(found.columns)) == set(places) and not found.rows.any()
    np.testing.assert_allclose(found.columns[places], [-60.0, -80.0], rtol=0.25)
    frame = expose(grey(0.2), Settings(iso=100, lens=PERFECT, faults=faults))
    camera = Sensor(frame).read(0, (0, 0, *SIZE))[..., 1]
    mean = camera.mean(axis=0)
    assert abs(mean[places[0]] - np.median(mean)) < 5.0 / 15_488


def test_a_clean_frame_has_no_pattern_and_an_edge_is_none():
    clean = textured(CLEAN)
    assert not fixed_pattern(clean.mosaic, noise_of(clean)).columns.any()
    scene = grey(0.2)
    scene.irradiance["d"][:, 400:] = 0.5
    scene.irradiance["d"][:, 200] = 0.3
    plain = expose(scene, Settings(lens=replace(PERFECT, blur_px=0.6)))
    found = fixed_pattern(plain.mosaic, noise_of(plain))
    assert not found.columns.any() and not found.rows.any()


def test_noise_without_a_profile_is_that_of_a_common_sensor():
    frame = expose(grey(0.2), Settings(iso=800))
    shot, read = noise_of(frame)
    guess_shot, guess_read = noise_of(replace(frame, noise_profile=()))
    assert 0.3 < guess_shot / shot < 3.0 and 0.3 < guess_read / read < 10.0
