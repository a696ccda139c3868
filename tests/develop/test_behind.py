"""The blur behind a subject. The truth is a thin lens's: a subject in focus before a background of which every point
is a disc, each made alone from photographs of scikit-image and laid together."""

from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data
from skimage.metrics import structural_similarity

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import SRGB_TO_REC2020, decode_sRGB, encode_sRGB, sRGB_to_Lab
from matiz.develop.frame.found import KnownMap
from matiz.develop.graph.engine import Engine, full_picture
from matiz.develop.places.behind import disc, f_number_of, share_of, spread
from matiz.masks.subject import SubjectMap
from matiz.raw.frame import CameraColour, Exposure, Frame
from matiz.recipe.finish import Behind
from matiz.recipe.model import Recipe, plain_recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Lasso, Place, Subject
from matiz.recipe.tree import Rows

SIZE = (640, 416)
DISC_PX = 28.0


def _linear(picture: np.ndarray) -> np.ndarray:
    values = decode_sRGB(cv2.resize(picture, SIZE, interpolation=cv2.INTER_AREA) / 255.0)
    return (values @ SRGB_TO_REC2020.T).astype(np.float32)


FRONT, BACK = _linear(skimage.data.chelsea()), 0.6 * _linear(skimage.data.coffee())
OUTLINE = [(0.5 + 0.17 * np.cos(t) * (1 + 0.25 * np.cos(3 * t)), 0.33 + 0.17 * np.sin(t) * (1 + 0.25 * np.cos(3 * t)))
           for t in np.linspace(0, 2 * np.pi, 60, endpoint=False)]  # fmt: skip
"""Of the subject, in units of the long side."""


def _share() -> np.ndarray:
    fine = 4
    big = np.zeros((SIZE[1] * fine, SIZE[0] * fine), np.uint8)
    cv2.fillPoly(big, [np.round(np.array(OUTLINE) * SIZE[0] * fine).astype(np.int32)], 255)
    return cv2.resize(big, SIZE, interpolation=cv2.INTER_AREA)[..., None].astype(np.float32) / 255.0


SHARE = _share()


def _engine(linear: np.ndarray) -> Engine:
    return Engine(Frame(Path("a.tif"), CameraColour(), linear=np.ascontiguousarray(linear, np.float32)))


def _kept(recipe: Recipe, **values) -> Recipe:
    lasso = Lasso(path=tuple((round(x, 5), round(y, 5)) for x, y in OUTLINE))
    recipe = recipe.change_all(added(recipe, [("places", Place(mask=Rows([("m1", lasso)])))]), label="x")[0]
    values = {"disc_px": DISC_PX, "keeps": recipe.places.order[0], "lights_EV": 0.0} | values
    return recipe.change_all([(f"finish.behind.{name}", value) for name, value in values.items()], label="y")[0]


def _shown(linear: np.ndarray, recipe: Recipe) -> np.ndarray:
    return full_picture(_engine(linear), recipe, result="display")


@pytest.fixture(scope="module")
def plain() -> Recipe:
    return plain_recipe(_engine(BACK).frame.start)


@pytest.fixture(scope="module")
def made(plain):
    """The sharp frame blurred by Matiz, and the frame that a wide lens would have taken."""
    sharp = SHARE * FRONT + (1.0 - SHARE) * BACK
    behind = cv2.filter2D(BACK, cv2.CV_32F, disc(DISC_PX), borderType=cv2.BORDER_REFLECT)
    truth = SHARE * FRONT + (1.0 - SHARE) * behind
    return _shown(sharp, _kept(plain)), _shown(truth, plain), _shown(sharp, plain)


def test_a_thin_lens_frame_is_matched_round_the_subject(made):
    grey = [encode_sRGB(each @ [0.2126, 0.7152, 0.0722]) for each in made]
    near = cv2.dilate((SHARE[..., 0] > 0.01).astype(np.uint8), np.ones((41, 41))) > 0
    alike = [structural_similarity(each, grey[1], data_range=1.0, full=True)[1][near].mean() for each in grey]
    assert alike[0] > 0.9, "of the thin lens's own"
    assert alike[0] > alike[2] + 0.05, "the sharp frame is not"


