"""Patches compared and laid over each other, against NumPy."""

import numpy as np
import pytest

from matiz.errors import ArgumentError
from matiz.kernels.matching import CHANNELS, REACH, patch_distances, patch_votes

RNG = np.random.default_rng(3)
PICTURE = RNG.random((40, 50, CHANNELS)).astype(np.float32)


def patch(x: int, y: int) -> np.ndarray:
    x, y = min(max(x, REACH), 49 - REACH), min(max(y, REACH), 39 - REACH)
    return PICTURE[y - REACH : y + REACH + 1, x - REACH : x + REACH + 1].astype(np.float64)


def test_distances_are_sums_of_squares_and_keep_inside():
    places = np.array([[10, 12], [0, 0], [49, 39]], np.int32)
    candidates = RNG.integers(0, (50, 40), (3, 5, 2)).astype(np.int32)
    found = patch_distances(PICTURE, places, candidates)
    expected = [
        [((patch(*place) - patch(*other)) ** 2).sum() for other in row]
        for place, row in zip(places, candidates, strict=True)
    ]
    np.testing.assert_allclose(found, expected, rtol=1e-5)


def test_votes_are_weighted_means_of_the_patches_over_a_place():
    sources = RNG.integers(10, 30, (40, 50, 2)).astype(np.int32)
    weights = RNG.random((40, 50)).astype(np.float32)
    places = np.array([[20, 20], [25, 8]], np.int32)
    found = patch_votes(PICTURE, places, sources, weights)
    for (x, y), got in zip(places, found, strict=True):
        total, weight = np.zeros(CHANNELS), 0.0
        for dy in range(-REACH, REACH + 1):
            for dx in range(-REACH, REACH + 1):
                sx, sy = sources[y + dy, x + dx]
                total += weights[y + dy, x + dx] * PICTURE[sy - dy, sx - dx].astype(np.float64)
                weight += float(weights[y + dy, x + dx])
        np.testing.assert_allclose(got, total / weight, rtol=1e-4)


def test_what_does_not_fit_is_refused():
    with pytest.raises(ArgumentError):
        patch_distances(PICTURE[..., :3], np.zeros((2, 2), np.int32), np.zeros((2, 3, 2), np.int32))
    with pytest.raises(ArgumentError):
        patch_distances(PICTURE, np.zeros((2, 2), np.int32), np.zeros((3, 3, 2), np.int32))
    with pytest.raises(ArgumentError):
        patch_votes(PICTURE, np.zeros((2, 2), np.int32), np.zeros((5, 5, 2), np.int32), np.ones((40, 50), np.float32))
