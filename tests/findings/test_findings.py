"""Each finding appears with its evidence, and its fix removes it."""

import numpy as np
import pytest

from matiz.colour.temperature import cct_to_xy
from matiz.develop.engine import Engine
from matiz.errors import RecipeError
from matiz.findings.find import find, fixed
from matiz.findings.model import Finding
from matiz.measure.picture import Meter
from matiz.recipe.model import Recipe
from matiz.simcam import targets
from matiz.simcam.shoot import scene_of
from tests.conftest import SMALL, frame_of


def _findings(engine, recipe=None):
    recipe = recipe or Recipe()
    return {f.id: f for f in find(engine, Meter(engine).read(recipe), recipe)}


@pytest.fixture(scope="module")
def off_engine() -> Engine:
    """A chart under 3,600 K that the camera took for 5,000 K."""
    return Engine(frame_of(targets.chart(SMALL, "planck:3600"), ev=-0.2, balance_xy=cct_to_xy(5000.0)))


def test_an_even_picture_has_no_findings():
    engine = Engine(frame_of(targets.chart(SMALL, "daylight:5500"), ev=-0.2, balance_xy=cct_to_xy(5500.0, 0.003)))
    assert _findings(engine) == {}


@pytest.mark.parametrize(
    "which, finding_id",
    [("scene_engine", "tone.under_exposed"), ("hall_engine", "tone.clipped"), ("off_engine", "light.balance_differs")],
)
def test_the_fix_removes_the_finding(request, which, finding_id):
    engine = request.getfixturevalue(which)
    finding = _findings(engine)[finding_id]
    assert finding.fix and finding.fix_label and finding.evidence and finding.gain > 0
    assert 0 < finding.certainty <= 1
    assert finding_id not in _findings(engine, fixed(Recipe(), finding))


def test_under_exposure_is_measured_in_stops(scene_engine):
    first = _findings(scene_engine)["tone.under_exposed"].evidence["gap_EV"]
    second = _findings(scene_engine, Recipe().change("tone.exposure_EV", -1.0)[0])["tone.under_exposed"].evidence[
        "gap_EV"
    ]
    assert second - first == pytest.approx(1.0, abs=0.02)


def test_a_clipped_patch_points_at_its_place(hall_engine):
    finding = _findings(hall_engine)["tone.clipped"]
    x, y, w, h = finding.area
    masks = scene_of("grain-hall", SMALL, view=1).masks
    bright = np.maximum(masks["window"], masks["lanterns"])
    assert bright[y : y + h, x : x + w].mean() > 0.4 and max(w, h) < 160, "a window or a lantern"
    assert finding.evidence["shown_of_255"] > 245


def test_the_measured_light_is_the_fix(off_engine):
    finding = _findings(off_engine)["light.balance_differs"]
    fix = dict(finding.fix)
    assert fix["light.source"] == "manual"
    assert fix["light.cct_K"] == pytest.approx(3600, rel=0.03)
    assert "bluer" in finding.claim
    assert finding.evidence["difference_mired"] == pytest.approx(1e6 / 5000 - 1e6 / 3600, abs=12)


def test_findings_are_sorted_by_what_they_change(scene_engine):
    recipe = Recipe()
    gains = [f.gain for f in find(scene_engine, Meter(scene_engine).read(recipe), recipe)]
    assert len(gains) >= 1 and gains == sorted(gains, reverse=True)


def test_json_of_a_finding(scene_engine):
    out = _findings(scene_engine)["tone.under_exposed"].to_json()
    assert list(out) == ["id", "station", "claim", "evidence", "area", "fix", "certainty"]
    assert out["fix"] == [{"path": "tone.exposure_EV", "value": pytest.approx(1.6, abs=0.3)}]


def test_a_finding_without_a_fix_says_so():
    with pytest.raises(RecipeError, match="no fix"):
        fixed(Recipe(), Finding("x.y", "x", "a claim"))


def test_a_limit_is_never_left(scene_engine):
    recipe = Recipe().change("tone.exposure_EV", -6.0)[0]
    fix = dict(_findings(scene_engine, recipe)["tone.under_exposed"].fix)
    assert fix["tone.exposure_EV"] <= 6.0
    assert np.isfinite(fix["tone.exposure_EV"])
