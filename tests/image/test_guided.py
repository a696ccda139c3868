"""The edge-keeping filter against its definition, and the kernel against the filter."""

import numpy as np
import pytest

from matiz.image.guided import coefficients
from matiz.kernels.guided import calmed


def test_the_guided_filter_against_its_definition():
    """He, Sun, Tang 2010, equations 5, 6 and 8, worked out window by window."""
    rng = np.random.default_rng(3)
    guide, values = rng.random((12, 15)).astype(np.float32), rng.random((12, 15)).astype(np.float32)
    a, b = coefficients(guide, values, 1, 0.3)
    padded = [np.pad(image, 2, mode="symmetric").astype(np.float64) for image in (guide, values)]

    def window(y: int, x: int) -> tuple[float, float]:
        g, v = (image[y + 1 : y + 4, x + 1 : x + 4].ravel() for image in padded)
        slope = ((g * v).mean() - g.mean() * v.mean()) / (g.var() + 0.3**2)
        return slope, v.mean() - slope * g.mean()

    inner = [window(y, x) for y in (4, 5, 6) for x in (6, 7, 8)]
    assert a[5, 7] == pytest.approx(np.mean([w[0] for w in inner]), abs=1e-5)
    assert b[5, 7] == pytest.approx(np.mean([w[1] for w in inner]), abs=1e-5)


@pytest.mark.parametrize("radius", [1, 2, 6])
def test_the_kernel_is_the_guided_filter(radius):
    """The same as by its coefficients, which are checked above."""
    image = np.random.default_rng(6).normal(size=(150, 310)).astype(np.float32)
    a, b = coefficients(image, image, radius, 0.4)
    inner = np.s_[2 * radius : -2 * radius, 2 * radius : -2 * radius]
    assert np.allclose(calmed(image, radius, 0.4)[inner], (a * image + b)[inner], atol=2e-4)


def test_smoothing_keeps_edges_and_takes_texture():
    EV = np.full((600, 900), -4.0, np.float32)
    EV[:, 450:] = 2.0
    noisy = EV + np.random.default_rng(4).normal(0, 0.1, EV.shape).astype(np.float32)
    calm = calmed(noisy, 6, 0.5)
    assert np.abs(calm - EV).max() < 0.5 and (calm - EV)[:, 20:400].std() < 0.03
