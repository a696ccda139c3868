"""Streaks are found in nights, and only there."""

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.colour.spaces import decode_sRGB
from matiz.measure.sort.brief import brief_of
from matiz.measure.sort.streak import LONG_SIDE, streak_share
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose

SIZE = (1500, 1000)


def night(light: float, *, seed: int = 3, time_s: float = 8.0):
    """Stars, and a line of so much light from (300, 150) to (1050, 675)."""
    scene = targets.star_field(SIZE, count=300)
    drawn = np.zeros(SIZE[::-1], np.uint8)
    cv2.line(drawn, (300, 150), (1050, 675), 255, 1, cv2.LINE_AA)
    scene.glow(next(iter(scene.emission)), (drawn / 255.0 * light).astype(np.float32))
    return expose(scene, Settings(iso=3200, time_s=time_s, f_number=2.8, seed=seed, ev=2.0))


def test_a_satellite_is_found_and_stars_are_none():
    assert brief_of(night(0.0)).streak == 0.0
    length = np.hypot(750.0, 525.0) / SIZE[0]
    assert brief_of(night(0.05)).streak == pytest.approx(length, abs=0.03)
    assert brief_of(night(0.05, time_s=0.5)).streak is None, "too short for a night"


def test_a_row_of_stars_is_no_streak():
    sky = np.full((400, 600), 0.002, np.float32)
    sky[200, 60:540:16] = 0.2
    assert streak_share(sky, 8.0) == 0.0
    sky[200, 60:540] = 0.2
    assert streak_share(sky, 8.0) == pytest.approx(0.8, abs=0.01)


def test_a_day_is_no_night():
    sky = np.full((400, 600), 0.002, np.float32)
    assert streak_share(sky * 100.0, 8.0) is None and streak_share(sky, None) is None
    assert streak_share(sky, 0.5) is None and streak_share(sky, 8.0) == 0.0
    assert SIZE[0] == LONG_SIDE


# a cat's whiskers are thin, bright and straight: that others of the night have none must be asked too
@pytest.mark.parametrize("name", ["coffee", "astronaut", "rocket"])
def test_edges_of_dark_pictures_are_no_streaks(name):
    picture = cv2.resize(getattr(skimage.data, name)(), SIZE, interpolation=cv2.INTER_CUBIC)
    dark = decode_sRGB(picture / 255.0)[..., 1].astype(np.float32) * 0.1
    assert streak_share(dark, 8.0) < 0.1
