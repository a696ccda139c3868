"""What near a mask's edge has the colours of its other side: on rough ground, in thin parts, and never by chance."""

import numpy as np
import pytest

from matiz.measure.places.other_side import CELL, MOST, coded, like_other_side

SIZE, WIDTH = (300, 400), 12.0
STONE, GAP, COAT, SPOT = (60.0, 0.0, 5.0), (15.0, 0.0, 0.0), (45.0, 15.0, 20.0), (30.0, 10.0, 25.0)


def rough(true: np.ndarray, seed: int = 1) -> np.ndarray:
    """A spotted thing on stone with dark gaps, in patches of 4 px: L*, a*, b*, which no mean and spread tells."""
    random = np.random.default_rng(seed)
    which = np.kron(random.random((SIZE[0] // 4, SIZE[1] // 4)), np.ones((4, 4)))[..., None] < 0.4
    Lab = np.where(true[..., None], np.where(which, SPOT, COAT), np.where(which, GAP, STONE))
    return (Lab + random.normal(0.0, 1.5, Lab.shape)).astype(np.float32)


def disc(radius: float) -> np.ndarray:
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    return np.hypot(x - 200, y - 150) < radius


def test_on_rough_ground_what_was_drawn_too_far_is_told_and_what_was_not_is_not():
    true = disc(80.0)
    codes = coded(rough(true))
    wide = disc(90.0)
    said = like_other_side(wide, codes, WIDTH)
    assert np.median(said[wide & ~true]) > 1.5
    exact = like_other_side(true, codes, WIDTH)
    assert (exact[true] > 1.0).mean() < 0.001 and np.median(exact[exact != 0.0]) < -0.5
    assert said.dtype == np.float32 and np.abs(said).max() < MOST + 1e-3


def test_nothing_is_said_deep_in_a_mask_nor_outside_of_it_nor_where_both_are_alike():
    true = disc(80.0)
    said = like_other_side(true, coded(rough(true)), WIDTH)
    assert (said[disc(60.0)] == 0.0).all() and (said[~true] == 0.0).all()
    alike = like_other_side(true, coded(rough(np.zeros_like(true))), WIDTH)
    assert np.abs(alike).max() < 1.0


def test_what_is_too_thin_for_its_depth_learns_as_deep_as_it_can():
    true = np.zeros(SIZE, bool)
    true[140:158] = True
    leaking = true.copy()
    leaking[158:170, 180:220] = True
    said = like_other_side(leaking, coded(rough(true)), WIDTH)
    assert np.median(said[leaking & ~true]) > 1.0 and (said[true] > 1.0).mean() < 0.01


def test_a_shadow_beside_a_thing_that_nothing_far_off_has_is_known_too():
    """Colours outside are learned from where the mask ends, not from where a leak would end."""
    true = disc(80.0)
    Lab = np.where(true[..., None], COAT, np.where(disc(80.0 + WIDTH)[..., None], GAP, STONE)).astype(np.float32)
    Lab += np.random.default_rng(3).normal(0.0, 1.0, Lab.shape).astype(np.float32)
    wide = true.copy()
    wide[140:160, 270:287] = True
    said = like_other_side(wide, coded(Lab), WIDTH)
    assert np.median(said[wide & ~true]) > 1.5


@pytest.mark.parametrize("extreme", [-200.0, 0.0, 300.0])
def test_any_colour_has_a_cell(extreme):
    codes = coded(np.full((8, 8, 3), extreme, np.float32))
    assert codes.shape == (8, 8) and codes.min() >= 0 and codes.max() < 20 * 16 * 16


def test_colours_a_cell_apart_are_told_apart():
    Lab = np.zeros((8, 30, 3), np.float32) + (50.0, 0.0, 0.0)
    for channel in range(3):
        other = Lab.copy()
        other[:, 15:, channel] += 2.0 * CELL
        codes = coded(other)
        assert codes[4, 2] != codes[4, 27], channel
