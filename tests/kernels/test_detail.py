"""The kernels of Detail against the same in NumPy and SciPy."""

import numpy as np
import pytest
from numpy.lib.stride_tricks import sliding_window_view
from scipy.fft import dctn, idctn

from matiz.errors import ArgumentError
from matiz.kernels.denoise import MARGIN_PX, SIDE, dct_kept, dct_weighed
from matiz.kernels.sharpen import BINS, sharpened

SPREAD = np.random.default_rng(7).uniform(0.5, 2.0, (SIDE, SIDE)).astype(np.float32)
rng = np.random.default_rng(3)
PLANE = (rng.normal(size=(60, 75)).cumsum(axis=1) + rng.normal(size=(60, 75))).astype(np.float32)


def by_scipy(plane, spread, least=0.0, guide=None):
    """Every block transformed, shrunk, turned back and averaged; the inner px."""
    blocks = dctn(sliding_window_view(plane.astype(float), (SIDE, SIDE)), axes=(2, 3), norm="ortho")
    if guide is None:
        gain = (np.abs(blocks) > least * spread).astype(float)
    else:
        led = dctn(sliding_window_view(guide.astype(float), (SIDE, SIDE)), axes=(2, 3), norm="ortho")
        gain = led**2 / (led**2 + spread.astype(float) ** 2)
    gain[..., 0, 0] = 1.0
    weight = 1.0 / (gain**2 * spread.astype(float) ** 2).sum(axis=(2, 3))
    back = idctn(gain * blocks, axes=(2, 3), norm="ortho") * weight[..., None, None]
    total, weights = np.zeros(plane.shape), np.zeros(plane.shape)
    rows, columns = weight.shape
    for i in range(SIDE):
        for j in range(SIDE):
            total[i : i + rows, j : j + columns] += back[:, :, i, j]
            weights[i : i + rows, j : j + columns] += weight
    inner = np.s_[MARGIN_PX:-MARGIN_PX, MARGIN_PX:-MARGIN_PX]
    return total[inner] / weights[inner]


def test_the_first_pass_keeps_what_exceeds_the_noise():
    made = dct_kept(PLANE, SPREAD, 2.5)
    assert made.shape == (60 - 2 * MARGIN_PX, 75 - 2 * MARGIN_PX)
    assert np.abs(made - by_scipy(PLANE, SPREAD, 2.5)).max() < 2e-3
    assert np.abs(dct_kept(PLANE, SPREAD, 0.0) - PLANE[7:-7, 7:-7]).max() < 1e-3, "all is kept"


def test_the_second_pass_weighs_by_what_the_first_left():
    guide = (PLANE + 0.5 * np.roll(PLANE, 1, axis=0)).astype(np.float32)
    made = dct_weighed(PLANE, guide, SPREAD)
    assert np.abs(made - by_scipy(PLANE, SPREAD, guide=guide)).max() < 2e-3


def test_wide_and_narrow_planes_are_made_whole():
    for shape in ((16, 16), (16, 300), (200, 17)):
        plane = rng.normal(size=shape).astype(np.float32)
        assert np.abs(dct_kept(plane, SPREAD, 1.0) - by_scipy(plane, SPREAD, 1.0)).max() < 1e-3


def test_planes_and_tables_of_another_shape_are_refused():
    with pytest.raises(ArgumentError, match="16 px"):
        dct_kept(np.zeros((15, 30), np.float32), SPREAD, 1.0)
    with pytest.raises(ArgumentError, match="spread"):
        dct_kept(PLANE, SPREAD[:4], 1.0)
    with pytest.raises(ArgumentError, match="least"):
        dct_kept(PLANE, SPREAD, -1.0)
    with pytest.raises(ArgumentError, match="guide"):
        dct_weighed(PLANE, PLANE[1:], SPREAD)


# ---- sharpening

QUIET = np.full(BINS, 0.05, np.float32)


def step(low=0.2, high=0.5, blur=1.2):
    from cv2 import GaussianBlur

    grey = np.full((60, 90, 3), low, np.float32)
    grey[:, 45:] = high
    return GaussianBlur(grey, (0, 0), blur)


def L_of(image):
    Y = image @ np.array([0.2627, 0.6780, 0.0593])
    return 116.0 * np.cbrt(Y) - 16.0


def test_an_edge_is_steeper_and_overshoots_no_further_than_it_may():
    plain = step()
    for halo in (0.0, 2.0, 8.0):
        made = sharpened(plain, QUIET, sigma=1.2, amount=3.0, halo=halo)
        L, before = L_of(made)[30], L_of(plain)[30]
        assert np.abs(np.diff(L)).max() > 1.25 * np.abs(np.diff(before)).max()
        beyond = max(L.max() - before.max(), before.min() - L.min())
        assert beyond < halo + 0.05
        assert halo == 0.0 or beyond > 0.5 * min(halo, 4.0)
    assert np.allclose(made[:, :20], plain[:, :20], atol=1e-5), "flat parts are left alone"


def test_hue_stays_and_nothing_is_added_at_zero():
    plain = step() * np.array([1.0, 0.6, 0.3], np.float32)
    made = sharpened(plain, QUIET, sigma=1.0, amount=1.5, halo=5.0)
    assert np.allclose(made / made[..., :1], plain / plain[..., :1], rtol=1e-4)
    assert np.abs(sharpened(plain, QUIET, sigma=1.0, amount=0.0, halo=5.0) - plain).max() < 1e-5


def test_what_does_not_rise_above_the_noise_is_left_unless_asked():
    noisy = (0.3 + np.random.default_rng(1).normal(0, 0.004, (120, 150, 3))).astype(np.float32)
    L = L_of(noisy)
    added = np.full(BINS, L.std(), np.float32)
    gated, bare = (sharpened(noisy, added, sigma=1.0, amount=2.0, halo=9.0, gated=on) for on in (True, False))
    assert L_of(gated).std() < 1.03 * L.std()
    assert L_of(bare).std() > 1.8 * L.std()


def test_amounts_are_taken_px_by_px_and_negative_ones_soften():
    plain = step()
    amount = np.zeros(plain.shape[:2], np.float32)
    amount[:20], amount[40:] = 2.0, -1.0
    made = sharpened(plain, QUIET, sigma=1.2, amount=amount, halo=5.0)
    one = sharpened(plain, QUIET, sigma=1.2, amount=2.0, halo=5.0)
    assert np.allclose(made[:20], one[:20]) and np.abs(made[20:40] - plain[20:40]).max() < 1e-5
    slopes = [np.abs(np.diff(L_of(each)[50])).max() for each in (plain, made)]
    assert slopes[1] < 0.8 * slopes[0]
    noisy = (0.3 + np.random.default_rng(1).normal(0, 0.004, (120, 150, 3))).astype(np.float32)
    loud = np.full(BINS, 50.0, np.float32)
    soft = sharpened(noisy, loud, sigma=1.0, amount=-1.0, halo=5.0)
    assert L_of(soft).std() < 0.5 * L_of(noisy).std(), "the gate does not keep noise from being softened"


@pytest.mark.parametrize("wrong", [{"sigma": 0.1}, {"sigma": 9.0}, {"amount": -1.1}, {"halo": -1.0}])
def test_values_out_of_range_are_refused(wrong):
    with pytest.raises(ArgumentError):
        sharpened(step(), QUIET, **{"sigma": 1.0, "amount": 1.0, "halo": 1.0, **wrong})
