"""Where sharpening acts, how it is seen, and that skin and sky are left out of it."""

import cv2
import numpy as np
import pytest
import skimage.data
from PIL import Image

from matiz.colour.spaces import sRGB_to_Lab
from matiz.develop.graph.engine import Engine
from matiz.findings.detail import sharpens_skin, sharpens_sky
from matiz.findings.find import fixed
from matiz.measure.detail.sharpened import (
    FULL_L,
    SharpenedReading,
    _sky_spots,
    added_L,
    as_amount,
    as_where,
    unsharpened,
)
from matiz.measure.picture import Meter, PictureReading
from matiz.raw.decode import read_frame
from matiz.recipe.model import plain_recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Place, SkinOf, Sky

SHARP = (("detail.sharpen.amount_percent", 120.0), ("detail.sharpen.radius_px", 1.5), ("detail.sharpen.halo_L", 20.0))


def engine_of(pixels, path):
    Image.fromarray(pixels).save(path)
    return Engine(read_frame(path))


@pytest.fixture(scope="module")
def portrait(tmp_path_factory):
    return engine_of(skimage.data.astronaut()[:300, 100:400], tmp_path_factory.mktemp("p") / "p.png")


@pytest.fixture(scope="module")
def landscape(tmp_path_factory):
    """Noisy blue over textured brown."""
    random = np.random.default_rng(2)
    pixels = np.zeros((400, 600, 3))
    pixels[:220] = (90, 140, 210)
    pixels[:220] += random.normal(0.0, 6.0, (220, 600, 1))
    pixels[220:] = (110, 85, 60) + random.normal(0.0, 25.0, (180, 600, 1))
    return engine_of(np.clip(pixels, 0, 255).astype(np.uint8), tmp_path_factory.mktemp("l") / "l.png")


def judged(judge, engine, recipe):
    meter = Meter(engine)
    names = ("sharpened", "faces")
    return judge(PictureReading({name: meter.take(recipe, name) for name in names}), recipe)


def test_nothing_is_added_where_nothing_is_sharpened(portrait):
    recipe = plain_recipe()
    region = (60, 60, 100, 80)
    assert unsharpened(recipe) == recipe
    assert not added_L(portrait, recipe, 0, region).any()
    assert (as_amount(portrait, recipe, 0, region) == 128).all() and not as_where(portrait, recipe, 0, region).any()
    assert Meter(portrait).take(recipe, "sharpened") == SharpenedReading(None, None)


def test_what_is_added_is_light_and_what_is_taken_dark(portrait):
    recipe, region = plain_recipe().applied(SHARP), (60, 60, 120, 100)
    signed = added_L(portrait, recipe, 0, region)
    assert signed.max() > 1.0 and signed.min() < -1.0 and abs(signed.mean()) < 0.5
    L = sRGB_to_Lab(portrait.render(unsharpened(recipe), 0, region, result="display"))[..., 0].astype(np.float32)
    edges = L - cv2.GaussianBlur(L, (0, 0), 1.5)
    assert np.corrcoef(edges.ravel(), signed.ravel())[0, 1] > 0.7, "what is lighter than its surroundings gets lighter"
    codes = as_amount(portrait, recipe, 0, region).astype(float)
    held = np.abs(signed) < FULL_L * 0.99
    assert np.abs((codes - 128.0) / 127.0 * FULL_L - signed)[held].max() <= 0.5 * FULL_L / 127.0 + 1e-3
    where = as_where(portrait, recipe, 0, region)
    assert (where == 255)[np.abs(signed) >= 0.5].all() and (where < 128)[np.abs(signed) < 0.2].all()


def test_places_and_blur_taken_back_are_sharpening_too():
    recipe = plain_recipe()
    place = Place(sharpen_percent=50.0)
    own = recipe.applied([*added(recipe, [("places", place)]), *SHARP, ("detail.deblur.blur_px", 1.0),
                          ("detail.noise.strength_percent", 40.0)])  # fmt: skip
    plain = unsharpened(own)
    assert plain.detail.sharpen.amount_percent == plain.detail.deblur.blur_px == 0.0
    assert [each.sharpen_percent for each in plain.places.values()] == [0.0]
    assert plain.detail.noise.strength_percent == 40.0, "noise is another matter"


def test_skin_that_is_sharpened_is_said_and_left_out(portrait, middle_found):
    recipe = plain_recipe().applied(SHARP)
    (found,) = judged(sharpens_skin, portrait, recipe)
    before = found.evidence["change_L"]
    assert before >= 0.6 and found.outlines and "skin" in found.claim
    after = fixed(recipe, found)
    (place,) = after.places.values()
    (part,) = place.mask.values()
    assert isinstance(part, SkinOf) and place.sharpen_percent == -100.0
    assert Meter(portrait).take(after, "sharpened").skin_L < 0.4 * before
    assert not judged(sharpens_skin, portrait, after)
    gentle = recipe.applied([("detail.sharpen.amount_percent", 10.0)])
    assert not judged(sharpens_skin, portrait, gentle)


def test_a_sky_is_sharpened_only_without_the_gate_and_left_out(landscape):
    gated = plain_recipe().applied(SHARP)
    assert Meter(landscape).take(gated, "sharpened").sky_L < 0.6 and not judged(sharpens_sky, landscape, gated)
    recipe = gated.applied([("detail.sharpen.gate", "off")])
    (found,) = judged(sharpens_sky, landscape, recipe)
    assert found.evidence["change_L"] >= 0.6
    after = fixed(recipe, found)
    (place,) = after.places.values()
    (part,) = place.mask.values()
    assert isinstance(part, Sky) and not judged(sharpens_sky, landscape, after)
    assert Meter(landscape).take(after, "sharpened").sky_L < 0.4 * found.evidence["change_L"]


def test_spots_of_sky_lie_in_it_and_apart():
    sky = np.zeros((60, 90), np.float32)
    sky[:30, :] = 1.0
    sky[5:12, 40:50] = 0.0
    spots = _sky_spots(sky, 8, (720, 480))
    assert len(spots) == 3
    marked = np.zeros((480, 720), int)
    for x, y, w, h in spots:
        assert min(w, h) >= 20
        marked[y : y + h, x : x + w] += 1
        assert sky[y // 8 : -(-(y + h) // 8), x // 8 : -(-(x + w) // 8)].min() == 1.0
    assert marked.max() == 1 and not _sky_spots(sky * 0.5, 8, (720, 480))


def test_no_sky_and_no_face_are_none(landscape, portrait):
    recipe = plain_recipe().applied(SHARP)
    assert Meter(landscape).take(recipe, "sharpened").skin_L is None
    assert Meter(portrait).take(recipe, "sharpened").skin_L is not None
