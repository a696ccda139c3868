"""Light from grass or sky on a white animal: found where it is, silent where the colour is the thing's own."""

import numpy as np
import pytest
import skimage.data
from PIL import Image

from matiz.colour.spaces import XYZ_TO_SRGB, Lab_to_XYZ, decode_sRGB, encode_sRGB, sRGB_to_Lab
from matiz.develop.graph.engine import Engine
from matiz.findings.colour import cast_on_subject
from matiz.findings.find import fixed
from matiz.measure.colour.cast import find_cast
from matiz.measure.picture import Meter
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe

SIZE = (400, 600)
BOX = (200.0, 120.0, 200.0, 160.0)
GRASS, SKY = (45.0, -28.0, 30.0), (65.0, -8.0, -28.0)


def animal(ground, cast, own=(85.0, 0.5, 1.0)) -> np.ndarray:
    """An ellipse of fur on a ground, its lower half in the light of it: display-linear sRGB."""
    rng = np.random.default_rng(7)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(float)
    inside = ((x - 300.0) / 95.0) ** 2 + ((y - 200.0) / 75.0) ** 2 < 1.0
    Lab = np.empty((*SIZE, 3))
    Lab[...] = ground
    shade = np.clip((y - 190.0) / 60.0, 0.0, 1.0)[..., None]
    fur = np.array(own) * (1.0 - shade) + (np.array(own) + (-28.0, *cast)) * shade
    Lab[inside] = fur[inside]
    Lab[..., 0] += np.where(inside, 3.0, 1.5) * rng.normal(size=SIZE)
    return np.clip(Lab_to_XYZ(Lab) @ XYZ_TO_SRGB.T, 0.0, 1.0).astype(np.float32)


@pytest.mark.parametrize(("ground", "cast"), [(GRASS, (-7.0, 7.0)), (SKY, (-2.0, -9.0))])
def test_the_light_of_the_ground_on_white_fur_is_found(ground, cast):
    found = find_cast(animal(ground, cast), BOX)
    assert abs((found.hue_deg - np.degrees(np.arctan2(cast[1], cast[0])) + 180.0) % 360.0 - 180.0) < 25.0
    assert 0.12 < found.share < 0.6 and found.chroma > 5.0 and len(found.picks) >= 1
    for x, y in found.picks:
        assert 200 <= y < 290 and 200 < x < 400, "it shows on the lower side"


def test_what_is_coloured_by_itself_is_left():
    # a pale green bird, a white one on grey ground, and one without a cast
    assert find_cast(animal(GRASS, (0.0, 0.0), own=(75.0, -10.0, 10.0)), BOX) is None
    assert find_cast(animal((45.0, 0.0, 0.0), (-7.0, 7.0)), BOX) is None
    assert find_cast(animal(GRASS, (0.0, 0.0)), BOX) is None
    # an orange cat
    picture = decode_sRGB(skimage.data.chelsea() / 255.0).astype(np.float32)
    assert find_cast(picture, (80.0, 40.0, 300.0, 220.0)) is None


def test_the_fix_takes_the_cast_and_leaves_the_ground(tmp_path):
    path = tmp_path / "fur.png"
    Image.fromarray(np.rint(255.0 * encode_sRGB(animal(GRASS, (-8.0, 8.0)))).astype(np.uint8)).save(path)
    engine, recipe = Engine(read_frame(path)), Recipe.starting("rendered")
    (finding,) = cast_on_subject(Meter(engine).picture(recipe), recipe)
    assert "green" in finding.claim and finding.certainty < 0.7
    done = fixed(recipe, finding)
    before, after = (sRGB_to_Lab(engine.render(each, 0, result="display")) for each in (recipe, done))
    shaded, ground = np.s_[235:260, 280:320], np.s_[20:80, 20:120]
    chroma = [np.hypot(*np.moveaxis(each[shaded][..., 1:], -1, 0)).mean() for each in (before, after)]
    assert chroma[1] < 0.6 * chroma[0]
    assert np.abs(after - before)[ground].max() < 1.0
    assert not cast_on_subject(Meter(engine).picture(done), done), "it is told once"
