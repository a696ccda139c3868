"""One thing followed through a set. The truth is known: pictures are turned, sized and lit anew from a photograph of
scikit-image."""

from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.colour.spaces import SRGB_TO_REC2020, decode_sRGB
from matiz.develop.graph.engine import Engine
from matiz.measure.sort.same import LEAST_dE, drift_of, find_again, follow, level, thing_at
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.model import plain_recipe

JUMPER = (205, 390, 40, 40)
"""Orange cloth of the astronaut's suit, px."""


def engine(gains=(1.0, 1.0, 1.0), turn_deg=0.0, size=1.0, shift=(0.0, 0.0), moved=None) -> tuple[Engine, np.ndarray]:
    """The photograph in another light and from elsewhere; and where its px lie then, (2, 3)."""
    picture = decode_sRGB(skimage.data.astronaut() / 255.0).astype(np.float32)
    if moved is not None:
        x, y, w, h = JUMPER
        picture[y - 5 : y + h + 5, x - 5 : x + w + 5] = moved
    height, width = picture.shape[:2]
    way = cv2.getRotationMatrix2D((width / 2, height / 2), turn_deg, size)
    way[:, 2] += shift
    picture = cv2.warpAffine(picture, way, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    linear = np.clip(picture * np.array(gains, np.float32), 0.0, 1.0) @ SRGB_TO_REC2020.T.astype(np.float32)
    return Engine(Frame(Path("a.tif"), CameraColour(), linear=np.ascontiguousarray(linear, np.float32))), way


@pytest.fixture(scope="module")
def anchor():
    own, _ = engine()
    return thing_at(own, plain_recipe(own.frame.start), JUMPER)


@pytest.mark.parametrize("turn_deg, size, shift", [(0, 1.0, (30, -20)), (8, 0.8, (0, 0)), (-12, 1.2, (-15, 10))])
def test_it_is_found_where_it_lies_in_another_light_and_from_elsewhere(anchor, turn_deg, size, shift):
    other, way = engine((0.7, 0.75, 0.9), turn_deg, size, shift)
    x, y, w, h = find_again(other, plain_recipe(other.frame.start), anchor)
    truth = way @ [JUMPER[0] + JUMPER[2] / 2, JUMPER[1] + JUMPER[3] / 2, 1.0]
    assert (x + w / 2, y + h / 2) == pytest.approx(tuple(truth), abs=4.0)


@pytest.mark.parametrize("name", ["coffee", "chelsea", "rocket"])
def test_in_a_picture_without_it_it_is_lost(anchor, name):
    picture = decode_sRGB(getattr(skimage.data, name)() / 255.0) @ SRGB_TO_REC2020.T
    other = Engine(Frame(Path("b.tif"), CameraColour(), linear=picture.astype(np.float32)))
    assert follow(other, plain_recipe(other.frame.start), anchor) is None


def test_where_something_else_lies_it_is_lost_and_one_who_knows_is_believed(anchor):
    other, _ = engine(moved=(0.02, 0.1, 0.3))
    recipe = plain_recipe(other.frame.start)
    assert find_again(other, recipe, anchor) is not None
    assert follow(other, recipe, anchor) is None
    assert follow(other, recipe, anchor, JUMPER).drift.dE00 > 12.0


def test_where_it_went_away_before_something_of_its_colour_it_is_lost(anchor):
    """Its surroundings stay; no colour tells."""
    picture = decode_sRGB(skimage.data.astronaut() / 255.0).astype(np.float32)
    x, y, w, h = JUMPER
    own = np.median(picture[y : y + h, x : x + w].reshape(-1, 3), axis=0)
    picture[y - 30 : y + h + 30, x - 30 : x + w + 30] = own
    linear = (picture @ SRGB_TO_REC2020.T).astype(np.float32)
    other = Engine(Frame(Path("a.tif"), CameraColour(), linear=linear))
    recipe = plain_recipe(other.frame.start)
    assert drift_of(other, recipe, anchor, JUMPER).dE00 < 5.0
    assert find_again(other, recipe, anchor) is None


@pytest.mark.parametrize("gains", [(0.7, 0.7, 0.7), (0.85, 0.9, 1.0), (0.8, 0.7, 0.6)])
def test_drift_is_levelled_by_exposure_and_light(anchor, gains):
    other, _ = engine(gains)
    recipe = plain_recipe(other.frame.start)
    found = follow(other, recipe, anchor)
    assert found.drift.dE00 > 2.0 and found.drift.dL < 0.0
    assert found.levelled.after.dE00 < 0.3
    after = recipe.change_all(found.levelled.settings, label="x")[0]
    assert drift_of(other, after, anchor, found.area).dE00 == pytest.approx(found.levelled.after.dE00, abs=0.02)
    assert after.tone.exposure_EV > 0.1


def test_what_is_alike_is_left_alone_and_what_cannot_be_brought_back_too(anchor):
    same, _ = engine((0.99, 1.0, 1.0))
    recipe = plain_recipe(same.frame.start)
    found = follow(same, recipe, anchor)
    assert found.drift.dE00 < LEAST_dE and found.levelled is None
    full, _ = engine((60.0, 60.0, 60.0))
    assert level(full, recipe, anchor, JUMPER) is None, "what is cut off has no colour left"
