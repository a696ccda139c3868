"""The kernels of Detail against the same in NumPy and SciPy."""

import numpy as np
import pytest
from numpy.lib.stride_tricks import sliding_window_view
from scipy.fft import dctn, idctn

from matiz.errors import ArgumentError
from matiz.kernels.denoise import LEAST_PX, MARGIN_PX, SIDE, dct_kept, dct_kept_sparsely, dct_weighed
from matiz.kernels.sharpen import BINS, sharpened

SPREAD = np.random.default_rng(7).uniform(0.5, 2.0, (3, SIDE, SIDE)).astype(np.float32)
rng = np.random.default_rng(3)


def some_planes(height, width):
    """Three planes that vary together in part, with noise."""
    planes = rng.normal(size=(3, height, width)).cumsum(axis=2) + rng.normal(size=(3, height, width))
    planes[1] = 0.7 * planes[0] + 0.5 * planes[1]
    return planes.astype(np.float32)


PLANES = some_planes(100, 136)


def blocks_of(planes):
    """(3, rows, columns, 8, 8): the transform of every block."""
    return dctn(sliding_window_view(planes.astype(float), (SIDE, SIDE), axis=(1, 2)), axes=(3, 4), norm="ortho")


def by_scipy(planes, spread, least=0.0, guide=None, *, is_sparse=False):
    """Blocks transformed, shrunk, turned back and averaged; the inner px."""
    deviation = spread.astype(float)[:, None, None]
    own = blocks_of(planes)
    if guide is None:
        gain = (np.abs(own) > least * deviation).astype(float)
        gain[..., 0, 0] = 1.0
        weight = 1.0 / (gain**2 * deviation**2).sum(axis=(3, 4))
        shrunk = gain * own
    else:
        even = np.sqrt((spread.astype(float) ** 2).mean(axis=(1, 2)))[:, None, None]
        px = sliding_window_view(guide / even, (SIDE, SIDE), axis=(1, 2)).reshape(*own.shape[:3], -1)
        px = px - px.mean(axis=3, keepdims=True)
        axes = np.linalg.eigh(np.einsum("ayxn,byxn->yxab", px, px))[1]
        own, led = (np.einsum("yxab,ayxlk->byxlk", axes, each / deviation) for each in (own, blocks_of(guide)))
        gain = led**2 / (led**2 + 1.0)
        gain[..., 0, 0] = 1.0
        worth = (spread.astype(float) ** 2).mean(axis=0)
        weight = np.broadcast_to(1.0 / (gain**2 * worth / worth.mean()).sum(axis=(0, 3, 4)), own.shape[:3])
        shrunk = np.einsum("yxab,byxlk->ayxlk", axes, gain * own) * deviation
    back = idctn(shrunk, axes=(3, 4), norm="ortho") * weight[..., None, None]
    total, weights = np.zeros(planes.shape), np.zeros(planes.shape)
    rows, columns = weight.shape[1:]
    counts = (np.arange(rows)[:, None] + np.arange(columns)) % 2 == 0
    if is_sparse:
        counts[1::2] = False
    for i in range(SIDE):
        for j in range(SIDE):
            total[:, i : i + rows, j : j + columns] += back[..., i, j] * counts
            weights[:, i : i + rows, j : j + columns] += weight * counts
    inner = np.s_[:, MARGIN_PX:-MARGIN_PX, MARGIN_PX:-MARGIN_PX]
    return total[inner] / weights[inner]


def test_the_first_pass_keeps_what_exceeds_the_noise():
    made = dct_kept(PLANES, SPREAD, 2.5)
    assert made.shape == (3, 100 - 2 * MARGIN_PX, 136 - 2 * MARGIN_PX)
    assert np.abs(made - by_scipy(PLANES, SPREAD, 2.5)).max() < 2e-3
    assert np.abs(dct_kept(PLANES, SPREAD, 0.0) - PLANES[:, 8:-8, 8:-8]).max() < 1e-3, "all is kept"


def test_the_first_pass_by_half_the_blocks_takes_as_many_planes_as_there_are():
    made = dct_kept_sparsely(np.ascontiguousarray(PLANES[1:]), np.ascontiguousarray(SPREAD[1:]), 2.5)
    assert np.abs(made - by_scipy(PLANES, SPREAD, 2.5, is_sparse=True)[1:]).max() < 2e-3


def test_the_second_pass_weighs_by_what_the_first_left_along_the_colours_of_the_block():
    guide = (PLANES + 0.5 * np.roll(PLANES, 1, axis=1)).astype(np.float32)
    # two sweeps find the axes nearly
    apart = np.abs(dct_weighed(PLANES, guide, SPREAD) - by_scipy(PLANES, SPREAD, guide=guide))
    assert apart.max() < 0.02 and apart.mean() < 2e-4


def test_an_edge_between_two_colours_is_one_thing():
    """Two of three planes step with the third: along the block's own axes the step is told from the noise."""
    random = np.random.default_rng(5)
    clean = np.zeros((3, 120, 160), np.float32)
    clean[:, :, 80:] = np.array([4.0, 4.0, 4.0])[:, None, None]
    noisy = (clean + random.normal(size=clean.shape)).astype(np.float32)
    ones = np.ones((3, SIDE, SIDE), np.float32)
    inner = np.s_[:, MARGIN_PX:-MARGIN_PX, MARGIN_PX:-MARGIN_PX]
    made = dct_weighed(np.ascontiguousarray(noisy[inner]), dct_kept(noisy, ones, 3.0), ones)
    near = np.s_[:, :, 56:72]
    one = noisy.copy()
    one[1:] = random.normal(size=one[1:].shape)
    alone = dct_weighed(np.ascontiguousarray(one[inner]), dct_kept(one, ones, 3.0), ones)
    apart = [((each - clean[:, 16:-16, 16:-16])[near][0] ** 2).mean() for each in (made, alone)]
    assert apart[0] < 0.8 * apart[1]


def test_wide_and_narrow_planes_are_made_whole():
    for shape in ((LEAST_PX, LEAST_PX), (LEAST_PX, 300), (202, LEAST_PX + 2)):
        planes = some_planes(*shape)
        assert np.abs(dct_kept(planes, SPREAD, 1.0) - by_scipy(planes, SPREAD, 1.0)).max() < 2e-2


def test_planes_and_tables_of_another_shape_are_refused():
    for shape in ((3, LEAST_PX - 2, 100), (3, 101, 100), (3, 100, 101)):
        with pytest.raises(ArgumentError, match="even number"):
            dct_kept(np.zeros(shape, np.float32), SPREAD, 1.0)
    with pytest.raises(ArgumentError, match="spread"):
        dct_kept(PLANES, SPREAD[:, :4], 1.0)
    with pytest.raises(ArgumentError, match="least"):
        dct_kept(PLANES, SPREAD, -1.0)
    with pytest.raises(ArgumentError, match="guide"):
        dct_weighed(PLANES, PLANES[:, 1:], SPREAD)
    with pytest.raises(ArgumentError, match="over 0"):
        dct_weighed(PLANES, PLANES, 0.0 * SPREAD)


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
