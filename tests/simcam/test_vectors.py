"""Arithmetic on maps of vectors, against NumPy's own."""

import numpy as np
import pytest

from matiz_simcam.vectors import dot, moved, scaled, unit

BY = np.array([0.3, -1.5, 2.0], np.float32)


@pytest.mark.parametrize("shape", [(7,), (5, 9), (2, 3, 4)])
def test_they_say_what_plain_arithmetic_says(shape):
    random = np.random.default_rng(3)
    a, b = (random.normal(size=(*shape, 3)).astype(np.float32) for _ in range(2))
    by = random.normal(size=shape).astype(np.float32)
    assert np.allclose(dot(a, b), (a * b).sum(axis=-1), atol=1e-5)
    assert np.allclose(dot(a, BY), (a * BY).sum(axis=-1), atol=1e-5)
    assert np.allclose(scaled(a, by), a * by[..., None], atol=1e-6)
    assert np.allclose(moved(a, BY), a + BY, atol=1e-6)
    assert np.allclose(np.linalg.norm(unit(a), axis=-1), 1.0, atol=1e-6)
    assert np.allclose(np.cross(unit(a), a), 0.0, atol=1e-5)
    assert all(m.dtype == np.float32 for m in (dot(a, b), scaled(a, by), moved(a, BY), unit(a)))


def test_what_is_given_stays_and_what_has_no_length_too():
    a = np.arange(24, dtype=np.float32).reshape(2, 4, 3)
    kept = a.copy()
    strided = a[:, ::2]
    assert np.allclose(moved(strided, BY), strided + BY) and np.allclose(scaled(strided, strided[..., 0]),
                                                                         strided * strided[..., :1])  # fmt: skip
    assert (a == kept).all()
    assert (unit(np.zeros((2, 3))) == 0).all()
    assert unit([3.0, 0.0, 4.0]) == pytest.approx([0.6, 0.0, 0.8])
