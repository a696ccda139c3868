"""The recipe: validation, changes, JSON, history, versions."""

import json

import jsonschema
import pytest

from matiz.errors import RecipeError
from matiz.recipe.document import Document, Version
from matiz.recipe.history import History
from matiz.recipe.leaves import Number
from matiz.recipe.model import Light, Recipe, Tone, specs
from matiz.recipe.parsing import apply_settings, parsed
from matiz.recipe.schema import json_schema


def test_defaults_are_valid_and_survive_json():
    recipe = Recipe()
    assert recipe.light.source == "as_shot" and recipe.tone.rendition == "standard"
    assert Recipe.from_json(json.loads(json.dumps(recipe.to_json()))) == recipe


@pytest.mark.parametrize(
    "path, value, says",
    [
        ("tone.exposure_EV", 9.0, "outside -6..6 EV"),
        ("tone.exposure_EV", float("nan"), "expected a number"),
        ("tone.exposure_EV", "1", "expected a number"),
        ("tone.exposure_EV", True, "expected a number"),
        ("light.cct_K", 100, "1500..25000 K"),
        ("light.source", "candle", "as_shot"),
        ("tone.rendition", "vivid", "linear, standard"),
        ("tone.curve.lightness", [[0, 0]], "two points"),
        ("tone.curve.lightness", [[0, 0.5], [1, 0.2]], "must not fall"),
        ("tone.curve.lightness", [[0, 0], [1.5, 1]], "within 0..1"),
        ("tone.curve.lightness", 3, "list of"),
        ("tone.nothing", 1, "unknown field"),
    ],
)
def test_a_wrong_value_is_named_with_its_limits(path, value, says):
    with pytest.raises(RecipeError, match=says) as caught:
        Recipe().change(path, value)
    assert path in str(caught.value)


def test_construction_validates_too():
    with pytest.raises(RecipeError, match=r"tone\.exposure_EV"):
        Recipe(tone=Tone(exposure_EV=20.0))
    tone = Tone(exposure_EV=1)
    assert isinstance(Recipe(tone=tone).tone.exposure_EV, float)
    assert isinstance(tone.exposure_EV, int), "a value handed in is never changed"


def test_duv_has_less_room_in_warm_light():
    with pytest.raises(RecipeError, match="not a real light at 2000 K"):
        Recipe().change_all([("light.cct_K", 2000.0), ("light.duv", 0.02)], label="x")


def test_a_change_can_be_taken_back_and_done_again():
    recipe, change = Recipe().change("tone.exposure_EV", 1.5)
    assert change.items == (("tone.exposure_EV", 0.0, 1.5),)
    assert recipe.applied(change.before()) == Recipe()
    assert Recipe().applied(change.after()) == recipe
    assert not Recipe().change("tone.exposure_EV", 0.0)[1]


def test_a_temperature_means_a_manual_light():
    assert Recipe().change("light.cct_K", 3200)[0].light == Light("manual", 3200.0, 0.0)
    assert apply_settings(Recipe(), ["light.source=manual", "light.duv=0.002"]).light.source == "manual"
    assert apply_settings(Recipe(), ["light.cct_K=3200", "light.source=A"]).light.source == "A"


@pytest.mark.parametrize(
    "text, value",
    [("1.5", 1.5), ("+1,5 EV", 1.5), ("\u22120.5\u202fEV", -0.5), ("-2ev", -2.0)],
)
def test_typed_values_take_units_and_true_minus(text, value):
    assert parsed(specs()["tone.exposure_EV"], "tone.exposure_EV", text) == value


def test_settings_of_the_command_line():
    recipe = apply_settings(Recipe(), ["tone.curve.lightness=[[0,0],[0.5,0.6],[1,1]]", "tone.rendition=soft"])
    assert recipe.tone.curve.lightness[1] == (0.5, 0.6) and recipe.tone.rendition == "soft"
    for wrong in ("tone.exposure_EV", "tone.exposure_EV=much", "tone.curve.lightness=[", "a=1"):
        with pytest.raises(RecipeError):
            apply_settings(Recipe(), [wrong])


