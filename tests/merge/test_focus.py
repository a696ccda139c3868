"""Frames focused differently merged, against each of them and against the scene."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.frame.laid import Laid
from matiz.develop.frame.sensor import Sensor
from matiz.merge.focus import merge_focus
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import PERFECT
from matiz_simcam.scenes.salt_pans import STANDPOINTS
from matiz_simcam.shoot import scene_of

from .moving import DAWN, moved_by

SIZE = (1500, 1000)
NEAR_M, FAR_M = STANDPOINTS[6].focus_m, 14.0
BREATHES = 1.02
SETTINGS = Settings(
    iso=100, time_s=1 / 240, f_number=5.6, focal_mm=24, ev=-0.2, lens=PERFECT, balance_xy=DAWN, focus_m=NEAR_M
)


class Breathing:
    """A scene seen a little larger: what a lens does that is focused further away."""

    def __init__(self, scene, zoom: float) -> None:
        self.scene, self.size = scene, scene.size
        self.at = moved_by(scene.size, 0.0, 0.0, 0.0, zoom)
        self.depth_m = self._seen(scene.depth_m)

    def _seen(self, image):
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        return cv2.warpPerspective(image, self.at, self.size, flags=flags, borderMode=cv2.BORDER_REFLECT)

    def seen_through(self, sensitivities):
        return self._seen(self.scene.seen_through(sensitivities))


@pytest.fixture(scope="module")
def pair():
    scene = scene_of("salt-pans", SIZE, view=6)
    near = replace(expose(scene, SETTINGS), path=Path("F_0.dng"))
    far = expose(Breathing(scene, BREATHES), replace(SETTINGS, focus_m=FAR_M, seed=2, ev=0.1))
    return near, replace(far, path=Path("F_1.dng"))


@pytest.fixture(scope="module")
def merged(pair):
    return merge_focus(pair)


def light(camera, frame):
    weights = (np.array([0.25, 0.5, 0.25]) / frame.colour.as_shot_neutral).astype(np.float32)
    return np.sqrt(np.maximum(camera @ weights, 0.0) + 1e-4)


def slopes(plane):
    """Power of slopes round each px: falls as the square of an edge's spread."""
    calm = cv2.GaussianBlur(plane, (0, 0), 0.8)
    across, down = cv2.Sobel(calm, -1, 1, 0, ksize=3) / 8.0, cv2.Sobel(calm, -1, 0, 1, ksize=3) / 8.0
    return cv2.GaussianBlur(across**2 + down**2, (0, 0), 12.0)


@pytest.fixture(scope="module")
def planes(pair, merged):
    near = Laid(Sensor(pair[0])).seen((0, 0, *SIZE))[0]
    far = Laid(Sensor(pair[1]), merged.alignments[0]).seen((0, 0, *SIZE))[0]
    gain = 2.0 ** merged.frame.merged.exposures_EV[1]
    return [light(each, pair[0]) for each in (near, far / np.float32(gain), merged.frame.linear)]


def test_it_is_as_sharp_as_the_sharper_frame_everywhere(planes):
    """Edge spread within a tenth: the power of slopes falls as its square."""
    near, far, made = (slopes(plane) for plane in planes)
    best = np.maximum(near, far)
    lively = best > np.percentile(best, 30)
    inner = np.zeros_like(lively)
    inner[30:-30, 30:-30] = True
    spread = np.sqrt(best / made)[lively & inner]
    assert np.percentile(spread, 99) < 1.10 and np.median(spread) < 1.01
    # neither frame is it alone
    assert np.percentile(np.sqrt(best / near)[lively & inner], 90) > 1.3
    assert np.percentile(np.sqrt(best / far)[lively & inner], 90) > 1.3


def test_no_halo_is_made(planes):
    """Nowhere is the merged light outside of what the frames hold near by, by more than 2 L*."""
    near, far, made = ((116.0 * np.cbrt(np.maximum(plane**2 - 1e-4, 1e-3) / 0.8) - 16.0) for plane in planes)
    around = np.ones((5, 5), np.uint8)
    highest = np.maximum(cv2.dilate(near, around), cv2.dilate(far, around))
    lowest = np.minimum(cv2.erode(near, around), cv2.erode(far, around))
    outside = np.maximum(made - highest, lowest - made)[20:-20, 20:-20]
    assert outside.max() < 2.0


def test_breathing_and_exposure_are_taken_back(merged):
    zoom = np.sqrt(np.linalg.det(merged.alignments[0].homography[:2, :2]))
    assert zoom == pytest.approx(1.0 / BREATHES, abs=0.0008)
    assert merged.frame.merged.exposures_EV[1] == pytest.approx(0.3, abs=0.02)
    assert merged.frame.merged.kind == "focus"


def test_each_gives_what_it_holds_sharp(merged):
    """The pan at the photographer's feet is of the near frame, the hills are of the far one."""
    height, _width = merged.whose.shape
    assert (merged.whose[int(0.9 * height) :] == 0).mean() > 0.98
    assert (merged.whose[int(0.28 * height) : int(0.4 * height)] == 1).mean() > 0.95
    assert sum(merged.shares) == pytest.approx(1.0, abs=0.01) and min(merged.shares) > 0.2


def test_detail_is_told_alike_in_frames_exposed_otherwise(pair):
    from matiz.merge.focus import _detail

    scene = scene_of("salt-pans", SIZE, view=6)
    darker = expose(scene, replace(SETTINGS, ev=SETTINGS.ev - 1.0, seed=5))
    own, other = _detail(Laid(Sensor(pair[0])), 1.0), _detail(Laid(Sensor(darker)), 0.5)
    lively = own > np.percentile(own, 70)
    assert np.median(other[lively] / own[lively]) == pytest.approx(1.0, abs=0.1)


def test_frames_that_are_alike_stay_what_they_are(pair):
    made = merge_focus([pair[0], replace(pair[0], path=Path("F_2.dng"))]).frame.linear
    own = Laid(Sensor(pair[0])).seen((0, 0, *SIZE))[0]
    inner = np.s_[16:-16, 16:-16]
    assert np.abs(made - own)[inner].mean() < 1e-3
