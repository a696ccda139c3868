"""Looks: parts of a recipe as files, laid on at any strength, checked when they are opened."""

import json

import jsonschema
import pytest

from matiz.errors import RecipeError
from matiz.recipe.colour import Grading, Peg, Skin, TintNode
from matiz.recipe.looks import Look, look_from, look_of, own_looks, read_look, schema
from matiz.recipe.model import Recipe, Tone
from matiz.recipe.tree import Rows, replaced

PEG = {"id": "a", "at_deg": 130.0, "reach_deg": 45.0, "hue_deg": -8.0, "chroma": 0.72, "lightness": -3.0}


def laid(recipe: Recipe, look: Look, strength: float = 1.0) -> Recipe:
    return recipe.change_all(look.settings(recipe, strength), label="look")[0]


def test_six_looks_ship_each_with_a_reason_and_of_its_own():
    looks = own_looks()
    assert len(looks) == 6 and len({look.name for look in looks}) == 6
    for look in looks:
        assert len(look.why) > 40
        jsonschema.validate(look.to_json(), schema())
        assert laid(Recipe(), look) != Recipe()
        assert laid(Recipe.starting("rendered"), look).start == "rendered"


def test_strength_scales_numbers_and_takes_words_whole():
    look = Look("x", "", {"tone": {"rendition": "soft", "contrast": {"middle_dB": 4.0}}, "colour": {"pegs": [PEG]}})
    half, whole, double = (laid(Recipe(), look, strength) for strength in (0.5, 1.0, 2.0))
    assert [each.tone.contrast.middle_dB for each in (half, whole, double)] == [2.0, 4.0, 8.0]
    assert {each.tone.rendition for each in (half, whole, double)} == {"soft"}
    pegs = [next(iter(each.colour.pegs.values())) for each in (half, whole, double)]
    assert [peg.hue_deg for peg in pegs] == [-4.0, -8.0, -16.0]
    assert [peg.chroma for peg in pegs] == pytest.approx([0.86, 0.72, 0.44])
    assert {(peg.at_deg, peg.reach_deg) for peg in pegs} == {(130.0, 45.0)}
    assert laid(Recipe(), Look("x", "", {"colour": {"chroma_percent": 150.0}}), 2.0).colour.chroma_percent == 200.0
    with pytest.raises(RecipeError, match="200 %"):
        look.settings(Recipe(), 2.5)


def test_a_look_leaves_alone_what_it_does_not_decide():
    recipe = Recipe(tone=Tone(exposure_EV=0.7), colour=Grading(chroma_percent=12.0, pegs=Rows([("z", Peg())])))
    changed = laid(recipe, Look("x", "", {"colour": {"tint": [{"id": "t", "at": 30.0, "b": -4.0}]}}))
    assert changed.tone.exposure_EV == 0.7 and changed.colour.chroma_percent == 12.0
    assert changed.colour.pegs == recipe.colour.pegs and changed.colour.tint["t"].b == -4.0
    # of a table that it has, what was there goes
    assert list(laid(recipe, Look("x", "", {"colour": {"pegs": [PEG]}})).colour.pegs) == ["a"]


def test_what_is_decided_is_kept_and_laid_on_another(tmp_path):
    colour = Grading(
        pegs=Rows([("a", Peg(at_deg=40.0, hue_deg=5.0))]), tint=Rows([("t", TintNode(b=3.0))]), muted_percent=20.0,
        skin=Skin(reference=(40.0, 10.0, 10.0) * 3, evenness_percent=50.0),
    )  # fmt: skip
    recipe = Recipe(tone=Tone(exposure_EV=1.0, rendition="strong"), colour=colour)
    look = look_of(recipe, "Mine", "For evenings")
    look.write(tmp_path / "mine.json")
    again = read_look(tmp_path / "mine.json")
    assert again == look and again.name == "Mine"
    other = laid(Recipe(), again)
    assert other.tone.rendition == "strong" and other.tone.exposure_EV == 0.0, "exposure is each picture's own"
    assert other.colour.pegs == colour.pegs and other.colour.tint == colour.tint
    assert other.colour.skin.reference == Skin().reference, "and so is the skin that was picked"
    with pytest.raises(RecipeError, match="no edits in Tone or Colour"):
        look_of(Recipe(), "x")


@pytest.mark.parametrize(
    "data",
    [
        [], {}, {"look": 2, "name": "x", "recipe": {}}, {"look": 1, "recipe": {}}, {"look": 1, "name": 5, "recipe": {}},
        {"look": 1, "name": "x\n", "recipe": {}}, {"look": 1, "name": "x", "recipe": {"places": []}},
        {"look": 1, "name": "x", "recipe": {"colour": {"chroma_percent": 1e9}}},
        {"look": 1, "name": "x", "recipe": {"colour": {"pegs": [{"at_deg": 3}]}}},
        {"look": 1, "name": "x", "recipe": {"colour": {"glow": 3}}},
        {"look": 1, "name": "x", "recipe": {}, "run": "rm"},
    ],
)  # fmt: skip
def test_what_is_no_look_is_refused_by_name(data):
    with pytest.raises(RecipeError, match=r"odd\.json"):
        look_from(data, "odd.json")


def test_a_file_that_is_no_JSON_or_too_large_is_refused(tmp_path):
    path = tmp_path / "odd.json"
    for text in ("{", "[" * 100_000, " " * 300_000):
        path.write_text(text)
        with pytest.raises(RecipeError, match=r"odd\.json"):
            read_look(path)


def test_a_look_of_rendered_pictures_starts_from_theirs():
    rendered = replaced(Recipe.starting("rendered"), tone=replaced(Recipe.starting("rendered").tone, rendition="soft"))
    assert json.dumps(look_of(rendered, "x").to_json()["recipe"]) == '{"tone": {"rendition": "soft"}}'
