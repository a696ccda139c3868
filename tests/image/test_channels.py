"""Highest and lowest of the channels."""

import numpy as np

from matiz.image.channels import highest, lowest


def test_they_are_those_of_each_px():
    image = np.random.default_rng(1).normal(size=(7, 9, 3)).astype(np.float32)
    assert (highest(image) == image.max(axis=2)).all() and (lowest(image) == image.min(axis=2)).all()
    part = image[1:5, 2:6]
    assert (highest(part) == part.max(axis=2)).all(), "of a part of another one too"
