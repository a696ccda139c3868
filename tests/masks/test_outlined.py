"""Subjects of photographs against outlines drawn by hand."""

import cv2
import numpy as np
import pytest
from bench.outlines import OUTLINED

from matiz.masks.subject import find_subject, tapped


def judged(photograph, share):
    pixels = photograph.pixels()
    return photograph.overlap(cv2.resize(share, pixels.shape[1::-1], interpolation=cv2.INTER_LINEAR))


@pytest.fixture(scope="module", params=["cat", "cameraman"])
def seen(request):
    photograph = OUTLINED[request.param]
    return photograph, find_subject(photograph.pixels()).share


def after(photograph, share, taps):
    pixels = photograph.pixels()
    long_side = max(pixels.shape[:2])
    sides = [[(x / long_side, y / long_side) for x, y, it in taps if it == is_it] for is_it in (True, False)]
    return judged(photograph, tapped(pixels, share, *sides))


def test_what_a_picture_is_of_is_found(seen):
    assert judged(*seen) > 0.89


def test_no_tap_makes_it_worse_and_two_mend_it(seen):
    """On soft fur, where colours run into each other, a tap once took the whole picture."""
    photograph, share = seen
    plain = judged(photograph, share)
    for tap in photograph.taps:
        assert after(photograph, share, [tap]) > plain - 0.001
    assert after(photograph, share, photograph.taps) > plain + 0.02


def test_a_tap_on_what_is_told_right_changes_nothing_far_away(seen):
    photograph, share = seen
    height, width = photograph.pixels().shape[:2]
    on_it = after(photograph, share, [(width // 3, height * 2 // 3, True)])
    assert abs(on_it - judged(photograph, share)) < 0.005


def test_what_is_not_meant_is_told_by_its_surroundings():
    """A leg before rock of the same mixture of tones: a tap on the shadow under it leaves the leg."""
    random = np.random.default_rng(8)
    picture = np.full((400, 600, 3), 190.0)
    picture[200:] = (70.0, 60.0, 55.0)
    picture[120:320, 280:320] = (120.0, 90.0, 70.0)
    picture[100:180, 150:450] = (120.0, 90.0, 70.0)
    picture[180:230, 320:400] = (25.0, 22.0, 20.0)
    picture = np.clip(picture + random.normal(size=picture.shape) * 4.0, 0, 255).astype(np.uint8)
    share = np.zeros((400, 600), np.float32)
    share[100:180, 150:450] = 1.0
    share[120:320, 280:320] = 1.0
    share[180:230, 320:400] = 1.0
    less = tapped(picture, share, [], [(360 / 600, 205 / 600)])
    assert less[190:225, 330:390].mean() < 0.1, "the shadow goes"
    assert less[190:310, 285:315].mean() > 0.9 and less[105:175, 155:445].mean() > 0.95, "the leg and the body stay"
