"""Sideways colour fringes, recovered from simulated frames and from real photographs scaled per channel."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB
from matiz.measure.mend.fringes import read_fringes
from matiz.raw.frame import Mosaic
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import Lens
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.targets import grey

SIZE = (1500, 1000)


@pytest.fixture(scope="module", params=["lava-lizard", "grain-hall"])
def shot_and_scene(request):
    shot = next(s for s in DEMO_SHOTS if s.scene == request.param and s.view == 1)
    return shot, scene_of(shot.scene, SIZE, view=1)


@pytest.mark.parametrize("red, blue", [(0.0, 0.0), (2.0, -2.0), (-2.0, 2.0), (0.6, -0.8)])
def test_fringes_of_a_simulated_lens_come_back(shot_and_scene, red, blue):
    """Within 0.2 px at the corner."""
    shot, scene = shot_and_scene
    lens = Lens(fringe_red_px=red, fringe_blue_px=blue, blur_px=0.5)
    reading = read_fringes(expose(scene, replace(shot.settings, lens=lens)).mosaic)
    assert reading.red_px == pytest.approx(red, abs=0.2) and reading.blue_px == pytest.approx(blue, abs=0.2)
    assert reading.certainty > 0.5


def _scaled(plane: np.ndarray, factor: float) -> np.ndarray:
    height, width = plane.shape
    middle = ((width - 1) / 2, (height - 1) / 2)
    matrix = np.array([[factor, 0, middle[0] * (1 - factor)], [0, factor, middle[1] * (1 - factor)]])
    return cv2.warpAffine(plane, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT_101)


@pytest.mark.parametrize("red, blue", [(2.0, -2.0), (-1.0, 1.5)])
@pytest.mark.parametrize("name", ["china", "astronaut", "coffee"])
def test_a_real_photograph_scaled_per_channel(name, red, blue):
    """Photographs of scikit-learn and scikit-image: what is added to their own fringes is recovered within 0.2 px."""
    if name == "china":
        photograph = pytest.importorskip("sklearn.datasets").load_sample_image("china.jpg")[:426]
    else:
        photograph = getattr(pytest.importorskip("skimage.data"), name)()
    linear = decode_sRGB(photograph / 255.0).astype(np.float32)
    corner = np.hypot(*linear.shape[:2]) / 2

    def reading(*shifts: float):
        planes = [_scaled(np.ascontiguousarray(linear[..., c]), 1 + shift / corner) for c, shift in enumerate(shifts)]
        picture = np.dstack(planes)
        places = np.tile([[0, 1], [1, 2]], (picture.shape[0] // 2, picture.shape[1] // 2))[..., None]
        values = np.take_along_axis(picture, places, axis=2)[..., 0]
        counts = np.clip(values * 15_000 + 512, 0, 16_000).astype(np.uint16)
        pattern = np.array([[0, 1], [1, 2]], np.uint8)
        return read_fringes(Mosaic(counts, pattern, np.full((2, 2), 512, np.float32), 16_000.0))

    own, seen = reading(0.0, 0.0, 0.0), reading(red, 0.0, blue)
    assert seen.red_px - own.red_px == pytest.approx(red, abs=0.2)
    assert seen.blue_px - own.blue_px == pytest.approx(blue, abs=0.2)


def test_nothing_to_see_is_none():
    flat = expose(grey((400, 300)), Settings())
    assert read_fringes(flat.mosaic) is None
    assert read_fringes(expose(grey((120, 96)), Settings(mosaic="6x6")).mosaic) is None
