"""Findings of the Mend station appear, and their fix removes them."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.findings.find import find, fixed
from matiz.measure.picture import Meter
from matiz.raw.frame import CameraColour, Exposure, Frame
from matiz.recipe.model import Recipe
from matiz_simcam.camera import expose
from matiz_simcam.lens import Lens
from matiz_simcam.shoot import DEMO_SHOTS, scene_of


def _findings(engine, recipe=None):
    recipe = recipe or Recipe()
    return {f.id: f for f in find(engine, Meter(engine).picture(recipe), recipe)}


@pytest.fixture(scope="module")
def fringed() -> Engine:
    shot = next(s for s in DEMO_SHOTS if s.scene == "lava-lizard")
    lens = Lens(fringe_red_px=1.6, fringe_blue_px=-1.1, blur_px=0.5)
    return Engine(expose(scene_of(shot.scene, (1200, 800), view=1), replace(shot.settings, lens=lens)))


def test_fringes_are_found_with_their_numbers_and_fixed(fringed):
    finding = _findings(fringed)["mend.fringes"]
    assert finding.evidence["red_px"] == pytest.approx(1.6, abs=0.2)
    assert finding.evidence["blue_px"] == pytest.approx(-1.1, abs=0.2)
    assert "Red fringes: 1.6" in finding.claim.replace("\u202f", " ") and "outside" in finding.claim
    assert "mend.fringes" not in _findings(fringed, fixed(Recipe(), finding))


def test_fringes_set_wrong_are_found_too(fringed):
    worse = Recipe().change("mend.fringe_red_px", -1.0)[0]
    assert "2.6" in _findings(fringed, worse)["mend.fringes"].claim


def test_a_known_lens_is_offered_once():
    lensfunpy = pytest.importorskip("lensfunpy")
    database = lensfunpy.Database()
    body, lens = next(
        (body, lens)
        for body in database.cameras
        for lens in database.find_lenses(body, None, None)
        if lens.calib_distortion and lens.calib_vignetting
    )
    pixels = np.full((200, 300, 3), 0.18, np.float32)
    shot = Exposure(focal_mm=lens.min_focal, f_number=lens.min_aperture, lens=str(lens.model))
    named = f"{body.maker} {body.model}"
    engine = Engine(Frame(Path("a.tif"), CameraColour(), shot, linear=pixels, camera=named))
    finding = _findings(engine)["mend.lens_known"]
    assert finding.fix == (("mend.lens", "known"),) and finding.evidence["fall_off_EV"] > 0.1
    assert "mend.lens_known" not in _findings(engine, fixed(Recipe(), finding))
    by_hand = Recipe().change("mend.fall_off_EV", 1.0)[0]
    assert "mend.lens_known" not in _findings(engine, by_hand)


@pytest.mark.parametrize(("r", "is_filled"), [(40, True), (62, False)])
def test_a_bright_thing_at_the_border_is_found_and_filled_when_it_is_small(r, is_filled):
    far = np.hypot(np.arange(900)[None] - 895.0, np.arange(600)[:, None] - 200.0)
    noise = np.random.default_rng(1).normal(1.0, 0.05, (600, 900, 1)).astype(np.float32)
    pixels = np.where(far[..., None] < r, 0.9, 0.05 * noise).astype(np.float32) * np.ones(3, np.float32)
    engine = Engine(Frame(Path("a.tif"), CameraColour(), linear=pixels))
    finding = _findings(engine)["mend.bright_at_border"]
    assert "right border" in finding.claim and finding.certainty >= 0.4
    assert finding.has_fix == is_filled and "share_%" in finding.evidence
    assert np.array(finding.outlines[0]).max() <= 899
    if is_filled:
        recipe = fixed(Recipe(), finding)
        assert "mend.bright_at_border" not in _findings(engine, recipe)
        filled = engine.render(recipe, 0, result="camera")[180:220, 870:]
        assert filled.max() < 0.1, "nothing of it is left"
