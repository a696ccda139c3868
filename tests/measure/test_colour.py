"""What is read of colours: hues and their strength, what sRGB cannot hold, skin."""

import json

import numpy as np
import pytest
import skimage.data

from matiz.cli import main
from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import (
    D65_XY,
    REC2020_TO_XYZ,
    SRGB_TO_REC2020,
    XYZ_TO_REC2020,
    XYZ_TO_SRGB,
    Lab_to_LCh,
    Lab_to_XYZ,
    Oklab_to_XYZ,
    XYZ_to_Lab,
    decode_sRGB,
    sRGB_to_Lab,
    xy_to_XYZ,
)
from matiz.develop.graph.engine import Engine
from matiz.develop.stages.colour import moves_of
from matiz.errors import ArgumentError
from matiz.findings.colour import better_grey, hue_name, out_of_gamut, over_saturated, uneven_skin
from matiz.findings.find import find, fixed
from matiz.kernels.colour import coloured
from matiz.kernels.fit import fitted
from matiz.measure.colour.colour import CHROMA_BINS, HUE_BINS, oklch_of, read_colour, read_skin
from matiz.measure.picture import Meter
from matiz.proposals.skin import reference_of
from matiz.raw.decode import read_frame
from matiz.recipe.colour import Grading, Peg, Skin
from matiz.recipe.model import Recipe, Tone
from matiz.recipe.tree import Rows, replaced
from matiz_simcam.shoot import DEMO_SHOTS, simulate

TO_SRGB = np.linalg.inv(SRGB_TO_REC2020).astype(np.float32)
FACE = (slice(60, 160), slice(185, 265))
"""Of the astronaut of scikit-image."""


def read(display: np.ndarray):
    display = display.astype(np.float32)
    return read_colour(display, display @ SRGB_TO_REC2020.T.astype(np.float32))


