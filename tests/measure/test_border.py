"""Bright things at the border, and subjects: found where they are planted, and not where there are none."""

import cv2
import numpy as np
import pytest

from matiz.measure.mend.border import find_blobs
from matiz.measure.mend.subject import find_subject

SIZE = (600, 400)


def ground(level=0.08, seed=0) -> np.ndarray:
    noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, (400, 600, 3)).astype(np.float32), (0, 0), 3.0)
    return (level * (1.0 + 0.5 * noise)).astype(np.float32).clip(0.001, 1.0)


def with_disc(picture, x, y, r, colour) -> np.ndarray:
    far = np.hypot(np.arange(600)[None] - x, np.arange(400)[:, None] - y)
    share = np.clip(r + 0.5 - far, 0.0, 1.0)[..., None]
    return (picture * (1 - share) + share * np.array(colour)).astype(np.float32)


def test_a_lamp_cut_by_the_border_is_found_with_its_outline():
    picture = with_disc(ground(), 598, 150, 25, (0.9, 0.8, 0.6))
    (blob,) = find_blobs(picture)
    assert blob.side == "right" and blob.certainty > 0.5 and blob.contrast > 30
    points = np.array(blob.outline)
    assert np.hypot(*(points - (598, 150)).T).max() < 32 and points[:, 0].max() == pytest.approx(599, abs=1)
    inside = cv2.pointPolygonTest(points.astype(np.float32).reshape(-1, 1, 2), (585.0, 150.0), False)
    assert inside > 0 and blob.share == pytest.approx(np.pi * 25**2 / 2 / 240_000, rel=0.3)


def test_what_lies_inside_or_is_everywhere_is_no_blob():
    assert find_blobs(with_disc(ground(), 300, 150, 25, (0.9, 0.8, 0.6))) == ()
    sky = ground()
    sky[:150] = 0.8
    assert find_blobs(sky) == (), "a sky is no blob"
    leaves = ground()
    for n in range(12):
        leaves = with_disc(leaves, 25 + 50 * n, 0, 14, (0.8, 0.85, 0.9))
    assert all(blob.certainty < 0.4 for blob in find_blobs(leaves)), "nor is a sky seen through leaves"
    window = with_disc(ground(), 598, 150, 14, (0.9, 0.9, 1.0))
    alone = find_blobs(window)[0].certainty
    for n in range(3):
        window = with_disc(window, 560 + 30 * (n % 2), 110 + 30 * n, 10, (0.9, 0.9, 1.0))
    assert alone > 0.5 and all(blob.certainty < 0.2 for blob in find_blobs(window)), "nor a pane of a window"
    assert find_blobs(ground(seed=3)) == () and find_blobs(np.full((400, 600, 3), 0.5, np.float32)) == ()


def test_a_thing_that_differs_is_the_subject():
    noise = np.random.default_rng(5).random((400, 600, 3)).astype(np.float32)
    picture = with_disc(ground(0.3), 380, 220, 60, (0.6, 0.1, 0.05)) * (0.9 + 0.2 * noise)
    found = find_subject(picture.astype(np.float32))
    assert found is not None and found.certainty > 0.5
    assert (found.x, found.y) == pytest.approx((380, 220), abs=12)
    left, top, w, h = found.box
    assert (left, top) == pytest.approx((320, 160), abs=25) and (w, h) == pytest.approx((120, 120), abs=40)


def test_where_nothing_differs_there_is_no_sure_subject():
    for seed in range(4):
        found = find_subject(ground(0.3, seed))
        assert found is None or found.certainty < 0.5
    ramp = np.broadcast_to(np.linspace(0.05, 0.7, 400, dtype=np.float32)[:, None, None], (400, 600, 3))
    found = find_subject(np.ascontiguousarray(ramp))
    assert found is None or found.certainty < 0.5
    view = ground(0.3)
    view[150:260, 25:575] = (0.1, 0.25, 0.05)
    found = find_subject(view)
    assert found is None or found.certainty < 0.3, "what goes from side to side is a view"
