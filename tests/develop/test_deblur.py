"""Blur taken back."""

import cv2
import numpy as np
import pytest
import skimage.data
from bench.smear import line
from skimage.metrics import peak_signal_noise_ratio

from matiz.colour.spaces import decode_sRGB, encode_sRGB
from matiz.develop.frame.noise import RENDERED, added_noise
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.deblur import Blur, sharper, wiener
from matiz.measure.picture import Meter
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import Lens

BACK, SMEAR, ALONG = "detail.deblur.blur_px", "detail.deblur.smear_px", "detail.deblur.smear_deg"
GREY = np.ones(3, np.float32)


def slanted(blur_px: float) -> Engine:
    lens = Lens(blur_px=blur_px)
    return Engine(expose(targets.slanted_edge((600, 400)), Settings(ev=-0.5, lens=lens)))


@pytest.mark.parametrize("sigma", [1.0, 1.5, 2.0, 2.5])
def test_edges_are_a_third_steeper_and_hardly_overshoot(sigma):
    """Of a Gaussian the frequency at which half the contrast is left goes with one over its spread."""
    engine, recipe = slanted(sigma), Recipe().change(BACK, sigma)[0]
    meter = Meter(engine)
    before, after = meter.take(recipe, "blur").blur_px, meter.take(recipe, "blur_after").blur_px
    assert before > 1.3 * after
    camera = engine.render(recipe, 0, (200, 50, 200, 300), result="camera")[..., 1]
    plain = engine.render(Recipe(), 0, (200, 50, 200, 300), result="camera")[..., 1]
    step = np.quantile(plain, 0.9) - np.quantile(plain, 0.1)
    assert camera.max() < plain.max() + 0.07 * step and camera.min() > plain.min() - 0.07 * step


def test_photographs_come_nearer_to_what_they_were():
    """Blurred by a Gaussian that is known; skimage.restoration's Richardson-Lucy is named beside it in `bench`."""
    for seen in (skimage.data.astronaut()[:256], skimage.data.coffee()[:256]):
        light = (decode_sRGB(seen / 255.0) @ np.array([0.2126, 0.7152, 0.0722])).astype(np.float32)
        noise = 0.001 * np.random.default_rng(1).normal(size=light.shape) * np.sqrt(light + 0.01)
        blurred = (cv2.GaussianBlur(light, (0, 0), 1.5) + noise).astype(np.float32)
        made = sharper(blurred, wiener(Blur(1.5)), 1.5, 1e-6, RENDERED, GREY)
        psnr = [peak_signal_noise_ratio(encode_sRGB(light), encode_sRGB(np.clip(each, 0, 1)), data_range=1.0)
                for each in (blurred, made)]  # fmt: skip
        assert psnr[1] > psnr[0] + 1.5


def test_noise_is_left_as_it_is():
    engine = Engine(expose(targets.wedge((600, 400)), Settings(iso=3200.0, ev=-1.0)))
    recipe = Recipe().change(BACK, 1.5)[0]
    area = (398, 100, 20, 200)
    plain, made = (engine.render(each, 0, area, result="camera") for each in (Recipe(), recipe))
    assert made[..., 1].std() < 1.05 * plain[..., 1].std()


def test_what_a_filter_adds_of_noise_is_foreseen():
    kernel = wiener(Blur(1.2))
    noise = np.random.default_rng(1).normal(size=(400, 400)).astype(np.float32)
    added = (cv2.filter2D(noise, cv2.CV_32F, kernel) - noise)[30:-30, 30:-30]
    assert added_noise(np.ones((8, 8)), kernel) == pytest.approx(added.std(), rel=0.1)
    assert kernel.sum() == pytest.approx(1.0, abs=1e-4) and (kernel == kernel.T).all()


def test_what_is_cut_off_stays():
    recipe = Recipe().change(BACK, 1.5)[0]
    bright = Engine(expose(targets.slanted_edge((600, 400)), Settings(ev=1.5, lens=Lens(blur_px=1.5))))
    plain, made = (bright.render(each, 0, (200, 100, 200, 200), result="camera") for each in (Recipe(), recipe))
    full = plain.max(axis=2) >= 0.97
    assert full.any() and (plain[full] == made[full]).all()


