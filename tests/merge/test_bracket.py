"""A bracket merged, against the light that the simulated scene sends."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from matiz.develop.frame.laid import Laid
from matiz.develop.frame.sensor import Sensor
from matiz.develop.graph.engine import Engine
from matiz.errors import ArgumentError, Cancelled
from matiz.merge.bracket import merge_bracket
from matiz.raw.noise import noise_of
from matiz.recipe.model import Recipe

from .moving import PANS, Seen, moved_by, radiance

SIZE = (1200, 800)
EVS = (-0.6, -2.6, 1.4)
RECT = (60, 44)


def taken(pans, *, moves=True, things=None, evs=EVS):
    out = []
    for n, ev in enumerate(evs):
        at = moved_by(SIZE, 16.0 * n, -9.0 * n, 0.4 * n) if moves else None
        settings = replace(PANS, ev=ev, seed=n + 1, time_s=2.0 ** (ev + 0.6) / 60)
        out.append(pans.frame(f"B_{n}.dng", settings, at, None if things is None else things[n]))
    return out


@pytest.fixture(scope="module")
def pans():
    return Seen("salt-pans", SIZE, 5)


@pytest.fixture(scope="module")
def merged(pans):
    return merge_bracket(taken(pans))


def calm(image):
    return cv2.blur(image, (9, 9))


def test_the_light_is_the_scene_s_within_two_percent(pans, merged):
    """In every zone that any frame holds, on average; single patches of texture differ by what demosaicing does."""
    truth, found = calm(radiance(pans, -2.6)), calm(merged.frame.linear)
    held = calm((radiance(pans, -2.6).max(axis=2) < 0.9).astype(np.float32)) > 0.999
    for low, high in ((-9, -7), (-7, -5), (-5, -3), (-3, -1)):
        zone = held & (truth[..., 1] > 2.0**low) & (truth[..., 1] <= 2.0**high)
        if zone.sum() > 500:
            assert np.abs((found[zone] / truth[zone]).mean(axis=0) - 1.0).max() < 0.02
            assert np.median(np.abs(found[zone] / truth[zone] - 1.0)) < 0.01


def test_exposures_are_measured_and_written_down(merged):
    assert merged.frame.merged.exposures_EV == pytest.approx((0.0, -2.0, 2.0), abs=0.01)
    assert merged.frame.merged.names == ("B_0.dng", "B_1.dng", "B_2.dng")
    assert merged.frame.colour.baseline_EV == pytest.approx(2.0, abs=0.01)
    assert merged.frame.full_level == 1.0 and merged.frame.linear.max() <= 1.05


def test_it_is_as_bright_as_the_frame_in_the_middle(pans, merged):
    """Whatever the shortest one shows."""
    middle = taken(pans, moves=False)[0]
    own, other = (Engine(frame).render(Recipe(), 2, result="small display") for frame in (middle, merged.frame))
    assert own.mean(axis=(0, 1)) == pytest.approx(other.mean(axis=(0, 1)), rel=0.015)
    assert np.median(np.abs(own - other)) < 0.01


def test_noise_is_close_to_the_least_that_is_possible():
    """A grey field in three exposures that all hold it: the inverse variances add up."""
    grey = Seen("grey", SIZE)
    frames = [
        grey.frame(f"G_{n}.dng", replace(PANS, ev=ev, iso=3200, seed=n + 1, time_s=2.0**ev / 60))
        for n, ev in enumerate((-1.0, -3.0, 0.0))
    ]
    # nothing to lay them by: they stand
    from matiz.merge import bracket

    laid = [Laid(Sensor(frame)) for frame in frames]
    gains = [1.0, 0.25, 2.0]
    moved = bracket.find_moved(laid, gains)
    assert moved.share == 0.0
    made = bracket._together(laid, gains, moved, lambda _s, _t: True)
    singles = [each.seen((0, 0, *SIZE))[0] / gain for each, gain in zip(laid, gains, strict=True)]
    inner = np.s_[60:-60, 60:-60]
    by_frame = [single[inner][..., 1].std() for single in singles]
    least = sum(value**-2 for value in by_frame) ** -0.5
    assert made[inner][..., 1].std() < 1.1 * least
    level = np.mean([single[inner][..., 1].mean() for single in singles])
    assert made[inner][..., 1].mean() == pytest.approx(level, rel=0.005)
    assert noise_of(frames[0]).shot > 0


def test_something_that_moves_is_there_once_and_told(pans):
    w, h = RECT
    things = [((300 + 160 * n, 560, w, h), 0.02) for n in range(3)]
    made = merge_bracket(taken(pans, things=things))
    truth = radiance(pans, -2.6)
    truth[560 : 560 + h, 300 : 300 + w] = made.frame.linear[570 : 560 + h - 10, 310 : 300 + w - 10].mean(axis=(0, 1))
    for n, ((x, y, _, _), _) in enumerate(things):
        here = np.s_[y + 8 : y + h - 8, x + 8 : x + w - 8]
        away = np.abs(made.frame.linear[here].mean(axis=(0, 1)) / truth[here].mean(axis=(0, 1)) - 1.0)
        assert away.max() < 0.04, f"where it was in frame {n}"
    areas = made.frame.merged.moved
    assert len(areas) >= 3
    for x, y, _, _ in (thing for thing, _ in things):
        assert any(ax <= x + w / 2 <= ax + aw and ay <= y + h / 2 <= ay + ah for ax, ay, aw, ah in areas)


def test_nothing_moved_is_told_where_nothing_did(merged):
    assert merged.moved.share < 0.003


def test_where_the_reference_is_full_the_darker_frame_says_what_moved():
    """A white thing in the sun, full in the reference, is gone in the darkest one."""
    pans = Seen("salt-pans", SIZE, 5)
    things = [((500, 300, 80, 80), 9.0), ((500, 300, 80, 80), 0.1), ((500, 300, 80, 80), 9.0)]
    made = merge_bracket(taken(pans, moves=False, things=things))
    own = made.frame.linear[320:360, 520:560]
    # of one frame alone, whichever: no mixture
    assert np.ptp(own.mean(axis=(0, 1)) / own.mean()) < 3.0
    assert any(ax <= 540 <= ax + aw and ay <= 340 <= ay + ah for ax, ay, aw, ah in made.frame.merged.moved)
    values = own[..., 1]
    assert values.std() < 0.1 * values.mean()


def test_where_all_are_full_it_is_white():
    pans = Seen("salt-pans", SIZE, 5)
    sun = [((600, 200, 60, 60), 40.0)] * 3
    made = merge_bracket(taken(pans, moves=False, things=sun))
    assert made.frame.linear[210:250, 610:650].min() > 0.97
    assert Sensor(made.frame).highlights is not None, "the colour round it is rebuilt as of a frame that is one"
    assert Sensor(replace(made.frame, merged=None)).highlights is None
    shown = Engine(made.frame).render(Recipe(), 0, (610, 210, 40, 40), result="display")
    assert shown.min() > 0.9 and np.ptp(shown.mean(axis=(0, 1))) < 0.05


def test_where_only_lighter_frames_reach_what_is_full_is_white():
    """At a border that the darkest frame does not see, a lamp that fills the others has no colour of its own."""
    pans = Seen("salt-pans", SIZE, 5)
    lamp = ((0, 300, 24, 60), 40.0)
    frames = []
    for n, ev in enumerate(EVS):
        settings = replace(PANS, ev=ev, seed=n + 1, time_s=2.0 ** (ev + 0.6) / 60)
        frames.append(pans.frame(f"L_{n}.dng", settings, moved_by(SIZE, 40.0 * (n == 1), 0.0, 0.0), lamp))
    made = merge_bracket(frames).frame
    own = made.linear[310:350, 4:16].reshape(-1, 3) / made.colour.as_shot_neutral
    assert np.ptp(own, axis=1).max() < 0.02 * own.mean() and own.mean() > 0.2


def test_what_is_full_in_the_lightest_frame_alone_has_moved(pans):
    things = [None, None, ((190, 446, 60, 26), 9.0)]
    made = merge_bracket(taken(pans, moves=False, things=things))
    assert any(ax <= 220 <= ax + aw and ay <= 459 <= ay + ah for ax, ay, aw, ah in made.frame.merged.moved)
    here = np.s_[450:468, 196:244]
    truth = radiance(pans, -2.6)[here].mean(axis=(0, 1))
    assert np.abs(made.frame.linear[here].mean(axis=(0, 1)) / truth - 1.0).max() < 0.03


@pytest.mark.parametrize("fault", ["one", "size", "camera", "picture"])
def test_frames_that_do_not_go_together_are_refused(pans, fault):
    frames = taken(pans, moves=False, evs=(-0.6, -2.6))
    if fault == "one":
        frames, words = frames[:1], "from 2 to"
    elif fault == "size":
        frames[1], words = Seen("grey", (600, 400)).frame("S.dng", PANS), "S.dng: has 600x400"
    elif fault == "camera":
        frames[1], words = replace(frames[1], camera="Other"), "is of Other"
    else:
        picture = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
        frames[1], words = replace(frames[1], mosaic=None, linear=picture, path=Path("p.jpg")), "p.jpg: only raw"
    with pytest.raises(ArgumentError, match=words):
        merge_bracket(frames)


def test_the_noise_of_a_frame_that_says_nothing_of_it_is_measured_once(pans, monkeypatch):
    from matiz.raw import noise

    counted, measure = [], noise.measure_noise

    def count(mosaic, common):
        counted.append(mosaic)
        return measure(mosaic, common)

    monkeypatch.setattr(noise, "measure_noise", count)
    frames = [replace(frame, noise_profile=()) for frame in taken(pans)]
    made = merge_bracket(frames)
    assert len(counted) == 3 and made.frame.noise_profile == ()
    assert np.log2(made.gains) == pytest.approx((0.0, -2.0, 2.0), abs=0.01)


def test_it_can_be_stopped(pans):
    heard = []

    def told(share, text):
        heard.append((share, text))
        return share < 0.5

    with pytest.raises(Cancelled):
        merge_bracket(taken(pans, moves=False), told)
    shares = [share for share, _ in heard]
    assert shares == sorted(shares) and shares[-1] < 0.9
