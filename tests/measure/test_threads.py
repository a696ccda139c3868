"""Hairs and cables: found where they are drawn on an even ground, healed along their path, and nowhere else."""

from functools import partial
from itertools import pairwise

import cv2
import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB
from matiz.measure.mend.dust import Speck, find_shadows, heal_speck, proven
from matiz.measure.mend.threads import find_threads

SURE = 0.5


def sky(seed=0, noise=0.01) -> np.ndarray:
    rng = np.random.default_rng(seed)
    ramp = np.linspace(0.2, 0.5, 500)[:, None, None] * np.ones((500, 800, 1)) * np.array([0.6, 0.8, 1.0])
    return (ramp * (1.0 + noise * rng.normal(size=ramp.shape))).astype(np.float32)


def crossed(picture, points, width=2.0, depth=0.2) -> np.ndarray:
    line = np.zeros(picture.shape[:2], np.float32)
    ends = np.rint(np.array(points) * 16).astype(np.int32).reshape(-1, 1, 2)
    cv2.polylines(line, [ends], False, 1.0, round(width), cv2.LINE_AA, 4)
    soft = np.clip(cv2.GaussianBlur(line, (0, 0), 0.8), 0, 1)[..., None]
    return (picture * (1.0 - depth * soft)).astype(np.float32)


def bow(x=300.0, y=200.0, r=70.0) -> np.ndarray:
    turn = np.linspace(0.2, 1.9, 40)
    return np.stack([x + r * np.cos(turn), y + r * np.sin(turn)], axis=1)


@pytest.mark.parametrize("points", [bow(), np.array([[60.0, 120.0], [760.0, 180.0]])])
def test_a_line_on_a_sky_is_found_where_it_is(points):
    (found, *more) = find_threads(crossed(sky(), points))
    assert not more and found.certainty > SURE
    assert found.depth == pytest.approx(0.15, abs=0.07) and 2.0 < found.width < 5.0
    length = np.hypot(*np.diff(points, axis=0).T).sum()
    assert found.length == pytest.approx(length, rel=0.25)
    from_line = [np.hypot(*(cv2_line(points) - at).T).min() for at in found.path]
    assert max(from_line) < 3.0


def cv2_line(points) -> np.ndarray:
    steps = np.linspace(0.0, 1.0, 400)[:, None]
    return np.concatenate([a + steps * (b - a) for a, b in pairwise(points)])


def test_sizes_and_places_are_of_the_full_frame():
    (found,) = find_threads(crossed(sky(), bow()), 4)
    assert found.width > 8.0 and np.array(found.path).max() > 800
    middle = np.array(found.path).mean(axis=0)
    assert middle == pytest.approx(np.array(bow()).mean(axis=0) * 4 + 1.5, abs=20)


def test_railings_edges_and_coloured_lines_are_left_alone():
    railing = sky()
    for n in range(9):
        railing = crossed(railing, [[100.0 + 14 * n, 100.0], [100.0 + 14 * n, 400.0]])
    edge = sky()
    edge[250:] *= 0.5
    coloured = sky()
    coloured[..., 2] = crossed(coloured, bow(), depth=0.3)[..., 2]
    coloured[..., 1] = crossed(coloured, bow(), depth=0.1)[..., 1]
    for picture in (railing, edge, coloured, sky(3), sky(4, 0.08), np.full((80, 90, 3), 0.3, np.float32)):
        assert all(found.certainty < SURE for found in find_threads(picture))
    assert find_threads(coloured) == ()


def test_photographs_have_no_sure_hairs():
    data = pytest.importorskip("skimage.data")
    for name in ("astronaut", "chelsea", "coffee"):
        linear = decode_sRGB(getattr(data, name)() / 255.0).astype(np.float32)
        assert sum(found.certainty > SURE for found in find_threads(linear)) <= 1, name


def test_a_hair_is_healed_along_its_path_and_proven_by_another_frame():
    picture = crossed(sky(), bow())

    def take(box):
        return np.ascontiguousarray(picture[box[1] : box[1] + box[3], box[0] : box[0] + box[2]])

    hair = next(speck for speck in find_shadows(lambda _: picture, (800, 500)) if speck.path)
    heal = heal_speck(hair, (), partial(take), (800, 500))
    assert len(heal.path) > 5 and heal.radius_px > hair.r
    assert heal.path[0] == pytest.approx(((hair.path[0][0] + 0.5) / 800, (hair.path[0][1] + 0.5) / 800), abs=1e-5)
    views = {"a": np.eye(2)[0], "b": np.eye(2)[1]}
    again = next(s for s in find_shadows(lambda _: crossed(sky(7), bow()), (800, 500)) if s.path)
    sure = proven({"a": (hair,), "b": (again,)}, views)["a"]
    assert len(sure) == 1 and sure[0].frames == 2 and sure[0].path
    x, y = hair.path[len(hair.path) // 2]
    spot = Speck(x, y, 8.0, 0.2, 0.7)
    assert proven({"a": (hair,), "b": (spot,)}, views)["a"] == (), "a speck proves no hair"
    elsewhere = next(s for s in find_shadows(lambda _: crossed(sky(7), bow(500, 300)), (800, 500)) if s.path)
    assert proven({"a": (hair,), "b": (elsewhere,)}, views)["a"] == ()