def test_tiles_and_levels_agree_and_none_is_none():
    engine, recipe = slanted(1.5), Recipe().change(BACK, 1.5)[0]
    whole = engine.render(recipe, 0, (0, 0, 600, 400), result="camera")
    part = Engine(engine.frame).render(recipe, 0, (210, 90, 150, 120), result="camera")
    assert np.abs(whole[90:210, 210:360] - part).max() < 1e-5
    plain = engine.render(Recipe(), 0, (0, 0, 600, 400), result="camera")
    assert np.abs(whole - plain).max() > 0.02
    sharpened = Recipe().change("detail.sharpen.amount_percent", 9.0)[0]
    assert engine.digest(Recipe(), "camera") == engine.digest(sharpened, "camera"), "made again for nothing"
    assert engine.digest(recipe, "camera") != engine.digest(Recipe().change(BACK, 1.4)[0], "camera")
    # at a quarter of the size 1.5 px are too few to see
    assert (engine.render(recipe, 3, result="camera") == engine.render(Recipe(), 3, result="camera")).all()


def smeared_photograph(went_px, deg):
    seen = decode_sRGB(skimage.data.coffee()[:384, :512] / 255.0)
    light = (seen @ np.array([0.2126, 0.7152, 0.0722])).astype(np.float32)
    return light, cv2.filter2D(light, -1, line(went_px, deg))


@pytest.mark.parametrize("deg", [0.0, 35.0, 90.0, 140.0])
def test_a_smear_is_taken_back_the_way_that_it_went(deg):
    light, seen = smeared_photograph(6.0, deg)

    def dB(made):
        return peak_signal_noise_ratio(encode_sRGB(light), encode_sRGB(np.clip(made, 0, 1)), data_range=1.0)

    def back(along):
        blur = Blur(0.0, 6.0 / 12.0**0.5, along)
        return sharper(seen, wiener(blur), blur.longest, 1e-6, RENDERED, GREY)

    assert dB(back(deg)) > dB(seen) + 1.0
    assert dB(back(deg)) > dB(back(deg + 45.0)) + 1.0 and dB(back(deg)) > dB(back(deg - 45.0)) + 1.0


def test_across_a_smear_next_to_nothing_is_changed():
    light = np.repeat(np.linspace(0.1, 0.5, 200, dtype=np.float32)[:, None] ** 2, 240, axis=1)
    light[100:] += 0.2
    made = sharper(light, wiener(Blur(0.0, 2.0, 0.0)), 2.0, 1e-6, RENDERED, GREY)
    assert np.abs(made - light).max() < 0.05 * 0.2


def test_what_a_filter_that_is_longer_one_way_adds_of_noise_is_foreseen():
    noise = np.random.default_rng(1).normal(size=(400, 400)).astype(np.float32)
    for deg in (0.0, 45.0, 120.0):
        kernel = wiener(Blur(0.0, 1.5, deg))
        added = (cv2.filter2D(noise, cv2.CV_32F, kernel) - noise)[30:-30, 30:-30]
        assert added_noise(np.ones((8, 8)), kernel) == pytest.approx(added.std(), rel=0.15)


def test_a_smear_alone_is_taken_back_in_the_picture_and_its_way_counts():
    engine = slanted(1.0)
    level, upright = (Recipe().change_all([(SMEAR, 1.5), (ALONG, deg)], label="x")[0] for deg in (0.0, 90.0))
    plain, along, across = (engine.render(each, 0, (250, 100, 100, 200), result="camera")[..., 1]
                            for each in (Recipe(), level, upright))  # fmt: skip
    # the edge is nearly upright: it is steeper by what is taken back along level
    steepest = [np.abs(np.diff(each[90:110], axis=1)).max(axis=1).mean() for each in (plain, along, across)]
    assert steepest[1] > 1.08 * steepest[0] and steepest[2] < 1.03 * steepest[0]


def test_blacks_of_a_photograph_stay_numbers():
    """Sums that run along a row round below nothing."""
    light = (decode_sRGB(skimage.data.astronaut() / 255.0) @ np.array([0.2126, 0.7152, 0.0722])).astype(np.float32)
    assert np.isfinite(sharper(light, wiener(Blur(1.5)), 1.5, 1e-6, RENDERED, GREY)).all()
