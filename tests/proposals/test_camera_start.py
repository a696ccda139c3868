"""The camera's own rendition is recovered from a preview made with known settings."""

import cv2
import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.errors import ArgumentError
from matiz.proposals.camera_start import camera_start
from matiz.recipe.model import Curve, Recipe, Tone
from matiz_simcam.shoot import DEMO_SHOTS, simulate
from tests.conftest import mean_delta_E


@pytest.fixture(scope="module")
def pans() -> Engine:
    shot = DEMO_SHOTS[1]
    return Engine(simulate(shot.scene, (900, 600), shot.settings, view=shot.view))


@pytest.mark.parametrize(
    "tone",
    [
        Tone(exposure_EV=0.7, curve=Curve(lightness=((0.0, 0.0), (0.3, 0.24), (0.7, 0.78), (1.0, 1.0)))),
        Tone(exposure_EV=-0.5, rendition="soft"),
        Tone(rendition="strong", curve=Curve(lightness=((0.0, 0.04), (0.5, 0.55), (1.0, 0.97)))),
    ],
)
def test_a_known_rendition_is_followed(pans, tone):
    """Within ΔE00 2 on the mean, and at least three times nearer than the picture was."""
    preview = pans.render(Recipe(tone=tone), 0, result="display")
    preview = cv2.resize(preview, (480, 320), interpolation=cv2.INTER_AREA)
    recipe = Recipe().change_all(camera_start(pans, preview, Recipe()), label="")[0]
    after, before = (
        mean_delta_E(cv2.resize(pans.render(r, 0, result="display"), (480, 320), interpolation=cv2.INTER_AREA), preview)
        for r in (recipe, Recipe())
    )
    assert after < 2.0 and after < before / 3


def test_a_preview_of_another_shape_is_refused(pans):
    with pytest.raises(ArgumentError, match="another part"):
        camera_start(pans, np.full((100, 100, 3), 0.2, np.float32), Recipe())
