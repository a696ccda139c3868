"""Pictures are compared by a few hundred lightnesses."""

import cv2
import numpy as np
import pytest
import skimage.data
from sklearn.datasets import load_sample_image

from matiz.colour.spaces import decode_sRGB
from matiz.measure.sort.look import LOOK_PX, lightnesses, likeness, look_of

PHOTOGRAPHS = {
    "astronaut": skimage.data.astronaut, "coffee": skimage.data.coffee, "cat": skimage.data.chelsea,
    "rocket": skimage.data.rocket, "china": lambda: load_sample_image("china.jpg"),
    "flower": lambda: load_sample_image("flower.jpg"),
}  # fmt: skip


def look(picture) -> str:
    return look_of(decode_sRGB(np.asarray(picture, np.float64) / 255.0).astype(np.float32))


def cut(picture, share: float):
    """Nine tenths of a picture each way, so far from its corner."""
    height, width = picture.shape[:2]
    top, left = int(height * share / 2), int(width * share)
    return picture[top : top + int(0.9 * height), left : left + int(0.9 * width)]


def test_a_look_is_lightness_row_by_row():
    picture = np.zeros((80, 120, 3), np.uint8)
    picture[:40], picture[40:, 60:] = 255, 119
    seen = lightnesses(look(picture))
    assert seen.shape == LOOK_PX[::-1]
    assert seen[:7].min() == 100 and seen[9:, :11].max() == 0 and seen[9:, 13:].mean() == pytest.approx(50.0, abs=1.0)
    with pytest.raises(ValueError, match="hex"):
        lightnesses("xy")
    with pytest.raises(ValueError, match="reshape"):
        lightnesses("0011")


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_a_picture_moved_a_little_is_like_itself_and_like_no_other(name):
    picture = PHOTOGRAPHS[name]()
    own = look(cut(picture, 0.0))
    assert likeness(own, own) > 0.999
    for share in (0.01, 0.03, 0.05):
        assert likeness(own, look(cut(picture, share))) > 0.8
    darker = (cut(picture, 0.0) * 0.6).astype(np.uint8)
    assert likeness(own, look(darker)) > 0.85, "as of a bracket"
    for other, make in PHOTOGRAPHS.items():
        if other != name:
            assert likeness(own, look(make())) < 0.6


def test_light_and_shade_alone_make_no_likeness():
    """Two pictures, light above and dark below, of other things."""
    shade = np.linspace(230.0, 40.0, 160)[:, None]
    one, other = (
        np.clip(shade + 25.0 * cv2.GaussianBlur(random.normal(size=(160, 240)), (0, 0), 8.0) * 8.0, 0, 255)
        for random in map(np.random.default_rng, (1, 2))
    )
    looks = [look(np.repeat(each[..., None], 3, axis=2)) for each in (one, other)]
    assert np.corrcoef(*(lightnesses(each).ravel() for each in looks))[0, 1] > 0.9
    assert likeness(*looks) < 0.6


def test_what_is_flat_is_like_nothing():
    flat = look(np.full((60, 90, 3), 128, np.uint8))
    assert likeness(flat, flat) == -1.0 == likeness(flat, look(skimage.data.coffee()))
