"""Clipped channels: rebuilt from the others with the colour round about, smooth, and never magenta."""

import numpy as np
import pytest

from matiz.develop.frame.highlights import ratios_around
from matiz.develop.graph.engine import Engine
from matiz.measure.picture import Meter
from matiz.measure.tone.patches import rebuilt_share
from matiz.recipe.model import Recipe
from matiz_simcam.camera import IDEAL, Settings, expose, light_spectrum
from matiz_simcam.scene import Scene

SIZE = (480, 320)


def glowing(warm_K: float = 2400.0) -> Scene:
    """A soft round lamp of a strong colour on a dark ground, far beyond what the sensor holds in its middle."""
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
    dark = np.full((SIZE[1], SIZE[0]), 0.01, np.float32)
    scene = Scene(SIZE, {"d": light_spectrum("daylight:5003")}, {"d": dark})
    scene.put("grey", np.ones_like(dark))
    scene.glows["lamp"] = light_spectrum(f"planck:{warm_K:.0f}")
    scene.glow("lamp", (3.0 * np.exp(-((x - 240) ** 2 + (y - 160) ** 2) / 70.0**2)).astype(np.float32))
    return scene


def working(ev: float) -> tuple[np.ndarray, np.ndarray]:
    """Scene-linear picture of the lamp, and where how many raw channels are full."""
    frame = expose(glowing(), Settings(ev=ev, **IDEAL))
    engine = Engine(frame)
    full = engine.render(Recipe(), 0, result="camera") > 0.99
    return engine.render(Recipe(), 0, result="working"), full.sum(axis=2)


def test_a_channel_that_clips_is_rebuilt_to_what_it_was():
    clipped, full = working(0.0)
    truth, none = working(-3.0)
    assert none.max() == 0 and (full == 1).sum() > 1500
    one = full == 1
    error = np.abs(clipped - truth * 8.0) / (truth * 8.0).max(axis=2, keepdims=True)
    assert np.median(error[one]) < 0.05 and np.quantile(error[one], 0.95) < 0.12


def test_hue_goes_over_without_magenta_or_an_edge():
    clipped, full = working(0.0)
    row = clipped[160, 60:420]
    # chromaticity along a line through the lamp: no step larger than a few per cent, no green below both others
    share = row / row.sum(axis=1, keepdims=True)
    bright = row.max(axis=1) > 0.2
    assert np.abs(np.diff(share, axis=0))[bright[1:] & bright[:-1]].max() < 0.04
    assert ((share[:, 1] > share[:, 2]) | ~bright).all(), "a warm light never turns magenta"
    assert full.max() >= 2


def test_where_all_is_lost_the_light_is_white():
    clipped, full = working(3.0)
    lost = clipped[full == 3]
    spread = lost.max(axis=1) / lost.min(axis=1)
    assert np.median(spread) < 1.1


@pytest.mark.parametrize("level", [1, 2])
def test_every_level_is_rebuilt_alike(level):
    frame = expose(glowing(), Settings(ev=0.0, **IDEAL))
    engine = Engine(frame)
    full = engine.render(Recipe(), 0, result="working")
    step = 2**level
    mean = full.reshape(SIZE[1] // step, step, SIZE[0] // step, step, 3).mean(axis=(1, 3))
    small = engine.render(Recipe(), level, result="working")
    assert np.abs(small - mean).mean() < 0.01 * mean.mean()
    x, y, w, h = (100 >> level, 60 >> level, 80, 40)
    part = engine.render(Recipe(), level, (x, y, w, h), result="working")
    np.testing.assert_allclose(part, small[y : y + h, x : x + w], atol=1e-4)


def test_the_share_that_is_rebuilt_is_read():
    frame = expose(glowing(), Settings(ev=0.0, **IDEAL))
    engine = Engine(frame)
    camera = engine.render(Recipe(), 0, result="camera")
    full = (camera > 0.99).sum(axis=2)
    share = ((full > 0) & (full < 3)).mean()
    assert rebuilt_share(camera) == pytest.approx(share, rel=0.01)
    assert Meter(engine).picture(Recipe()).full.rebuilt == pytest.approx(share, rel=0.2)


def test_nothing_clipped_needs_no_colours_and_fills_are_means():
    frame = expose(glowing(), Settings(ev=-3.0, **IDEAL))
    assert Engine(frame).sensor.highlights is None
    camera = np.full((16, 16, 3), 0.5, np.float32) * np.array([1.0, 1.0, 0.5], np.float32)
    camera[4:12, 4:12] = 1.0
    filled = ratios_around(camera, 1.0)
    np.testing.assert_allclose(filled[..., 0], 0.0, atol=0.02)
    np.testing.assert_allclose(filled[..., 1], -1.0, atol=0.02)