def test_the_schema_accepts_recipes_and_refuses_others():
    schema = json_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    recipe, _ = Recipe().change("light.cct_K", 3200)
    jsonschema.validate(recipe.to_json(), schema)
    for path, value in (("exposure_EV", 11), ("extra", 1)):
        wrong = Recipe().to_json()
        wrong["tone"][path] = value
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(wrong, schema)


def test_fields_of_a_newer_matiz_are_kept():
    data = Recipe().to_json()
    data["tone"]["shimmer"] = 3
    with pytest.raises(RecipeError, match=r"tone\.shimmer"):
        Recipe.from_json(data)
    data["schema"] = 99
    recipe, _ = Recipe.from_json(data).change("tone.exposure_EV", 1.0)
    assert recipe.to_json()["tone"] == {**Recipe().to_json()["tone"], "shimmer": 3, "exposure_EV": 1.0}


def test_an_unknown_processing_version_is_refused():
    with pytest.raises(RecipeError, match="update Matiz"):
        Recipe.from_json({**Recipe().to_json(), "processing": 99})


def test_history_undoes_redoes_and_forgets_what_was_undone():
    version = Version()
    for value in (1.0, 2.0):
        version = version.record(*version.recipe.change("tone.exposure_EV", value))
    assert version.undo().recipe.tone.exposure_EV == 1.0
    assert version.undo().undo().undo().recipe == Recipe()
    assert version.undo().redo() == version
    branched = version.undo().record(*version.undo().recipe.change("tone.rendition", "soft"))
    assert branched.redo() == branched and len(branched.history.changes) == 2
    with pytest.raises(RecipeError, match="position"):
        History((), 1)


def test_a_document_survives_json_with_versions_and_history():
    version = Version().record(*Recipe().change("tone.curve.lightness", [[0, 0.05], [1, 1]]))
    document = Document(sorted_as="keep", rank=4, silenced=("tone.clipped",), unknown={"later": 1})
    document = document.with_version(version, "Warm")
    back = Document.from_json(json.loads(json.dumps(document.to_json())))
    assert back == document and back.current == "Warm"
    assert back.version.undo().recipe == Recipe()


@pytest.mark.parametrize(
    "wrong", [[], {"versions": 3}, {"versions": {}, "current": "x"}, {"versions": {"a": {}}, "rank": 9}]
)
def test_a_wrong_document_is_refused(wrong):
    with pytest.raises(RecipeError):
        Document.from_json(wrong)


def test_every_field_describes_itself():
    for path, spec in specs().items():
        assert spec.help.endswith("."), path
        assert spec.check(path, spec.default) == spec.default
        if isinstance(spec, Number):
            assert spec.low < spec.high and spec.step > 0


def test_a_station_left_out_keeps_its_values_and_does_nothing():
    recipe = Recipe().change_all([("tone.exposure_EV", 1.0), ("light.cct_K", 3200.0)], label="")[0]
    without = recipe.change("tone.active", "off")[0]
    assert without.tone.exposure_EV == 1.0 and not without.is_active("tone") and without.is_active("deliver")
    assert without.in_force().tone == Tone() and without.in_force().light == recipe.light
    assert recipe.in_force() is recipe
    assert Recipe.from_json(without.to_json()) == without


def test_a_change_takes_a_station_back_in():
    without = Recipe().change("tone.active", "off")[0]
    again, change = without.change("tone.white_EV", 0.5)
    assert again.is_active("tone") and again.applied(change.before()) == without
    assert without.change("light.duv", 0.001)[0].tone.active == "off"


def test_leaving_out_what_is_left_out_changes_nothing():
    without = Recipe().change("tone.active", "off")[0]
    again, change = without.change("tone.active", "off")
    assert again == without and not change


def test_what_a_picture_is_compared_with_lies_as_it_does():
    """Also while Mend is bypassed: a view of the one was asked of the other, which is smaller."""
    recipe = Recipe().change_all([("mend.level_deg", 3.0), ("tone.exposure_EV", 1.0)], label="x")[0]
    assert recipe.untouched().mend.level_deg == 3.0 and recipe.untouched().tone.exposure_EV == 0.0
    bypassed = recipe.change_all([("mend.active", "off")], label="x")[0]
    assert bypassed.untouched().in_force().mend == bypassed.in_force().mend == Recipe().mend
