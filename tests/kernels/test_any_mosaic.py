"""6x6 mosaics: colour, place and quality of the interpolation."""

import cv2
import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB, encode_sRGB
from matiz.develop.frame.sensor import region
from matiz.errors import ArgumentError
from matiz.kernels.any_mosaic import demosaic_any
from matiz_simcam.camera import IDEAL, Settings
from matiz_simcam.sensor import PATTERNS
from matiz_simcam.shoot import simulate
from tests.kernels.test_kernels import _photographs, _psnr

PATTERN = PATTERNS["6x6"]


def mosaicked(linear: np.ndarray) -> np.ndarray:
    height, width = linear.shape[:2]
    places = np.tile(PATTERN, (-(-height // 6), -(-width // 6)))[:height, :width, None]
    return np.take_along_axis(linear, places.astype(int), axis=2)[..., 0].astype(np.float32)


def interpolated(mosaic: np.ndarray) -> np.ndarray:
    return demosaic_any(np.ascontiguousarray(mosaic, np.float32), PATTERN, np.ones(3, np.float32))


def channel_by_channel(mosaic: np.ndarray) -> np.ndarray:
    """The plain way, for comparison: each channel from its own samples nearby."""
    height, width = mosaic.shape
    places = np.tile(PATTERN, (-(-height // 6), -(-width // 6)))[:height, :width]
    out = np.empty((height, width, 3), np.float32)
    for channel in range(3):
        here = (places == channel).astype(np.float32)
        out[..., channel] = cv2.GaussianBlur(mosaic * here, (7, 7), 1.0) / cv2.GaussianBlur(here, (7, 7), 1.0)
    return out


def test_an_even_colour_comes_back():
    colour = np.array([0.2, 0.5, 0.35])
    out = interpolated(mosaicked(np.broadcast_to(colour, (60, 66, 3))))
    np.testing.assert_allclose(out[12:-12, 12:-12].reshape(-1, 3), np.broadcast_to(colour, (36 * 42, 3)), atol=2e-3)


def test_a_photosite_keeps_its_own_value():
    linear = np.random.default_rng(5).random((48, 54, 3))
    mosaic = mosaicked(linear)
    np.testing.assert_allclose(mosaicked(interpolated(mosaic)), mosaic, atol=1e-5)


def test_values_below_black_stay_finite():
    mosaic = np.random.default_rng(6).normal(0, 0.01, (48, 54)).astype(np.float32)
    assert np.isfinite(interpolated(mosaic)).all()


def test_photographs_come_back_far_better_than_channel_by_channel():
    """CPSNR on sRGB-encoded 8-bit values, borders of 8 px left out, photographs of scikit-image and scikit-learn."""
    ours, plain = [], []
    for photograph in _photographs():
        mosaic = mosaicked(decode_sRGB(photograph / 255.0))
        for way, found in ((interpolated, ours), (channel_by_channel, plain)):
            found.append(_psnr(encode_sRGB(np.clip(way(mosaic), 0, 1)) * 255, photograph))
    assert np.mean(ours) > np.mean(plain) + 4.0 and np.mean(ours) > 32.5


@pytest.mark.parametrize("area", [(0, 0, 40, 30), (31, 17, 50, 40), (90, 60, 60, 40)])
def test_a_region_is_the_same_as_that_part_of_the_whole(area):
    frame = simulate("lava-lizard", (150, 100), Settings(**{**IDEAL, "mosaic": "6x6"}))
    x, y, w, h = area
    whole = region(frame, (0, 0, 150, 100))
    np.testing.assert_allclose(region(frame, area), whole[y : y + h, x : x + w], atol=2e-4)


@pytest.mark.parametrize("size", [(16, 16), (17, 300), (129, 40)])
def test_any_size_of_any_period(size):
    """A 2x2 pattern and one of 3x2 through the same kernel: an even grey stays grey."""
    for pattern in ([[0, 1], [1, 2]], [[0, 1], [1, 2], [1, 1]]):
        grey = np.full(size[::-1], 0.3, np.float32)
        out = demosaic_any(grey, np.array(pattern, np.uint8), np.array([1.0, 2.0, 0.5], np.float32))
        np.testing.assert_allclose(out, np.broadcast_to([0.3, 0.6, 0.15], out.shape), atol=1e-4)


def test_what_is_wrong_is_said():
    one = np.ones(3, np.float32)
    with pytest.raises(ArgumentError, match="16x16"):
        demosaic_any(np.zeros((8, 40), np.float32), PATTERN, one)
    with pytest.raises(ArgumentError, match="red, green and blue"):
        demosaic_any(np.zeros((40, 40), np.float32), np.zeros((2, 2), np.uint8), one)