def test_hues_and_their_shares_are_read():
    picture = np.full((40, 40, 3), 0.2)
    picture[:, 20:] = (0.5, 0.05, 0.05)
    reading = read(picture)
    hue = oklch_of(np.array([0.5, 0.05, 0.05]))[2]
    own = reading.hues[int(hue // 30)]
    assert own.share == pytest.approx(0.5, abs=0.01)
    assert own.chroma == pytest.approx(float(Lab_to_LCh(sRGB_to_Lab([0.5, 0.05, 0.05]))[1]), abs=0.1)
    assert sum(each.share for each in reading.hues) == pytest.approx(0.5, abs=0.01), "greys have no hue"
    assert reading.population.shape == (HUE_BINS, CHROMA_BINS)
    assert reading.population.sum() == pytest.approx(1.0, abs=1e-5)
    assert int(np.unravel_index(reading.population[:, 3:].argmax(), (HUE_BINS, CHROMA_BINS - 3))[0]) == int(hue // 3)
    assert sum(each.chroma > 0.0 for each in reading.hues) == 1


def test_what_the_delivery_cannot_hold_is_told_with_its_hue_and_place():
    wanted = np.full((80, 80, 3), 0.2, np.float32)
    wanted[20:60, 40:70] = (0.02, 0.5, 0.05)
    display = fitted(wanted, TO_SRGB)
    found = read_colour(display, wanted).out_of_gamut
    assert found.share == pytest.approx(40 * 30 / 80**2, abs=0.01)
    assert found.mean_dE > 2.0 and found.excess > 1.1 and hue_name(found.hue_deg) == "sea-green"
    (spot,) = found.spots
    assert spot[0] == pytest.approx((40, 20), abs=6) and spot[2] == pytest.approx((70, 60), abs=6)


def test_drawing_in_turns_hues_little_and_is_no_further_off_than_holding_them():
    """Colours 2 to 35 % beyond what sRGB holds, by bisection in Oklab: why the plain way toward grey is kept."""
    rng = np.random.default_rng(0)
    L, hue = rng.uniform(0.2, 0.95, 12_000), rng.uniform(-np.pi, np.pi, 12_000)

    def of(chroma):
        return Oklab_to_XYZ(np.stack([L, chroma * np.cos(hue), chroma * np.sin(hue)], axis=-1))

    low, high = np.zeros_like(L), np.full_like(L, 0.5)
    for _ in range(30):
        middle = (low + high) / 2.0
        linear = of(middle) @ XYZ_TO_SRGB.T
        is_in = (linear.min(axis=-1) >= 0.0) & (linear.max(axis=-1) <= 1.0)
        low, high = np.where(is_in, middle, low), np.where(is_in, high, middle)
    wanted = of(low * rng.uniform(1.02, 1.35, len(L))) @ XYZ_TO_REC2020.T
    real = (wanted.min(axis=-1) >= 0.0) & (wanted.max(axis=-1) <= 1.0)
    wanted, held = np.stack([wanted[real]] * 2), np.clip(of(low) @ XYZ_TO_SRGB.T, 0.0, 1.0)[real]
    drawn = fitted(wanted.astype(np.float32), TO_SRGB)[0]
    before, after = (oklch_of(each)[:, 2] for each in (wanted[0] @ TO_SRGB.T, drawn))
    turn = np.abs((after - before + 180.0) % 360.0 - 180.0)
    assert turn.mean() < 1.0 and np.quantile(turn, 0.95) < 3.0
    meant = XYZ_to_Lab(wanted[0] @ REC2020_TO_XYZ.T, xy_to_XYZ(D65_XY))
    off = [float(delta_E_2000(meant, sRGB_to_Lab(each)).mean()) for each in (drawn, held)]
    assert off[0] < off[1] + 0.1


def _even_skin(spread: float, rng) -> np.ndarray:
    L = 60.0 + rng.normal(0.0, 5.0, (120, 120))
    Lab = np.stack([L, 15.0 + spread * rng.normal(size=L.shape), 17.0 + spread * rng.normal(size=L.shape)], axis=-1)
    return (Lab_to_XYZ(Lab) @ XYZ_TO_REC2020.T).astype(np.float32)


REFERENCE = (45.0, 15.0, 17.0, 60.0, 15.0, 17.0, 75.0, 15.0, 17.0)


def test_the_spread_of_skin_is_read():
    rng = np.random.default_rng(4)
    for spread in (1.0, 2.5):
        skin = read_skin(_even_skin(spread, rng) @ TO_SRGB.T, Skin(reference=REFERENCE))
        # an angle of a spread across at chroma 22.7
        assert skin.hue_spread_deg == pytest.approx(np.degrees(spread / 22.7), rel=0.15)
        assert skin.chroma_spread == pytest.approx(spread, rel=0.15) and skin.share > 0.95
        assert skin.hue_deg == pytest.approx(48.6, abs=1.0) and len(skin.cloud) >= 300
    assert read_skin(np.full((50, 50, 3), 0.2, np.float32), Skin(reference=REFERENCE)) is None
    assert read_skin(np.full((50, 50, 3), 0.2, np.float32), Skin()) is None


@pytest.fixture(scope="module")
def astronaut(tmp_path_factory) -> Engine:
    from PIL import Image

    path = tmp_path_factory.mktemp("face") / "face.png"
    Image.fromarray(skimage.data.astronaut()).save(path)
    return Engine(read_frame(path))


@pytest.mark.parametrize(("percent", "low", "high"), [(50.0, 0.35, 0.65), (100.0, 0.0, 0.1)])
def test_a_real_face_is_evened_out(astronaut, percent, low, high):
    """The astronaut of scikit-image: the spread of hue and chroma falls, texture stays."""
    plain = Recipe.starting("rendered")
    reference = reference_of(astronaut, plain, 210, 130)
    skin = Skin(reference=reference)
    seen = {}
    for each in (0.0, percent):
        recipe = replaced(plain, colour=Grading(skin=replaced(skin, evenness_percent=each)))
        seen[each] = astronaut.render(recipe, 0, result="display")[FACE]
    lab = {each: sRGB_to_Lab(picture) for each, picture in seen.items()}
    held = np.array(reference).reshape(3, 3)
    there = np.stack([np.interp(lab[0.0][..., 0], held[:, 0], held[:, n]) for n in (1, 2)], axis=-1)
    own = np.linalg.norm(lab[0.0][..., 1:] - there, axis=-1) < skin.reach
    assert own.mean() > 0.5
    spread = {each: np.linalg.norm(lab[each][..., 1:] - there, axis=-1)[own].mean() for each in lab}
    assert low <= spread[percent] / spread[0.0] < high
    texture = {each: np.diff(lab[each][..., 0], axis=1).std() for each in lab}
    assert texture[percent] == pytest.approx(texture[0.0], rel=0.1)


def test_skin_is_picked_where_there_is_some(astronaut):
    held = np.array(reference_of(astronaut, Recipe.starting("rendered"), 210, 130)).reshape(3, 3)
    assert np.all(np.diff(held[:, 0]) >= 6.0 - 1e-6)
    hue = Lab_to_LCh(held)[:, 2]
    # faces lie between 30 and 75 degrees of CIELAB hue; common practice, no source
    assert np.all((hue > 25.0) & (hue < 80.0))


# ---- findings


def test_what_is_too_strong_is_found_only_when_it_was_made_so(scene_engine):
    engine = Engine(scene_engine.frame)
    for recipe in (Recipe(), Recipe(colour=Grading(chroma_percent=10.0))):
        assert not [each for each in find(engine, Meter(engine).picture(recipe), recipe) if each.station == "colour"]
    strong = Recipe(colour=Grading(chroma_percent=150.0))
    reading = Meter(engine).picture(strong)
    found = {each.id: each for each in find(engine, reading, strong) if each.station == "colour"}
    gamut = found["colour.out_of_gamut"]
    assert gamut.evidence["share_%"] > 0.4 and gamut.outlines
    after = Meter(engine).picture(fixed(strong, gamut)).colour.out_of_gamut
    assert after.share < 0.8 * reading.colour.out_of_gamut.share


def test_one_loud_hue_is_named_and_calmed(scene_engine):
    engine = Engine(scene_engine.frame)
    bright = Tone(exposure_EV=1.5)
    loud = Recipe(tone=bright, colour=Grading(pegs=Rows([("a", Peg(at_deg=260.0, reach_deg=45.0, chroma=4.0))])))
    (found,) = over_saturated(Meter(engine).picture(loud), loud)
    assert found.subject in ("azure", "blue") and found.subject in found.claim
    assert found.evidence["chroma"] > 1.5 * found.evidence["before"]
    calmer = Meter(engine).picture(fixed(loud, found))
    assert not [again for again in over_saturated(calmer, loud) if again.subject == found.subject]
    for quiet in (Recipe(tone=bright), Recipe(tone=bright, colour=Grading(chroma_percent=20.0))):
        assert not over_saturated(Meter(engine).picture(quiet), quiet)


def test_uneven_skin_is_told_and_evened(astronaut):
    plain = Recipe.starting("rendered")
    picked = replaced(plain, colour=Grading(skin=Skin(reference=reference_of(astronaut, plain, 210, 130))))
    (finding,) = uneven_skin(Meter(astronaut).picture(picked), picked)
    done = fixed(picked, finding)
    assert done.colour.skin.evenness_percent == 50.0
    assert not uneven_skin(Meter(astronaut).picture(done), done)
    assert not out_of_gamut(Meter(astronaut).picture(plain), plain)


# ---- the command line


def test_measure_says_what_it_reads_of_colours(shoot, capsys):
    path = str(next(iter(sorted(shoot.glob("*.dng")))))
    areas = ["--area", "10,10,60,40", "--area", "300,300,60,40"]
    assert main(["measure", path, "--station", "colour", *areas, "--json"]) == 0
    out = json.loads(capsys.readouterr().out)
    hues = out["colour"]["hues"]
    assert [each["from_deg"] for each in hues] == list(range(0, 360, 30))
    assert set(hues[0]) == {"from_deg", "share", "chroma"}
    assert out["colour"]["skin"] is None and 0.0 <= out["colour"]["out_of_gamut"] <= 1.0
    assert out["colour"]["spots_on_skin"] == []
    (pair,) = out["pairs"]
    assert {"dE00", "dh", "dC", "dL", "shown", "areas"} == set(pair) and "tone" not in out


def test_codes_of_a_photograph_come_back(astronaut):
    shown = astronaut.render(Recipe.starting("rendered"), 0, result="display")
    np.testing.assert_allclose(shown, decode_sRGB(skimage.data.astronaut() / 255.0), atol=0.01)
    made = coloured(np.ascontiguousarray(shown @ SRGB_TO_REC2020.T.astype(np.float32)), moves_of(Grading()))
    np.testing.assert_allclose(made @ TO_SRGB.T, shown, atol=1e-3)


def test_black_and_white_is_an_answer_to_two_lights_far_apart():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0057.dng")
    engine = Engine(simulate(shot.scene, (600, 400), shot.settings, view=shot.view))
    reading = Meter(engine).picture(Recipe())
    lights = reading.light.lights
    (finding,) = better_grey(reading, Recipe())
    assert lights.apart_mired >= 120.0 and finding.certainty < 0.5
    done = fixed(Recipe(), finding)
    assert done.colour.black_and_white == "on" and not better_grey(Meter(engine).picture(done), done)


def test_one_light_needs_no_grey(scene_engine):
    assert not better_grey(Meter(scene_engine).picture(Recipe()), Recipe())


def test_what_cannot_be_skin_is_not_taken_for_it(astronaut):
    # the flag's blue, and the dark of the helmet
    for x, y in ((20, 30), (420, 440)):
        with pytest.raises(ArgumentError, match="pick"):
            reference_of(astronaut, Recipe.starting("rendered"), x, y)
