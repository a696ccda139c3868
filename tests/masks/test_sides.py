"""Which side of a mask's edge things lie on, and masks fitted by it."""

import cv2
import numpy as np
import pytest

from matiz.masks.sides import CLEAR, fitted, sides_of

SIZE = (300, 420)


def two_colours(apart: float = 30.0, noise: float = 2.0):
    """A disc on a ground, L*, a*, b*, and the disc's mask."""
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    disc = (np.hypot(x - 200, y - 150) < 80).astype(np.float32)
    disc = cv2.GaussianBlur(disc, (0, 0), 0.8)
    Lab = np.zeros((*SIZE, 3), np.float32)
    Lab[..., 0] = 40.0 + apart * disc
    Lab[..., 2] = 10.0 + 0.5 * apart * disc
    return Lab + np.random.default_rng(1).normal(0, noise, Lab.shape).astype(np.float32), disc


def test_a_leak_is_on_the_other_side_and_the_rest_is_not():
    Lab, disc = two_colours()
    leaking = disc.copy()
    cv2.circle(leaking, (285, 150), 12, 1.0, -1)
    cv2.circle(leaking, (122, 150), 12, 0.0, -1)
    sides = sides_of(leaking, Lab, 20.0)
    outside, inside = sides.likelier_inside < -CLEAR, sides.likelier_inside > CLEAR
    assert outside[145:155, 286:294].all() and inside[145:155, 124:130].all()
    assert not (outside & (disc > 0.95)).any() and not (inside & (disc < 0.05)).any()


def test_what_fits_neither_side_is_on_none():
    """A gleam on the rim of the disc, lighter than both, and a part in the ground's own colour."""
    Lab, disc = two_colours()
    cv2.circle(Lab, (272, 150), 6, (100.0, 0.0, 0.0), -1)
    cv2.circle(Lab, (128, 150), 6, (40.0, 0.0, 10.0), -1)
    sides = sides_of(disc, Lab, 20.0)
    assert np.abs(sides.likelier_inside[146:155, 268:277]).max() < CLEAR
    assert (sides.likelier_inside[148:153, 125:131] < -CLEAR).all()


def test_where_both_sides_are_alike_nothing_is_said():
    Lab, disc = two_colours(apart=2.0)
    sides = sides_of(disc, Lab, 20.0)
    assert sides.band.any() and not sides.likelier_inside.any()


@pytest.mark.parametrize("off", [(9, 0), (0, -9), (-6, 6)])
def test_a_mask_that_lies_off_is_fitted(off):
    Lab, disc = two_colours()
    moved = np.roll(disc, off, (1, 0))
    before, after = (np.abs(each - disc).mean() for each in (moved, fitted(moved, Lab, 20.0)))
    assert after < 0.2 * before


def test_a_mask_that_fits_is_left_alone_and_so_is_one_with_nothing_to_go_by():
    Lab, disc = two_colours()
    assert np.abs(fitted(disc, Lab, 20.0) - disc).mean() < 0.002
    flat = np.zeros_like(Lab)
    hard = (disc > 0.5).astype(np.float32)
    assert np.abs(fitted(hard, flat, 20.0) - hard).mean() < 0.01
