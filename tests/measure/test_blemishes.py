"""Small spots on the skin of faces: those that were put there are found, and what skin is like by itself is not."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.colour.spaces import decode_sRGB
from matiz.findings.colour import spots_on_skin
from matiz.findings.find import fixed
from matiz.masks.faces import faces
from matiz.measure.mend.blemishes import _blobs, _skin, read_blemishes
from matiz.measure.picture import PictureReading
from matiz.recipe.model import plain_recipe
from matiz.recipe.paths import added

SCALE = 2
CHEEKS = ((0.2, 0.62), (0.71, 0.60), (0.5, 0.22))
"""Places on the skin of a face, in its width and height: the cheeks, the forehead."""


@pytest.fixture(scope="module")
def portrait():
    """The astronaut's head twice as large, the grain of its compression calmed, 0..255, and her face."""
    head = skimage.data.astronaut()[:300, 100:350]
    large = cv2.resize(head, None, fx=SCALE, fy=SCALE, interpolation=cv2.INTER_CUBIC)
    large = cv2.GaussianBlur(large, (0, 0), 1.5)
    return large, faces(large)[0]


def places(face):
    return [(face.x + x * face.w, face.y + y * face.h) for x, y in CHEEKS]


def with_spots(picture, spots, r, colour):
    """Soft spots of so much L*, a*, b* laid on."""
    Lab = cv2.cvtColor(picture.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    down, across = np.mgrid[: Lab.shape[0], : Lab.shape[1]]
    for x, y in spots:
        far = np.minimum((np.hypot(across - x, down - y) - r) / (0.25 * r), 40.0)
        Lab += (1.0 / (1.0 + np.exp(far)))[..., None] * np.array(colour, np.float32)
    return np.clip(np.rint(255.0 * cv2.cvtColor(Lab, cv2.COLOR_LAB2RGB)), 0, 255).astype(np.uint8)


def read(picture, face, *, step=1):
    linear = decode_sRGB(picture / 255.0).astype(np.float32)

    def part(image, region):
        x, y, w, h = region
        return image[y : y + h, x : x + w]

    def shown(level, region):
        small = cv2.resize(linear, None, fx=0.5**level, fy=0.5**level, interpolation=cv2.INTER_AREA)
        return part(small, region)

    return read_blemishes(shown, lambda region: part(linear, region), [face], picture.shape[1::-1])


def matched(reading, spots, r):
    return [any(np.hypot(each.x - x, each.y - y) < r for each in reading.specks) for x, y in spots]


@pytest.mark.parametrize(("colour", "is_red"), [((-4.0, 9.0, 3.0), True), ((-14.0, 4.5, 7.0), False)])
def test_spots_that_were_put_on_a_face_are_found_with_their_size(portrait, colour, is_red):
    picture, face = portrait
    r, spots = 0.015 * face.h, places(face)[: 3 if is_red else 1]
    assert not read(picture, face).specks, "her own skin is even"
    reading = read(with_spots(picture, spots, r, colour), face)
    assert all(matched(reading, spots, r)) and len(reading.specks) == len(spots)
    for each in reading.specks:
        assert each.is_red is is_red and 0.5 * r < each.r < 2.0 * r
        assert 0.4 * np.linalg.norm(colour) < each.dE < 1.6 * np.linalg.norm(colour)
        assert 0.0 < each.certainty <= 0.5, "nobody but the person knows what is to stay"


def test_a_large_face_is_looked_at_smaller_and_a_small_one_not_at_all(portrait):
    picture, face = portrait
    r, spots = 0.015 * face.h, places(face)
    spotted = with_spots(picture, spots, r, (-4.0, 9.0, 3.0))
    large = cv2.resize(spotted, None, fx=3, fy=3, interpolation=cv2.INTER_CUBIC)
    reading = read(large, face.moved(lambda points: 3.0 * (points + 0.5) - 0.5))
    assert all(matched(reading, [(3.0 * x + 1.0, 3.0 * y + 1.0) for x, y in spots], 3.0 * r))
    small = cv2.resize(spotted, None, fx=0.4, fy=0.4, interpolation=cv2.INTER_AREA)
    assert not read(small, face.moved(lambda points: 0.4 * (points + 0.5) - 0.5)).specks


def test_freckles_are_what_the_skin_is_like(portrait):
    picture, face = portrait
    random = np.random.default_rng(3)
    spread = [(face.x + x * face.w, face.y + y * face.h) for x, y in random.uniform(0.0, 1.0, (300, 2))]
    freckled = read(with_spots(picture, spread, 0.012 * face.h, (-6.0, 4.0, 4.0)), face)
    assert len(freckled.specks) <= 3, "one of many stands out of nothing"


def test_what_is_no_spot_is_left(portrait):
    picture, face = portrait
    x, y = places(face)[0]
    for what in (
        with_spots(picture, [(x, y)], 0.015 * face.h, (9.0, 0.0, 0.0)),  # what shines
        with_spots(picture, [(x, y)], 0.015 * face.h, (-4.0, -9.0, 0.0)),  # green
        with_spots(picture, [(x, y)], 0.015 * face.h, (-40.0, 0.0, 0.0)),  # a thing
        with_spots(
            picture, [(x + 0.01 * n * face.h, y) for n in range(-6, 7)], 0.01 * face.h, (-6.0, 6.0, 0.0)
        ),  # a crease
    ):
        assert not any(matched(read(what, face), [(x, y)], 0.03 * face.h))


def test_eyes_brows_lips_and_nostrils_are_no_skin(portrait):
    picture, face = portrait
    even = np.broadcast_to(np.float32((70.0, 12.0, 14.0)), picture.shape)
    skin = _skin(np.ascontiguousarray(even), face)
    assert skin.mean() > 0.05
    for line in face.features.not_skin:
        x, y = np.mean(line, axis=0)
        assert not skin[round(y) - 2 : round(y) + 3, round(x) - 2 : round(x) + 3].any()
    x, y = face.points[2]
    assert not skin[round(y + 0.1 * face.h), round(x)]


def test_a_line_is_no_blob():
    down, across = np.mgrid[:120, :120]
    shapes = {"spot": np.hypot(across - 60, down - 60), "line": np.abs(down - 60.0)}
    skin = np.ones((120, 120), bool)
    for name, far in shapes.items():
        Lab = np.full((120, 120, 3), (70.0, 12.0, 14.0), np.float32)
        Lab[..., 0] -= 10.0 * np.exp(-0.5 * (far / 2.0) ** 2).astype(np.float32)
        # the line is not the same all along, as a crease is not
        Lab[..., 0] -= np.where(far < 3.0, 0.3 * np.cos(across / 9.0), 0.0).astype(np.float32)
        places, offs, _ = _blobs(Lab, skin, 200.0)
        near = np.hypot(places[:, 0] - 60.0, places[:, 1] - 60.0) < 30.0
        assert (near & (offs[:, 0] < -4.0)).any() == (name == "spot")


def test_the_finding_heals_what_is_left_and_says_no_more_of_what_is_settled(portrait):
    picture, face = portrait
    reading = read(with_spots(picture, places(face), 0.015 * face.h, (-4.0, 9.0, 3.0)), face)
    outlines = tuple(((each.x, each.y),) for each in reading.specks)
    told = PictureReading({"blemishes": reading, "blemishes_at": outlines})
    recipe = plain_recipe()
    found = spots_on_skin(told, recipe)[0]
    assert "3 small spots on the skin of 1 face" in found.claim and found.outlines == outlines
    assert found.certainty == min(each.certainty for each in reading.specks)
    healed = fixed(recipe, found)
    assert len(healed.mend.repairs) == 3 and not spots_on_skin(told, healed)
    for heal, each in zip(reading.heals, reading.specks, strict=True):
        x, y = heal.path[0]
        assert np.hypot(x * reading.long_side - each.x, y * reading.long_side - each.y) < 1.0
        assert heal.radius_px > each.r and np.hypot(heal.dx, heal.dy) * reading.long_side > each.r
    spot = reading.specks[0]
    kept = ((spot.x + 0.5) / reading.long_side, (spot.y + 0.5) / reading.long_side)
    assert spots_on_skin(told, recipe.applied([("mend.no_dust", (kept,))]))[0].claim.startswith("2 small")
    one = recipe.applied(added(recipe, [("mend.repairs", reading.heals[0])]))
    assert spots_on_skin(told, one)[0].claim.startswith("2 small")
    many = replace(reading, specks=reading.specks * 11, heals=reading.heals * 11)
    several = PictureReading({"blemishes": many, "blemishes_at": outlines * 11})
    assert not spots_on_skin(several, recipe), "so many are what the skin is like"
