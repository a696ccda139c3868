"""Two areas compared and made alike: against reflectances that are known, with the noise of ISO 1,600."""

import numpy as np
import pytest

from matiz.colour.adaptation import adaptation_matrix
from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import D50_XY, Lab_to_LCh, XYZ_to_Lab, luminance, sRGB_to_Lab, xy_to_XYZ
from matiz.colour.tables import observer_bands
from matiz.develop.graph.engine import Engine
from matiz.errors import ArgumentError
from matiz.measure.colour.match import make_alike
from matiz.measure.colour.pairs import PairReading, compare, middle_of
from matiz.measure.report import area_report, pair_reports
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz_simcam.camera import Settings, expose, light_spectrum, light_xy_of
from matiz_simcam.spectra import reflectance
from matiz_simcam.targets import cliffs

SIZE, LIGHT = (900, 600), "daylight:5500"


def true_colours(rust: float) -> list[np.ndarray]:
    """L*, a*, b* of both faces from their reflectances, CIE 015 sums, adapted to D50."""
    light, observer = light_spectrum(LIGHT), observer_bands()
    scale = light @ observer[:, 1]
    to_D50 = adaptation_matrix(light @ observer / scale, xy_to_XYZ(D50_XY))
    faces = (reflectance("sand") * (1.0 - share) + reflectance("rust") * share for share in (0.0, rust))
    return [XYZ_to_Lab(to_D50 @ ((face * light) @ observer / scale)) for face in faces]


@pytest.fixture(scope="module", params=[0.05, 0.2])
def rock(request):
    scene = cliffs(SIZE, LIGHT, rust=request.param)
    settings = Settings(iso=1600, balance_xy=light_xy_of(light_spectrum(LIGHT)), ev=-0.5)
    return Engine(expose(scene, settings)), [scene.areas[name] for name in ("left", "right")], request.param


def test_a_known_difference_is_measured(rock):
    engine, areas, rust = rock
    truth = true_colours(rust)
    seen = [area_report(engine, Recipe(), area)["XYZ"][1] for area in areas]
    # a spot meter for exposure: the difference is what is tried here
    stops = np.log2(np.mean([luminance(each[0]) for each in truth]) / np.mean(seen))
    recipe = Recipe().change("tone.exposure_EV", float(stops))[0]
    reports = [area_report(engine, recipe, area) for area in areas]
    (pair,) = pair_reports(engine, recipe, areas, reports)
    (_, C1, h1), (_, C2, h2) = (Lab_to_LCh(each) for each in truth)
    assert pair["dE00"] == pytest.approx(float(delta_E_2000(*truth)), abs=0.3)
    assert pair["dh"] == pytest.approx(h2 - h1, abs=0.5) and pair["dC"] == pytest.approx(C2 - C1, abs=0.5)
    assert pair["areas"] == [0, 1] and pair["shown"]["dE00"] > 0.5 and 0.0 < pair["shown"]["error"] < 0.1


def test_a_is_made_like_b_and_b_stays(rock):
    engine, (left, right), _ = rock
    recipe = Recipe()
    match = make_alike(engine, recipe, left, right)
    assert match.after.dE00 < 0.3 < match.before.dE00
    (place,) = match.places
    changed = recipe.change_all(added(recipe, [("places", place)]), label="x")[0]
    lab = [sRGB_to_Lab(engine.render(each, 0, result="display")) for each in (recipe, changed)]
    change = delta_E_2000(*lab)

    def mean(area):
        x, y, w, h = area
        return float(change[y : y + h, x : x + w].mean())

    assert mean(right) < 0.25 * mean(left)


def test_they_meet_in_the_middle(rock):
    engine, (left, right), _ = rock
    match = make_alike(engine, Recipe(), left, right, halfway=True)
    assert len(match.places) == 2 and match.after.dE00 < 0.5
    stops = [place.exposure_EV for place in match.places]
    assert stops[0] * stops[1] < 0.0, "one goes up, the other down"


def test_areas_over_each_other_are_refused(rock):
    engine, (left, _), _ = rock
    with pytest.raises(ArgumentError, match="apart"):
        make_alike(engine, Recipe(), left, (left[0] + 5, left[1] + 5, 40, 40))


def test_a_twig_in_an_area_counts_for_little():
    rng = np.random.default_rng(1)
    sky = np.array([70.0, -5.0, -20.0]) + rng.normal(0.0, 1.0, (4000, 3))
    with_twig = sky.copy()
    with_twig[:600] = (20.0, 3.0, 5.0)
    middle, error = middle_of(with_twig)
    assert np.linalg.norm(middle - (70.0, -5.0, -20.0)) < 0.6 and 0.01 < error < 0.1
    assert compare(sky, with_twig).dE00 < 0.5


def test_greys_have_no_hue_to_differ_by():
    pair = PairReading.of(np.array([50.0, 0.5, 0.0]), np.array([55.0, -0.5, 0.3]))
    assert pair.dh == 0.0 and pair.dL == 5.0
    across = PairReading.of(np.array([50.0, 20.0, -1.0]), np.array([50.0, 20.0, 1.0]))
    assert across.dh == pytest.approx(5.72, abs=0.01)