def test_nothing_of_the_subject_runs_into_its_background(made):
    ours, truth, _ = made
    outside = (SHARE[..., 0] == 0.0) & (cv2.dilate((SHARE[..., 0] > 0).astype(np.uint8), np.ones((31, 31))) > 0)
    away = delta_E_2000(sRGB_to_Lab(ours), sRGB_to_Lab(truth))
    assert away[outside].mean() < 2.0
    naive = _shown(SHARE * FRONT + (1 - SHARE) * cv2.filter2D(
        SHARE * FRONT + (1 - SHARE) * BACK, cv2.CV_32F, disc(DISC_PX), borderType=cv2.BORDER_REFLECT),
        plain_recipe(_engine(BACK).frame.start))  # fmt: skip
    assert away[outside].mean() < 0.5 * delta_E_2000(sRGB_to_Lab(naive), sRGB_to_Lab(truth))[outside].mean()


def test_over_its_edge_the_subject_has_its_own_colours(monkeypatch, plain):
    """A dark subject on a bright ground, blurred to a middle grey: what is left of the bright ground would be a rim."""
    from matiz.develop.places import behind

    checks = (np.indices(SIZE[::-1]).sum(axis=0) // 6 % 2)[..., None].astype(np.float32)
    ground, front = np.repeat(0.02 + 0.9 * checks, 3, axis=2), np.full((*SIZE[::-1], 3), 0.01, np.float32)
    sharp = SHARE * front + (1.0 - SHARE) * ground
    blurred = cv2.filter2D(ground, cv2.CV_32F, disc(DISC_PX), borderType=cv2.BORDER_REFLECT)
    truth = sRGB_to_Lab(_shown(SHARE * front + (1.0 - SHARE) * blurred, plain))
    edge = (SHARE[..., 0] > 0.05) & (SHARE[..., 0] < 0.95)
    ours = delta_E_2000(sRGB_to_Lab(_shown(sharp, _kept(plain))), truth)[edge].mean()
    monkeypatch.setattr(behind, "_own_colours", lambda sharp, mask, sigma: sharp)
    assert ours < 0.7 * delta_E_2000(sRGB_to_Lab(_shown(sharp, _kept(plain))), truth)[edge].mean()


def test_the_subject_stays_as_it_is_and_nothing_is_done_by_default(made, plain):
    ours, _, sharp = made
    inside = cv2.erode((SHARE[..., 0] == 1.0).astype(np.uint8), np.ones((9, 9))) > 0
    np.testing.assert_array_equal(ours[inside], sharp[inside])
    linear = SHARE * FRONT + (1.0 - SHARE) * BACK
    np.testing.assert_array_equal(_shown(linear, _kept(plain, disc_px=0.0)), sharp)


def test_a_point_of_light_becomes_an_even_disc_as_bright_as_it_was_in_all(plain):
    dark = np.full((*SIZE[::-1], 3), 0.01, np.float32)
    dark[200:204, 300:304] = 8.0
    engine = _engine(dark)
    recipe = plain.change_all([("finish.behind.disc_px", 40.0), ("finish.behind.lights_EV", 0.0)], label="x")[0]
    linear = engine.render(recipe, 0, result="rendered")[..., 1]
    lit = linear > 0.5 * linear.max()
    assert np.sqrt(lit.sum() * 4.0 / np.pi) == pytest.approx(40.0, rel=0.12)
    assert linear[lit].std() < 0.15 * linear[lit].mean()
    brighter = engine.render(recipe.change("finish.behind.lights_EV", 2.0)[0], 0, result="rendered")[..., 1]
    assert brighter[202, 302] > 1.5 * linear[202, 302]


def test_light_is_kept_and_what_is_covered_is_filled_from_around():
    light = np.random.default_rng(1).random((60, 80, 3), np.float32)
    weight = np.ones((60, 80), np.float32)
    assert spread(light, weight, 9.0).mean() == pytest.approx(light.mean(), rel=0.01)
    weight[20:40, 20:60] = 0.0
    light[20:40, 20:60] = 50.0
    filled = spread(light, weight, 5.0)
    assert filled.max() < 1.0 and filled[30, 40].mean() == pytest.approx(0.5, abs=0.1)


def test_the_ground_is_sharp_along_a_line_and_blurs_away_from_it(plain):
    own = Behind(disc_px=30.0, sharp_y=0.75, far_y=0.25)
    share = share_of(own, 100, (0, 0, 10, 100))[:, 0]
    assert share[75] < 0.02 and share[25] == pytest.approx(1.0, abs=0.02) and share[50] == pytest.approx(0.5, abs=0.02)
    assert share[99] == pytest.approx(0.5, abs=0.02) and np.all(share[:25] == 1.0)
    ramp = plain.change_all([("finish.behind.disc_px", 30.0), ("finish.behind.sharp_y", 0.75),
                             ("finish.behind.far_y", 0.25)], label="x")[0]  # fmt: skip
    ours, sharp = (_shown(BACK, recipe) for recipe in (ramp, plain))

    near, far = ([np.abs(np.diff(each[rows], axis=1)).mean() for each in (ours, sharp)]
                 for rows in (slice(308, 316), slice(40, 100)))  # fmt: skip
    assert near[0] > 0.85 * near[1] and far[0] < 0.5 * far[1]


def test_a_line_that_is_dragged_blurs_nothing_anew(plain):
    engine, base = _engine(SHARE * FRONT + (1.0 - SHARE) * BACK), _kept(plain, sharp_y=0.9)
    pictures = []
    for far_y in (0.3, 0.35, 0.5):
        pictures.append(engine.render(base.change("finish.behind.far_y", far_y)[0], 0))
        assert engine.runs["blurred background"] == 1
    assert np.abs(pictures[0] - pictures[2]).max() > 0.05, "and yet it is another picture"
    engine.render(base.change("finish.behind.far_y", 0.9)[0], 0)
    engine.render(base.change("finish.behind.disc_px", 20.0)[0], 0)
    assert engine.runs["blurred background"] == 3


def test_tiles_and_levels_agree(plain):
    linear = SHARE * FRONT + (1.0 - SHARE) * BACK
    engine, recipe = _engine(linear), _kept(plain, sharp_y=0.9, far_y=0.3)
    whole = engine.render(recipe, 0, result="display")
    part = _engine(linear).render(recipe, 0, (250, 100, 120, 130), result="display")
    np.testing.assert_allclose(part, whole[100:230, 250:370], atol=2e-3)
    small = engine.render(recipe, 1, result="display")
    halved = whole.reshape(SIZE[1] // 2, 2, SIZE[0] // 2, 2, 3).mean(axis=(1, 3))
    assert np.abs(small - halved).mean() < 0.01


def test_while_the_subject_is_looked_for_nothing_is_blurred(plain):
    engine = _engine(BACK)
    recipe = plain.change_all(added(plain, [("places", Place(mask=Rows([("m1", Subject())])))]), label="x")[0]
    recipe = recipe.change_all([("finish.behind.disc_px", 30.0), ("finish.behind.keeps", recipe.places.order[0])],
                               label="y")[0]  # fmt: skip
    engine.found.in_haste = True
    np.testing.assert_array_equal(engine.render(recipe, 0), engine.render(plain, 0))
    engine.found._so_far = KnownMap(1, SubjectMap(np.eye(64, dtype=np.float32), "network"))
    np.testing.assert_array_equal(engine.render(recipe, 0), engine.render(plain, 0), err_msg="roughly known")


def test_the_f_number_of_a_disc_is_that_of_the_thin_lens():
    """85 mm at f/1.8 from 3 m: c = f^2 / (N (d - f)) = 1.377 mm on 36 mm, 229 px of 6,000."""
    shot = Exposure(focal_mm=85.0, focus_m=3.0)
    assert f_number_of(85.0**2 / (1.8 * (3000.0 - 85.0)) / 36.0 * 6000, 6000, shot) == pytest.approx(1.8)
    assert f_number_of(50.0, 6000, Exposure(focal_mm=85.0)) is None and f_number_of(0.0, 6000, shot) is None
    crop = Exposure(focal_mm=56.0, focal_35_mm=85.0, focus_m=3.0)
    assert f_number_of(229.0, 6000, crop) == pytest.approx(1.8, rel=0.01)
