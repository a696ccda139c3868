"""Subjects of photographs against outlines drawn by hand."""

import cv2
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


def test_each_tap_makes_it_better_and_two_mend_it(seen):
    """On soft fur, where colours run into each other, a tap once took the whole picture."""
    photograph, share = seen
    plain = judged(photograph, share)
    for tap in photograph.taps:
        assert after(photograph, share, [tap]) > plain + 0.002
    assert after(photograph, share, photograph.taps) > 0.95


def test_a_tap_on_what_is_told_right_changes_nothing_far_away(seen):
    photograph, share = seen
    height, width = photograph.pixels().shape[:2]
    on_it = after(photograph, share, [(width // 3, height * 2 // 3, True)])
    assert abs(on_it - judged(photograph, share)) < 0.005
