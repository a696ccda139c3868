"""The crop as a hand holds it: handles, ratios, guides."""

import numpy as np
import pytest

from matiz.mend.frame import (
    GUIDES,
    HANDLES,
    Rect,
    crossings,
    dragged,
    guide_lines,
    handle_at,
    off_crossing,
    ratio_of,
    shaped,
)

WHOLE = (1200.0, 800.0)
RECT = Rect(200.0, 100.0, 600.0, 400.0)


def test_handles_are_found_corners_first():
    places = {"nw": (203, 98), "n": (500, 103), "ne": (798, 103), "e": (797, 300), "se": (804, 497), "s": (400, 495),
              "sw": (196, 503), "w": (201, 300), "inside": (500, 300)}  # fmt: skip
    assert {name: handle_at(RECT, *at, 8.0) for name, at in places.items()} == {name: name for name in HANDLES}
    assert handle_at(RECT, 900, 300, 8.0) is None and handle_at(RECT, 200, 520, 8.0) is None


@pytest.mark.parametrize("handle", [name for name in HANDLES if name != "inside"])
@pytest.mark.parametrize("ratio", [None, 1.5, 0.8])
@pytest.mark.parametrize("by", [(60.0, 35.0), (-3000.0, -3000.0), (3000.0, 10.0), (-20.0, 3000.0)])
def test_drags_stay_inside_and_keep_the_ratio(handle, ratio, by):
    made = dragged(RECT if ratio is None else shaped(RECT, ratio, WHOLE), handle, by, WHOLE, ratio)
    assert made.x >= -1e-6 and made.y >= -1e-6
    assert made.x + made.w <= WHOLE[0] + 1e-6 and made.y + made.h <= WHOLE[1] + 1e-6
    assert made.w > 0 and made.h > 0
    if ratio is not None:
        assert made.w / made.h == pytest.approx(ratio)


def test_what_is_not_dragged_stays():
    assert dragged(RECT, "se", (50.0, -30.0), WHOLE, None) == Rect(200, 100, 650, 370)
    assert dragged(RECT, "w", (50.0, -30.0), WHOLE, None) == Rect(250, 100, 550, 400)
    assert dragged(RECT, "inside", (50.0, -300.0), WHOLE, 1.5) == Rect(250, 0, 600, 400)
    assert dragged(RECT, "nw", (-60.0, 0.0), WHOLE, 1.5) == Rect(140, 60, 660, 440)
    assert dragged(RECT, "se", (0.0, 60.0), WHOLE, 1.5) == Rect(200, 100, 690, 460), "the side that asks for more"
    grown = dragged(RECT, "e", (60.0, 0.0), WHOLE, 1.5)
    assert grown.x == 200 and grown.w == 660 and grown.middle[1] == RECT.middle[1]


def test_ratios_lie_or_stand_as_the_crop_does():
    standing = Rect(0, 0, 300, 500)
    assert ratio_of("4:5", RECT, WHOLE) == 1.25 and ratio_of("4:5", standing, WHOLE) == 0.8
    assert ratio_of("original", RECT, WHOLE) == 1.5 and ratio_of("original", standing, (800, 1200)) == 1 / 1.5
    assert ratio_of("free", RECT, WHOLE) is None
    square = shaped(RECT, 1.0, WHOLE)
    assert square.middle == RECT.middle and square.w == square.h == pytest.approx(np.sqrt(240_000))
    assert shaped(Rect(0, 0, 1200, 800), 1.0, WHOLE).w == 800


def test_guides_cross_where_they_should():
    assert crossings("thirds", RECT)[0] == pytest.approx((400, 233.333), abs=1e-3)
    assert crossings("golden", RECT)[3] == pytest.approx((200 + 600 * 0.618034, 100 + 400 * 0.618034), abs=1e-3)
    assert crossings("centre", RECT) == [(500, 300)]
    # the diagonals of a lying rectangle's two squares cross on its middle line
    assert {round(y) for _, y in crossings("diagonals", RECT)} >= {300}
    for kind in GUIDES:
        assert all(RECT.holds(*end) for line in guide_lines(kind, RECT) for end in line)
    assert off_crossing("thirds", RECT, 460, 233.333) == pytest.approx(0.1, abs=1e-3)
