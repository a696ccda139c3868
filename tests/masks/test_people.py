"""People by their faces, their skin, features of a face, and what is in focus."""

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.masks.faces import Face, faces
from matiz.masks.features import features
from matiz.masks.focus import edge_spreads, find_focus
from matiz.masks.people import person, skin


@pytest.fixture(scope="module")
def astronaut():
    return skimage.data.astronaut()


@pytest.fixture(scope="module")
def face(astronaut) -> Face:
    [found] = faces(astronaut)
    return found.moved(lambda points: points / 512.0)


@pytest.fixture(scope="module")
def subject():
    """About where she is, drawn by hand: no network."""
    out = np.zeros((512, 512), np.uint8)
    outline = [(170, 60), (220, 20), (280, 70), (290, 130), (300, 190), (400, 280), (512, 360), (512, 512), (0, 512),
               (30, 300), (120, 230), (190, 190)]  # fmt: skip
    cv2.fillPoly(out, [np.array(outline, np.int32)], 1)
    return out.astype(np.float32)


def test_features_lie_where_they_are_and_turn_with_the_head(astronaut, face):
    own = face.features
    assert own.likely > 0.9
    for eye, at in zip(own.eyes, ((204, 101), (248, 103)), strict=True):
        assert np.abs(np.mean(eye, axis=0) * 512 - at).max() < 5
    assert np.abs(np.mean(own.lips, axis=0) * 512 - (224, 146)).max() < 6
    turned = np.ascontiguousarray(np.rot90(astronaut))
    # a quarter turn to the left: x goes to 511 - x upward
    to = [(y, 511 - x) for x, y in ((204, 101), (248, 103))]
    again = features(turned, (120.0, 511.0 - 225.0), 112.0, to[0], to[1])
    assert again.likely > 0.9
    assert np.abs(np.mean(again.eyes[0], axis=0) - to[0]).max() < 6


def test_what_is_no_face_is_not_believed(monkeypatch, astronaut):
    assert faces(skimage.data.rocket()) == [] and faces(skimage.data.coffee()) == []
    monkeypatch.setattr("matiz.masks.faces.SURE", 2.0)
    assert len(faces(astronaut)) == 1, "both networks agree"
    monkeypatch.setattr("matiz.masks.faces.LIKELY", 2.0)
    assert faces(astronaut) == []


def test_a_person_is_found_by_the_face_and_leaves_the_flag_and_the_wall(astronaut, face, subject):
    mask = cv2.resize(person(astronaut, [face], 0, subject), (512, 512))
    for x, y in ((220, 110), (230, 45), (150, 400), (90, 330)):
        assert mask[y, x] > 0.8, (x, y)
    for x, y in ((20, 60), (330, 60), (60, 150), (480, 200)):
        assert mask[y, x] < 0.2, (x, y)


def test_of_two_people_each_is_its_own(astronaut, face, subject):
    two = np.concatenate([astronaut, astronaut[:, ::-1]], axis=1)
    own = [found.moved(lambda points: points / 1024.0) for found in faces(two)]
    own.sort(key=lambda each: each.x)
    both = np.concatenate([subject, subject[:, ::-1]], axis=1)
    left, right = (cv2.resize(person(two, own, n, both), (1024, 512)) for n in (0, 1))
    assert left[110, 220] > 0.8 and left[110, 1023 - 220] < 0.1
    assert right[110, 1023 - 220] > 0.8 and right[110, 220] < 0.1
    assert (np.minimum(left, right)[:, :400] > 0.5).mean() < 0.01


def test_one_before_another_is_not_the_other(astronaut, subject):
    """Half her size, before her own chest: nothing but faces tells them apart."""
    both = astronaut.copy()
    small = cv2.resize(astronaut[:230, 60:330], None, fx=0.55, fy=0.55, interpolation=cv2.INTER_AREA)
    top, left = 300, 130
    both[top : top + small.shape[0], left : left + small.shape[1]] = small
    large, little = (found.moved(lambda points: points / 512.0) for found in faces(both))
    at = round((little.y + little.h / 2) * 512), round((little.x + little.w / 2) * 512)
    mask = cv2.resize(person(both, [large, little], 0, subject), (512, 512))
    assert mask[110, 220] > 0.8 and mask[at] < 0.2
    other = cv2.resize(person(both, [large, little], 1, subject), (512, 512))
    assert other[at] > 0.8 and other[110, 220] < 0.2


def test_lips_and_eyes_are_no_skin_even_in_its_colour(astronaut, face):
    plain = np.zeros_like(astronaut)
    plain[...] = (205, 160, 135)
    mask = cv2.resize(skin(plain, [face], [np.ones((256, 256), np.float32)]), (512, 512))
    for x, y in ((204, 101), (248, 103), (224, 147)):
        assert mask[y, x] < 0.3, (x, y)
    assert mask[130, 190] > 0.9


def test_skin_is_the_face_without_eyes_and_lips_and_no_suit(astronaut, face, subject):
    body = person(astronaut, [face], 0, subject)
    mask = cv2.resize(skin(astronaut, [face], [body]), (512, 512))
    for x, y in ((190, 130), (255, 130), (225, 80), (222, 165)):
        assert mask[y, x] > 0.6, (x, y)
    for x, y in ((204, 101), (248, 103), (224, 147), (150, 400), (230, 30), (60, 60), (300, 440)):
        assert mask[y, x] < 0.3, (x, y)
    assert 0.01 < (mask > 0.5).mean() < 0.06
    grey = np.repeat(cv2.cvtColor(astronaut, cv2.COLOR_RGB2GRAY)[..., None], 3, axis=2)
    assert skin(grey, [face], [body]).max() < 0.1, "without colour skin cannot be told"
    assert skin(astronaut, [], []).max() == 0.0


# ---- focus


def step_picture(sigma: float) -> np.ndarray:
    grey = np.full((200, 300), 0.25, np.float32)
    grey[:, 100:200] = 0.7
    return cv2.GaussianBlur(grey, (0, 0), sigma)


@pytest.mark.parametrize("sigma", [1.0, 2.0, 3.5])
def test_the_spread_of_an_edge_comes_back(sigma):
    spread, weight = edge_spreads(step_picture(sigma))
    assert (weight > 0).any() and not (weight[:, 145:155] > 0).any()
    assert np.median(spread[weight > 0]) == pytest.approx(sigma, rel=0.15)


def test_what_is_blurred_is_out_of_focus_and_far_from_edges_nothing_is():
    rng = np.random.default_rng(2)
    texture = cv2.resize(rng.random((60, 90)).astype(np.float32), (900, 600), interpolation=cv2.INTER_NEAREST)
    picture = np.repeat((texture * 200 + 20)[..., None], 3, axis=2)
    picture[:, 600:] = cv2.GaussianBlur(picture, (0, 0), 6.0)[:, 600:]
    picture[:, :300] = 120.0
    focus = cv2.resize(find_focus(picture.astype(np.uint8)), (900, 600))
    assert focus[50:550, 320:570].mean() > 0.9
    assert focus[50:550, 650:880].mean() < 0.1
    assert focus[50:550, 20:120].mean() < 0.1
    assert (find_focus(np.full((100, 150, 3), 90, np.uint8)) == 1.0).all(), "without any edge"


def test_a_flower_before_a_blurred_garden_is_what_is_in_focus():
    from sklearn.datasets import load_sample_image

    focus = cv2.resize(find_focus(load_sample_image("flower.jpg")), (640, 427))
    assert focus[130:250, 220:360].mean() > 0.8
    assert focus[20:120, 20:150].mean() < 0.3 and focus[20:150, 480:600].mean() < 0.3
