"""One smooth area in two hues: found where a turn was planted in real skies and walls, not where nothing was."""

import numpy as np
import pytest
import skimage.data
import sklearn.datasets
from bench.mismatch import largest_area, planted, turn_for
from PIL import Image

from matiz.colour.spaces import XYZ_TO_SRGB, Lab_to_XYZ, decode_sRGB, encode_sRGB, sRGB_to_Lab
from matiz.develop.graph.engine import Engine
from matiz.findings.colour import two_hues
from matiz.findings.find import fixed
from matiz.measure.colour.mismatch import find_mismatch
from matiz.measure.picture import Meter
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe

NAMES = ("astronaut", "chelsea", "coffee", "rocket", "retina", "china", "flower")


def photograph(name: str) -> np.ndarray:
    """Display-linear sRGB, of scikit-image or scikit-learn."""
    own = getattr(skimage.data, name, None)
    values = own() if own is not None else sklearn.datasets.load_sample_image(f"{name}.jpg")
    return decode_sRGB(values[..., :3] / 255.0).astype(np.float32)


@pytest.mark.parametrize("name", NAMES)
def test_nothing_is_found_in_photographs_as_they_are(name):
    assert find_mismatch(photograph(name)) is None


@pytest.mark.parametrize("sign", [1.0, -1.0])
@pytest.mark.parametrize("angle", [0.3, 2.0])
def test_a_turn_of_hue_that_was_planted_is_found_in_its_size_and_place(sign, angle):
    sky = photograph("rocket")
    area = largest_area(sky)
    turn = sign * turn_for(sky, area)
    found = find_mismatch(planted(sky, area, turn, angle))
    # either side may be called the part
    assert abs(found.dh) == pytest.approx(abs(turn), rel=0.2) and found.dE00 == pytest.approx(4.0, abs=2.5)
    assert 0.05 < found.share < 0.5 and 0.4 <= found.certainty <= 0.6
    assert found.where.shape == sky.shape[:2]
    (x, y, w, h), (x2, y2, w2, h2) = found.part, found.rest
    assert found.where[y : y + h, x : x + w].mean() > 0.95 and found.where[y2 : y2 + h2, x2 : x2 + w2].mean() < 0.05


def test_a_step_that_is_too_small_to_see_is_left():
    sky = photograph("rocket")
    assert find_mismatch(planted(sky, largest_area(sky), 2.0, 0.3)) is None


def test_drift_of_hue_is_no_step():
    """A sky that goes evenly from one hue to another."""
    y, x = np.mgrid[0:200, 0:300] / 300.0
    hue = np.radians(240.0 + 40.0 * x + 10.0 * y)
    Lab = np.stack([60.0 + 20.0 * y, 25.0 * np.cos(hue), 25.0 * np.sin(hue)], axis=-1)
    linear = Lab_to_XYZ(Lab) @ XYZ_TO_SRGB.T
    assert linear.min() > 0.0 and find_mismatch(linear.astype(np.float32)) is None


def test_two_things_of_their_own_colours_are_no_mismatch():
    """A sky over a sea: lightness steps with the hue."""
    Lab = np.zeros((200, 300, 3))
    Lab[:100], Lab[100:] = (75.0, -8.0, -22.0), (45.0, -18.0, -16.0)
    linear = Lab_to_XYZ(Lab) @ XYZ_TO_SRGB.T
    assert find_mismatch(linear.astype(np.float32)) is None


def test_the_fix_takes_the_step_away_and_nothing_else(tmp_path):
    sky = photograph("rocket")
    area = largest_area(sky)
    shifted = planted(sky, area, 22.0, 0.7)
    path = tmp_path / "sky.png"
    Image.fromarray(np.rint(255.0 * encode_sRGB(shifted)).astype(np.uint8)).save(path)
    engine = Engine(read_frame(path))
    recipe = Recipe.starting(engine.frame.start)
    (finding,) = two_hues(Meter(engine).picture(recipe), recipe)
    assert finding.evidence["after_dE00"] < 0.5 and finding.outlines
    done = fixed(recipe, finding)
    assert not two_hues(Meter(engine).picture(done), done)
    after = engine.render(done, 0, result="display")
    pictures = {"sky": sky, "shifted": shifted, "after": after}
    lab = {name: sRGB_to_Lab(np.clip(each, 0.0, 1.0)) for name, each in pictures.items()}
    off = {name: np.linalg.norm(lab[name] - lab["sky"], axis=-1) for name in ("shifted", "after")}
    was_off = off["shifted"] > 4.0
    assert off["after"][was_off].mean() < 0.4 * off["shifted"][was_off].mean()
    assert off["after"][~was_off].mean() < 1.0


@pytest.mark.parametrize("angle", [1.57, 3.66])
def test_a_drift_that_bends_and_one_that_does_not_each_show_what_the_other_takes_with_it(angle):
    sky = photograph("china")
    area = largest_area(sky)
    turn = -turn_for(sky, area)
    assert abs(find_mismatch(planted(sky, area, turn, angle)).dh) == pytest.approx(abs(turn), rel=0.3)
