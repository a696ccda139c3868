"""A series merged to its mean: noise, stars that turn over ground that stands, a plane's trail."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.frame.alignment import Alignment
from matiz.develop.frame.laid import Laid
from matiz.develop.frame.sensor import Sensor
from matiz.errors import ArgumentError
from matiz.merge.align import AlignError
from matiz.merge.mean import merge_mean
from matiz.merge.stars import stars_aligned, stars_of
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import PERFECT
from matiz_simcam.shoot import scene_of

SIZE = WIDTH, HEIGHT = 1200, 800
FRAMES, TURN_DEG = 6, 0.15
SETTINGS = Settings(iso=3200, time_s=20, f_number=2.8, focal_mm=24, ev=3.0, lens=PERFECT)
POLE = np.array([0.6 * WIDTH, -0.4 * HEIGHT])


class Night:
    """Ground by starlight, a sky that turns about a pole, and a plane in it."""

    def __init__(self) -> None:
        self.size, self.depth_m = SIZE, None
        self.turn_deg, self.plane = 0.0, False
        random = np.random.default_rng(4)
        self.stars = random.uniform([-0.3 * WIDTH, -0.3 * HEIGHT], [1.3 * WIDTH, 1.3 * HEIGHT], (900, 2))
        self.light = 0.01 * 2.0 ** random.uniform(0.0, 6.0, 900)
        self.ridge = 0.45 * HEIGHT + 40 * np.sin(np.arange(WIDTH) / WIDTH * 9)
        self.sky = np.clip((self.ridge[None] - np.arange(HEIGHT)[:, None]) / 3 + 0.5, 0, 1).astype(np.float32)
        self._ground = None

    def at(self, turn_deg: float) -> np.ndarray:
        a = np.radians(turn_deg)
        return (self.stars - POLE) @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) + POLE

    def seen_through(self, sensitivities):
        if self._ground is None:
            self._ground = 0.006 * scene_of("salt-pans", SIZE, view=3).seen_through(sensitivities)
        glow = np.zeros((HEIGHT, WIDTH), np.float32)
        step = np.arange(-4, 5)
        for (x, y), light in zip(self.at(self.turn_deg), self.light, strict=True):
            column, row = round(x), round(y)
            if 5 < column < WIDTH - 5 and 5 < row < HEIGHT - 5:
                away = (step[None] + column - x) ** 2 + (step[:, None] + row - y) ** 2
                glow[row - 4 : row + 5, column - 4 : column + 5] += light * np.exp(-away / 2 / 0.8**2)
        if self.plane:
            cv2.line(glow, (120, 40), (1080, 240), 0.2, 2, cv2.LINE_AA)
        dusk = 0.006 + 0.004 * np.arange(HEIGHT)[:, None] / HEIGHT
        lit = (dusk + glow) * self.sky
        return (self._ground * (1.0 - self.sky[..., None]) + lit[..., None]).astype(np.float32)

    def frame(self, name: str, turn_deg: float, *, plane: bool = False, **changes):
        self.turn_deg, self.plane = turn_deg, plane
        return replace(expose(self, replace(SETTINGS, **changes)), path=Path(name))


@pytest.fixture(scope="module")
def night():
    return Night()


@pytest.fixture(scope="module")
def series(night):
    middle = FRAMES // 2
    return [night.frame(f"N_{n}.dng", TURN_DEG * (n - middle), plane=n == 1, seed=n + 1) for n in range(FRAMES)]


@pytest.fixture(scope="module")
def truth(night):
    return camera_of(night.frame("T.dng", 0.0, noise=False))


@pytest.fixture(scope="module")
def merged(series):
    return merge_mean(series)


def camera_of(frame):
    return Laid(Sensor(frame)).seen((0, 0, *SIZE))[0]


def off(camera, truth, where):
    return float(np.sqrt(((camera - truth)[where] ** 2).mean()))


def test_noise_falls_as_the_root_of_the_number(night, series, merged, truth):
    ground = night.sky < 0.01
    ground[-8:] = False
    one = off(camera_of(series[FRAMES // 2]), truth, ground)
    assert off(merged.frame.linear, truth, ground) < 1.15 * one / np.sqrt(FRAMES)
    assert merged.noise_left == pytest.approx(FRAMES**-0.5, abs=0.1)


def test_both_stars_and_ground_stand(night, merged, truth):
    """Each star keeps its light; the ground is as sharp as it was."""
    kept = []
    for (x, y), light in zip(night.stars, night.light, strict=True):
        column, row = round(x), round(y)
        if light > 0.15 and 12 < column < WIDTH - 12 and 12 < row < 0.33 * HEIGHT:
            here = np.s_[row - 5 : row + 6, column - 5 : column + 6, 1]
            around = np.s_[row - 8 : row + 9, column - 8 : column + 9, 1]
            found, true = ((c[here] - np.median(c[around])).sum() for c in (merged.frame.linear, truth))
            kept.append(found / true)
    assert len(kept) > 8 and np.percentile(np.abs(np.array(kept) - 1.0), 80) < 0.12
    assert 0.2 < merged.sky_share < 0.6 and len(merged.sky) == FRAMES - 1
    assert all(each is None for each in merged.ground), "a tripod's ground is not moved"


def test_a_plane_leaves_no_trail(night, merged, truth):
    trail = np.zeros((HEIGHT, WIDTH), np.uint8)
    cv2.line(trail, (120, 40), (1080, 240), 1, 5)
    stars = cv2.dilate((truth[..., 1] > 0.1).astype(np.uint8), np.ones((15, 15))) > 0
    there = (trail > 0) & ~stars
    assert abs(float((merged.frame.linear - truth)[there].mean())) < 0.002
    assert merged.left_out > 0.0


def test_held_by_the_ground_alone_stars_go_and_by_the_stars_ground_blurs(night, series, truth):
    ground, sky = (merge_mean(series[2:5], hold).frame.linear for hold in ("ground", "sky"))
    below = night.sky < 0.01
    below[-20:], below[:, :20], below[:, -20:] = False, False, False
    assert off(sky, truth, below) > 1.5 * off(ground, truth, below)
    bright = (truth[..., 1] > 0.3) & (night.sky > 0.99)
    away = [float(np.abs(each[..., 1] / truth[..., 1] - 1.0)[bright].mean()) for each in (ground, sky)]
    assert away[0] > 2.0 * away[1]


def test_stars_are_laid_within_a_fifth_of_a_px(night, series):
    one, other = (stars_of(Sensor(frame)) for frame in (series[3], series[5]))
    found = stars_aligned(one, other, SIZE)
    inside = (night.stars > 30).all(axis=1) & (night.stars[:, 0] < WIDTH - 30) & (night.stars[:, 1] < 0.35 * HEIGHT)
    own, to = night.stars[inside], night.at(2 * TURN_DEG)[inside]
    assert np.median(np.linalg.norm(found.at(own[:, 0], own[:, 1]) - to, axis=1)) < 0.2


def test_stars_that_moved_far_are_found_by_the_vote_of_most(night):
    one, other = (stars_of(Sensor(night.frame("S.dng", turn, seed=9))) for turn in (0.0, 3.0))
    found = stars_aligned(one, other, SIZE)
    own, to = night.stars, night.at(3.0)
    inside = (own > 60).all(axis=1) & (own[:, 0] < WIDTH - 60) & (own[:, 1] < 0.3 * HEIGHT)
    assert np.linalg.norm((to - own)[inside], axis=1).min() > 16.0
    assert np.median(np.linalg.norm(found.at(*own[inside].T) - to[inside], axis=1)) < 0.3


@pytest.mark.parametrize("seed", range(4))
def test_points_that_have_nothing_in_common_are_refused(seed):
    """So many that chance lays some of them near each other."""
    random = np.random.default_rng(seed)
    one, other = (random.uniform((0, 0), SIZE, (600, 2)) for _ in range(2))
    with pytest.raises(AlignError):
        stars_aligned(one, other, SIZE)


def test_what_goes_with_the_ground_is_no_star():
    """By day glints are points as well: they turn as little as what they lie on."""
    from matiz.merge.mean import _turns

    still = Alignment(size=SIZE)
    moved = Alignment(np.array([[1.0, 0.0, 9.0], [0.0, 1.0, -4.0], [0.0, 0.0, 1.0]]), size=SIZE)
    near = Alignment(np.array([[1.0, 0.0, 9.6], [0.0, 1.0, -4.3], [0.0, 0.0, 1.0]]), size=SIZE)
    assert not _turns([None, moved], [still, near], SIZE) and not _turns([None, None], [None, still], SIZE)
    assert _turns([None, None], [None, moved], SIZE) and _turns([None, moved], [None, still], SIZE)


def test_without_stars_the_sky_cannot_be_held():
    grey = scene_of("grey", SIZE)
    frames = [replace(expose(grey, replace(SETTINGS, ev=0.0, seed=n)), path=Path(f"G_{n}.dng")) for n in (1, 2, 3)]
    with pytest.raises(AlignError, match="stars"):
        merge_mean(frames, "sky")
    made = merge_mean(frames)
    assert made.sky == () and made.sky_share == 0.0
    assert made.noise_left == pytest.approx(3**-0.5, abs=0.03)
    with pytest.raises(ArgumentError, match="hold"):
        merge_mean(frames, "clouds")
