"""Masks that take on the edges of a picture: by its colours alone, and by the network."""

import builtins

import cv2
import numpy as np
import pytest

from matiz.masks import edges
from matiz.masks.edges import can_be_exact, exact, shown
from matiz.masks.hints import COUNT, hints
from matiz.masks.matting import refined


def furry(size: int = 300) -> tuple[np.ndarray, np.ndarray]:
    """A dark disc with hairs over a light, uneven ground: the picture (encoded 0..1) and its true share."""
    random = np.random.default_rng(4)
    big = np.zeros((4 * size, 4 * size), np.uint8)
    cv2.circle(big, (2 * size, 2 * size), int(1.1 * size), 255, -1)
    for angle in random.uniform(0, 2 * np.pi, 500):
        start = 2 * size + 1.05 * size * np.array([np.cos(angle), np.sin(angle)])
        end = 2 * size + size * random.uniform(1.15, 1.3) * np.array([np.cos(angle + 0.1), np.sin(angle + 0.1)])
        cv2.line(big, tuple(map(int, start)), tuple(map(int, end)), 255, 3, cv2.LINE_AA)
    alpha = cv2.resize(big, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255.0
    ground = cv2.GaussianBlur(random.uniform(0.4, 1.0, (size, size, 3)).astype(np.float32), (0, 0), 12.0) + 0.05
    fur = np.array([0.25, 0.18, 0.12], np.float32) + random.normal(0, 0.01, (size, size, 1)).astype(np.float32)
    return (alpha[..., None] * fur + (1.0 - alpha[..., None]) * ground).astype(np.float32), alpha


def as_found(alpha: np.ndarray) -> np.ndarray:
    return cv2.GaussianBlur((cv2.GaussianBlur(alpha, (0, 0), 5.0) > 0.5).astype(np.float32), (0, 0), 3.0)


def by_network(rough: np.ndarray, picture: np.ndarray, near_px: float, deep_px: float) -> np.ndarray:
    return exact(rough, picture, refined(rough, picture, 4.0), near_px, deep_px)


def errors(alpha: np.ndarray, *masks: np.ndarray) -> list[float]:
    band = cv2.dilate(((alpha > 0.02) & (alpha < 0.98)).astype(np.uint8), np.ones((5, 5))) > 0
    return [float(np.abs(mask - alpha)[band].mean()) for mask in masks]


def test_a_coarse_mask_takes_on_the_hairs_by_colours():
    picture, alpha = furry()
    coarse = as_found(alpha)
    out = refined(coarse, picture, 12.0)
    before, after = errors(alpha, coarse, out)
    assert after < 0.5 * before and after < 0.09
    assert out[150, 150] == 1.0 and out[5, 5] == 0.0
    flat = np.zeros((40, 40), np.float32)
    assert refined(flat, picture[:40, :40], 4.0).max() == 0.0


def test_a_rough_mask_takes_on_the_hairs_by_the_network():
    picture, alpha = furry()
    rough = as_found(alpha)
    out = by_network(rough, picture, 40.0, 40.0)
    before, after = errors(alpha, rough, out)
    assert after < 0.4 * before and after < 0.08
    assert out[150, 150] == 1.0 and out[5, 5] == 0.0


def test_hairs_that_a_rough_mask_lost_are_taken_in_and_bays_of_the_ground_left_out():
    picture, alpha = furry()
    small = cv2.erode(as_found(alpha), np.ones((9, 9)))
    large = cv2.dilate(as_found(alpha), np.ones((15, 15)))
    for rough in (small, large):
        before, after = errors(alpha, rough, by_network(rough, picture, 40.0, 40.0))
        assert after < 0.6 * before


@pytest.mark.parametrize("shape", [(300, 300), (97, 131), (20, 15)])
def test_masks_of_any_size_and_what_is_sure_stays(shape):
    picture, alpha = furry()
    height, width = shape
    part, rough = picture[:height, -width:], as_found(alpha)[:height, -width:]
    out = by_network(rough, part, 10.0, 10.0)
    assert out.shape == shape and out.dtype == np.float32
    assert out.min() >= 0.0 and out.max() <= 1.0
    for nothing in (np.zeros(shape, np.float32), np.ones(shape, np.float32)):
        assert (by_network(nothing, part, 10.0, 10.0) == nothing).all()


def test_far_from_the_rough_edge_nothing_is_said():
    """A second thing that looks like the first, which nobody asked for."""
    picture, alpha = furry()
    two = np.concatenate([picture, picture], axis=1)
    rough = np.concatenate([as_found(alpha), np.zeros_like(alpha)], axis=1)
    assert by_network(rough, two, 20.0, 20.0)[:, 340:].max() == 0.0


def test_a_spot_of_the_ground_deep_inside_is_no_gap():
    picture, alpha = furry()
    spotted = picture.copy()
    cv2.circle(spotted, (100, 150), 7, (0.75, 0.75, 0.75), -1)
    assert by_network(as_found(alpha), spotted, 12.0, 6.0)[150, 100] == 1.0
    assert by_network(as_found(alpha), spotted, 12.0, 40.0)[150, 100] < 0.9, "the network alone would open it"


def test_what_is_unsure_over_more_than_an_edge_stays_so():
    random = np.random.default_rng(5)
    picture = (0.1 + 0.01 * random.standard_normal((300, 300, 3))).astype(np.float32)
    picture[:, 150:] += 0.7
    rough = np.zeros((300, 300), np.float32)
    rough[:, 130:170], rough[:, 170:] = 0.5, 1.0
    middle = by_network(rough, picture, 12.0, 6.0)[20:280, 142:158]
    assert middle.min() > 0.25 and middle.max() < 0.75


def test_sides_that_look_alike_leave_the_edge_where_it_was():
    random = np.random.default_rng(5)
    picture = np.clip(0.4 + 0.1 * random.standard_normal((200, 200, 3)), 0, 1).astype(np.float32)
    rough = np.zeros((200, 200), np.float32)
    rough[:, 100:] = 1.0
    soft = cv2.GaussianBlur(rough, (0, 0), 2.0)
    out = by_network(soft, picture, 12.0, 6.0)
    assert out[:, :93].max() == 0.0 and out[:, 107:].min() == 1.0
    astray = np.roll(rough, 3, axis=1)
    assert (exact(soft, picture, astray, 12.0, 6.0)[:, 60:140] == astray[:, 60:140]).all(), "as it is said to be there"


def test_what_is_shown_says_how_a_px_mixes_the_colours_of_both_sides():
    picture, alpha = furry()
    planes = shown(picture, as_found(alpha))
    assert planes.shape == (300, 300, 4 + COUNT) and np.isfinite(planes).all()
    mixed = hints(picture, as_found(alpha))
    rough, by_colour = errors(alpha, as_found(alpha), np.clip(mixed[..., 0] + 0.5, 0.0, 1.0))
    assert by_colour < 0.5 * rough
    alike, far, beside = mixed[..., 1], mixed[..., 2], mixed[..., 3]
    assert alike[150, 80] > 0.1 and alike[150, 50] < -0.1
    assert far[alpha > 0.5].mean() > 0.3
    # a colour that is on neither side
    strange = picture.copy()
    strange[145:155, 35:45] = (0.1, 0.9, 0.2)
    assert hints(strange, as_found(alpha))[150, 40, 3] > beside[150, 40] + 0.2


def test_sides_of_one_colour_are_told_not_to_differ():
    random = np.random.default_rng(2)
    picture = np.clip(0.4 + 0.05 * random.standard_normal((128, 128, 3)), 0, 1).astype(np.float32)
    rough = np.zeros((128, 128), np.float32)
    rough[:, :64] = 1.0
    assert hints(picture, rough)[..., 2].max() < 0.25


def test_without_what_runs_it_there_is_no_network(monkeypatch):
    imported = builtins.__import__

    def refuse(name, *rest):
        if name == "onnxruntime":
            raise ImportError(name)
        return imported(name, *rest)

    monkeypatch.setattr(builtins, "__import__", refuse)
    edges._network.cache_clear()
    try:
        assert not can_be_exact()
        picture, alpha = furry(60)
        plain = refined(as_found(alpha), picture, 5.0)
        assert (exact(as_found(alpha), picture, plain, 5.0, 5.0) == plain).all()
    finally:
        edges._network.cache_clear()
