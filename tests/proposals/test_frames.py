"""Frames: the subject on a crossing and whole, bright things left out, of the ratio, inside, the best first."""

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from matiz.mend.frame import off_crossing
from matiz.proposals.frames import LEAST_KEPT, MOST_OFF, SubjectBox, frames

WHOLE = (3000.0, 2000.0)


def test_the_subject_comes_to_a_crossing_and_stays_whole():
    subject = SubjectBox(1700.0, 900.0, (1500.0, 700.0, 400.0, 500.0))
    found = frames(WHOLE, 1.5, subject, ())
    assert 2 <= len(found) <= 5
    for frame in found:
        rect = frame.rect
        assert rect.w / rect.h == pytest.approx(1.5) and rect.x >= 0 and rect.y >= 0
        assert rect.x + rect.w <= 3000.01 and rect.y + rect.h <= 2000.01
        assert rect.x < 1500 and rect.x + rect.w > 1900 and rect.y < 700 and rect.y + rect.h > 1200
        assert min(off_crossing(kind, rect, 1700, 900) for kind in ("thirds", "golden")) <= MOST_OFF
        assert "crossing of" in frame.reasons[0] and "kept" in frame.reasons[1]
    best = found[0].rect
    assert min(off_crossing(kind, best, 1700, 900) for kind in ("thirds", "golden")) < 0.02
    assert best.w * best.h > 0.5 * 6e6, "as much as can be is kept"


def test_bright_things_are_left_out_where_that_costs_little():
    subject = SubjectBox(1900.0, 1100.0, (1700.0, 900.0, 400.0, 400.0))
    lamp = (0.0, 300.0, 120.0, 200.0)
    found = frames(WHOLE, 1.5, subject, (lamp,))
    assert found[0].rect.x >= 120 and "1 of 1" in found[0].reasons[-1]
    alone = frames(WHOLE, 1.5, None, (lamp,))
    assert alone[0].rect.x >= 120 and alone[0].rect.w > 2500


def test_nothing_is_proposed_about_nothing():
    assert frames(WHOLE, 1.5, None, ()) == ()
    filling = SubjectBox(1500.0, 1000.0, (0.0, 0.0, 3000.0, 2000.0))
    assert frames(WHOLE, 1.0, filling, ()) == ()


@settings(max_examples=40, deadline=None)
@given(st.floats(0.02, 0.98), st.floats(0.02, 0.98), st.sampled_from([1.0, 0.8, 1.5, 16 / 9]), st.floats(0.02, 0.3))
def test_every_frame_is_one_of_the_picture(x, y, ratio, size):
    side = size * 2000.0
    box = (x * 3000.0 - side / 2, y * 2000.0 - side / 2, side, side)
    for frame in frames(WHOLE, ratio, SubjectBox(x * 3000.0, y * 2000.0, box), ((2900.0, 0.0, 100.0, 100.0),)):
        rect = frame.rect
        assert rect.x >= -0.01 and rect.y >= -0.01
        assert rect.x + rect.w <= 3000.01 and rect.y + rect.h <= 2000.01
        assert rect.w / rect.h == pytest.approx(ratio) and rect.w * rect.h >= LEAST_KEPT * 6e6 * 0.99
        assert math.isfinite(rect.x) and frame.reasons
