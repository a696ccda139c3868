"""How frames lie on each other, against how they were taken."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.frame.laid import Laid, places
from matiz.develop.frame.sensor import Sensor
from matiz.merge.align import AlignError, aligned

from .moving import PANS, Seen, moved_by

SIZE = (1200, 800)


def missed_px(alignment, truth, size=SIZE):
    """(n,) how far places of the reference are from where they truly lie."""
    x, y = np.meshgrid(np.linspace(60, size[0] - 60, 20), np.linspace(60, size[1] - 60, 14))
    to = np.stack([x, y, np.ones_like(x)], axis=-1) @ np.linalg.inv(truth).T
    to = to[..., :2] / to[..., 2:]
    inside = (to > 0).all(axis=-1) & (to < size).all(axis=-1)
    return np.linalg.norm(alignment.at(x, y) - to, axis=-1)[inside]


@pytest.fixture(scope="module")
def pans():
    return Seen("salt-pans", SIZE, 5)


@pytest.mark.parametrize(("ev", "dx", "dy", "turn"), [(-2.6, 40.0, -25.0, 1.0), (1.4, -33.3, 21.7, -0.8)])
def test_a_shift_of_40_px_and_a_degree_is_found_within_a_third_of_a_px(pans, ev, dx, dy, turn):
    truth = moved_by(SIZE, dx, dy, turn)
    one = pans.frame("a", replace(PANS, ev=-0.6))
    other = pans.frame("b", replace(PANS, ev=ev, seed=2), truth)
    found = aligned(Sensor(one), Sensor(other), 2.0 ** (ev + 0.6))
    assert missed_px(found, truth).max() < 0.3
    assert found.turn_deg == pytest.approx(-turn, abs=0.02) and found.rest_px < 0.15
    assert found.shift_px == pytest.approx(np.hypot(dx, dy), abs=1.0)


def test_what_a_lens_bends_is_found(pans):
    """Frames of a lens that draws lines bent: a homography alone leaves a third of a px in the corners."""
    from matiz_simcam.lens import KIT

    truth = moved_by(SIZE, 40.0, 10.0, 0.0)
    settings = replace(PANS, ev=-0.6, lens=KIT)
    one, other = pans.frame("a", settings), pans.frame("b", replace(settings, seed=2), truth)
    found = aligned(Sensor(one), Sensor(other))
    assert np.abs(found.bend_px[3:]).max() > 0.1 and found.rest_px < 0.12
    corner = np.array(40.0), np.array(40.0)
    straight = replace(found, bend_px=np.zeros((10, 2)))
    assert np.linalg.norm(found.at(*corner) - straight.at(*corner)) > 0.1


def test_frames_of_different_things_are_refused(pans, chart_sensor):
    one = Sensor(pans.frame("a", PANS))
    with pytest.raises(AlignError, match="align them"):
        aligned(one, chart_sensor)


@pytest.fixture
def chart_sensor():
    return Sensor(Seen("lava-lizard", SIZE).frame("c", PANS))


def test_nothing_to_see_is_refused():
    grey = Seen("grey", SIZE)
    one, other = grey.frame("a", PANS), grey.frame("b", replace(PANS, seed=2))
    with pytest.raises(AlignError):
        aligned(Sensor(one), Sensor(other))


def test_places_in_between_are_put_in_exactly(pans):
    found = aligned(Sensor(pans.frame("a", PANS)), Sensor(pans.frame("b", PANS, moved_by(SIZE, 7.0, -3.0, 1.0))))
    x, y, w, h = area = (37, 101, 300, 70)
    at = found.at(*np.meshgrid(np.arange(x, x + w, dtype=float), np.arange(y, y + h, dtype=float)))
    assert np.abs(places(found, area) - at).max() < 0.01
    # a level counts px at their middles
    half = places(found, (20, 60, 50, 40), 1)
    whole = found.at(*np.meshgrid(2.0 * np.arange(20, 70) + 0.5, 2.0 * np.arange(60, 100) + 0.5))
    assert np.abs((half + 0.5) * 2.0 - 0.5 - whole).max() < 0.02


def test_a_strip_is_the_same_as_of_the_whole(pans):
    """Where a frame lies on the reference does not depend on the strip that is asked."""
    other = pans.frame("b", PANS, moved_by(SIZE, 7.3, -3.2, 0.4))
    laid = Laid(Sensor(other), aligned(Sensor(pans.frame("a", PANS)), Sensor(other)))
    whole, nearly = laid.seen((0, 0, *SIZE))
    part, nearly_part = laid.seen((0, 301, SIZE[0], 96))
    inner = np.s_[:, 8:-8]
    # a 32nd of a px is what resampling goes by
    assert np.percentile(np.abs(part - whole[301:397])[inner], 99.9) < 2e-3
    assert np.median(np.abs(nearly_part - nearly[301:397])[inner]) < 1e-4
