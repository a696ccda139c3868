"""Sums along columns and rows, against the same worked out with NumPy."""

import numpy as np
import pytest

from matiz.errors import ArgumentError
from matiz.kernels.stripes import stripe_sums

SHOT, READ, BLACK = 0.7, 3.0, 512.0


def reference(values: np.ndarray, period: int) -> np.ndarray:
    """For columns: of one photosite and the two of its colour at its sides."""
    some = values.astype(np.float64)
    left, here, right = some[:, : -2 * period], some[:, period:-period], some[:, 2 * period :]
    mean = 0.5 * (left + right)
    above = np.maximum(mean - BLACK, 0.0)
    variance = SHOT * above + READ**2
    off = here - mean
    counts = ((left - right) ** 2 < 18.0 * variance) & (off**2 < 600.0 * variance)
    weight = counts / variance
    terms = (counts, weight, weight * off, weight * above, (weight * off) ** 2)
    return np.stack([term.sum(axis=0) for term in terms], axis=1)


@pytest.mark.parametrize(
    "size, period, part", [((61, 83), 2, (0, 61)), ((40, 300), 6, (7, 33)), ((200, 37), 1, (3, 4))]
)
def test_columns_and_rows(size, period, part):
    rng = np.random.default_rng(4)
    values = rng.normal(900.0, 25.0, size).clip(0).astype(np.uint16)
    values[:, size[1] // 2] += 9
    expected = reference(values[part[0] : part[1]], period)
    noise = {"shot": SHOT, "read": READ, "black": BLACK}
    np.testing.assert_allclose(stripe_sums(values, period, part, columns=True, **noise), expected, rtol=2e-4, atol=1e-3)
    turned = np.ascontiguousarray(values.T)
    np.testing.assert_allclose(
        stripe_sums(turned, period, part, columns=False, **noise), expected, rtol=2e-4, atol=1e-3
    )


def test_what_is_wrong_is_said():
    values = np.zeros((20, 30), np.uint16)
    noise = {"shot": SHOT, "read": READ, "black": BLACK}
    with pytest.raises(ArgumentError, match="part"):
        stripe_sums(values, 2, (0, 21), columns=True, **noise)
    with pytest.raises(ArgumentError, match="period"):
        stripe_sums(values, 10, (0, 30), columns=False, **noise)
