"""Maps of a frame as masks at every size."""

from itertools import pairwise

import cv2
import numpy as np
import pytest

from matiz.develop.frame import along_edges
from matiz.develop.frame.along_edges import AlongEdges, FrameMap
from matiz.develop.frame.cache import Cache
from matiz.develop.frame.tiles import level_size
from matiz.masks import edges
from matiz.masks.matting import SURE
from matiz.masks.view import MaskWindow

from ..masks.test_edges import as_found, furry

SIDE = 2400


@pytest.fixture(scope="module")
def frame():
    """A picture of 2,400 px (8 bits), and its true share; its map is of 300."""
    picture, alpha = furry(SIDE // 4)
    picture, alpha = (cv2.resize(m, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC) for m in (picture, alpha))
    return np.clip(picture * 255.0, 0, 255).astype(np.uint8), np.clip(alpha, 0.0, 1.0)


@pytest.fixture
def of(frame):
    """Makes the masks of the frame, and a map of it."""
    picture, alpha = frame

    def lit(level, region):
        small = cv2.resize(picture, level_size((SIDE, SIDE), level), interpolation=cv2.INTER_AREA)
        x, y, w, h = region
        return small[y : y + h, x : x + w]

    return AlongEdges((SIDE, SIDE), lit, Cache(2**27)), as_found(
        cv2.resize(alpha, (300, 300), interpolation=cv2.INTER_AREA)
    )


def view(level: int, region=None) -> MaskWindow:
    size = level_size((SIDE, SIDE), level)
    left, top, width, height = region or (0, 0, *size)
    x, y = ((np.arange(at, at + n, dtype=np.float32) + 0.5) / size[0] for at, n in ((left, width), (top, height)))
    places = np.broadcast_to(x, (height, width)), np.broadcast_to(y[:, None], (height, width))
    return MaskWindow(np.zeros((height, width, 3), np.float32), lambda: places[0], lambda: places, 2.0**level, SIDE, {})


def test_a_thing_is_exact_at_every_size_and_the_sizes_agree(frame, of):
    _, alpha = frame
    masks, share = of
    made = [masks.seen(FrameMap("thing", share), view(level)) for level in (0, 1, 2, 3)]
    for level, each in enumerate(made):
        true = cv2.resize(alpha, level_size((SIDE, SIDE), level), interpolation=cv2.INTER_AREA)
        rough = cv2.resize(share, true.shape[::-1], interpolation=cv2.INTER_LINEAR)
        by_colours = masks.seen(FrameMap("colours", share, hair_px=0.0), view(level))
        assert np.abs(each - true).mean() < 0.8 * np.abs(rough - true).mean()
        assert np.abs(each - true).mean() < 0.95 * np.abs(by_colours - true).mean()
    for larger, smaller in pairwise(made):
        halved = cv2.resize(larger, smaller.shape[::-1], interpolation=cv2.INTER_AREA)
        assert np.abs(halved - smaller).mean() < 0.01
    # smaller than the first size that is made exact: its mean
    assert np.abs(cv2.resize(made[2], made[3].shape[::-1], interpolation=cv2.INTER_AREA) - made[3]).max() < 0.01


def test_a_region_is_as_it_is_in_the_whole_picture(of):
    masks, share = of
    region = (300, 200, 800, 700)
    whole = masks.seen(FrameMap("whole", share), view(0))
    alone = masks.seen(FrameMap("alone", share), view(0, region))
    x, y, w, h = region
    assert np.abs(alone - whole[y : y + h, x : x + w]).max() < 0.02


@pytest.mark.parametrize("is_thing", [True, False])
def test_tiles_meet_without_a_seam(of, is_thing):
    masks, share = of
    make, of = (
        (masks._exact_tile, FrameMap("thing", share)) if is_thing else (masks._tile, FrameMap("skin", share, 0.0))
    )
    whole = make(of, 0, (0, 0, SIDE, SIDE)).astype(float)
    for x, y, w, h in ((0, 0, 1100, SIDE), (1100, 0, 1300, SIDE)):
        off = np.abs(make(of, 0, (x, y, w, h)) - whole[y : y + h, x : x + w])
        assert off.mean() < 0.3 and off[:, [0, -1]].mean() < 2.0


def test_a_quality_follows_colours_and_asks_no_network(of, monkeypatch):
    masks, share = of
    monkeypatch.setattr(edges, "exact", lambda *_: pytest.fail("asked"))
    made = masks.seen(FrameMap("skin", share, hair_px=0.0), view(1))
    assert made[600, 600] == 1.0 and made[5, 5] == 0.0


def test_the_network_is_asked_in_small_sizes_and_only_where_there_is_an_edge(of, monkeypatch):
    masks, share = of
    asked, plain = [], edges.exact
    monkeypatch.setattr(edges, "exact", lambda *given: asked.append(given) or plain(*given))
    masks.seen(FrameMap("thing", share), view(0, (1100, 1100, 200, 200)))
    inside = len(asked)
    masks.seen(FrameMap("thing", share), view(0, (300, 1100, 400, 200)))
    assert len(asked) > inside
    for rough, *_ in asked:
        assert rough.max() > SURE and rough.min() < 1.0 - SURE
    asked.clear()
    monkeypatch.setattr(along_edges, "EXACT_LEVELS", 2)
    masks.seen(FrameMap("again", share), view(1))
    smaller = len(asked)
    masks.seen(FrameMap("again", share), view(0, (300, 1100, 400, 200)))
    assert len(asked) == smaller, "what is larger follows colours"


def test_without_the_network_a_thing_follows_colours(of, monkeypatch):
    masks, share = of
    monkeypatch.setattr(edges, "can_be_exact", lambda: False)
    made = masks.seen(FrameMap("thing", share), view(1))
    rough = cv2.resize(share, made.shape[::-1], interpolation=cv2.INTER_LINEAR)
    assert made[600, 600] == 1.0 and made[5, 5] == 0.0 and np.abs(made - rough).mean() > 0.001


def test_where_the_network_is_not_heard_it_is_as_colours_say_in_one_go(of, monkeypatch):
    masks, share = of
    monkeypatch.setattr(edges, "_colour_separation", lambda planes: np.zeros(planes.shape[:2], np.float32))
    for level in (0, 1, 2):
        made = masks.seen(FrameMap("alike", share), view(level))
        by_colours = masks.seen(FrameMap("colours", share, hair_px=0.0), view(level))
        assert np.abs(made - by_colours).max() < 0.02
