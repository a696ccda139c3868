"""Smears along one way: found where a picture was not held still, and not where it only leans."""

import cv2
import numpy as np
import pytest
import skimage.data
from bench.smear import line
from sklearn.datasets import load_sample_image

from matiz.colour.spaces import LUMINANCE, decode_sRGB
from matiz.findings.detail import smeared, soft
from matiz.measure.detail.blur import BlurReading, Smear, choose_patches
from matiz.measure.detail.smear import find_smear
from matiz.recipe.model import Recipe

SMEAR_PX, SMEAR_DEG = "detail.deblur.smear_px", "detail.deblur.smear_deg"


def patches_of(light):
    """Patches of a plane, as the program looks at them."""
    small = cv2.resize(light, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    regions, _ = choose_patches(small, 4, (light.shape[1], light.shape[0]))
    return [np.ascontiguousarray(light[y : y + h, x : x + w]) for x, y, w, h in regions]


def photographs():
    for seen in (skimage.data.astronaut(), skimage.data.coffee(), load_sample_image("china.jpg")):
        yield (decode_sRGB(seen / 255.0) @ LUMINANCE).astype(np.float32)


@pytest.mark.parametrize("went_px, deg", [(4.0, 0.0), (4.0, 60.0), (7.0, 20.0), (9.0, 110.0)])
def test_photographs_that_were_smeared_tell_how_far_and_which_way(went_px, deg):
    for light in photographs():
        found = find_smear(patches_of(cv2.filter2D(light, -1, line(went_px, deg))), 0.0)
        assert found is not None and found.went_px == pytest.approx(went_px, rel=0.2)
        assert abs((found.along_deg - deg + 90.0) % 180.0 - 90.0) <= 12.0


def test_photographs_as_they_are_and_those_out_of_focus_are_not_smeared():
    for light in photographs():
        assert find_smear(patches_of(light), 0.0) is None
        assert find_smear(patches_of(cv2.GaussianBlur(light, (0, 0), 2.0)), 0.0) is None


def test_layers_that_lean_at_all_sizes_alike_are_no_smear():
    """As of water and far hills: nothing stands upright, and nothing moved."""
    random = np.random.default_rng(3)
    white = np.fft.fft2(random.normal(size=(512, 512)))
    across, down = np.meshgrid(*[np.fft.fftfreq(512)] * 2)
    lean = np.exp(-2.0 * np.abs(across) / np.maximum(np.hypot(across, down), 1e-9))
    layers = np.real(np.fft.ifft2(white * lean / np.maximum(np.hypot(across, down), 1.0 / 512)))
    light = 0.2 + 0.04 * layers / layers.std()
    assert find_smear(patches_of(light.astype(np.float32)), 0.0) is None


def test_a_picture_that_was_followed_is_not_smeared():
    """Its middle is sharp: nothing shook."""
    for light in photographs():
        height, width = light.shape
        middle = np.zeros_like(light)
        middle[height // 4 : -height // 4, width // 4 : -width // 4] = 1.0
        share = cv2.GaussianBlur(middle, (0, 0), 5.0)
        seen = share * light + (1.0 - share) * cv2.filter2D(light, -1, line(5.0, 10.0))
        assert find_smear(patches_of(seen), 0.0) is None


def test_noise_and_few_patches_say_nothing():
    light = next(photographs())
    seen = cv2.filter2D(light, -1, line(7.0, 20.0))
    assert find_smear(patches_of(seen)[:4], 0.0) is None
    assert find_smear([np.full((9, 9), 0.2, np.float32)] * 9, 0.0) is None
    noise = 0.2
    noisy = seen + noise * np.sqrt(0.18 * np.maximum(seen, 0.0)) * np.random.default_rng(1).normal(size=seen.shape)
    assert find_smear(patches_of(noisy.astype(np.float32)), noise) is None


class Told:
    def __init__(self, smear, blur_px=0.7):
        self.blur = BlurReading(blur_px, 200, ((blur_px,),), smear=smear)


def test_a_smear_is_named_and_most_of_it_taken_back():
    plain = Recipe()
    (told,) = smeared(Told(Smear(2.0, 30.0)), plain)
    assert told.fix == ((SMEAR_PX, 1.8), (SMEAR_DEG, 30.0)) and "30" in told.claim
    (both,) = smeared(Told(Smear(2.0, 30.0), 1.6), plain)
    assert ("detail.deblur.blur_px", 1.6) in both.fix
    assert list(soft(Told(Smear(2.0, 30.0), 1.6), plain)) == [], "one finding says it"
    (far,) = smeared(Told(Smear(3.2, 30.0)), plain)
    assert not far.has_fix
    assert list(smeared(Told(Smear(2.0, 30.0)), plain.change(SMEAR_PX, 1.0)[0])) == [], "taken up"
    assert list(smeared(Told(None), plain)) == []
