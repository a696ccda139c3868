"""Recipes as trees: tables, kinds, paths by id, insert and remove as changes, what a newer Matiz wrote, shapes."""

import json
from dataclasses import dataclass, field

import jsonschema
import numpy as np
import pytest

from matiz.errors import RecipeError
from matiz.recipe.document import Document, Version
from matiz.recipe.history import History
from matiz.recipe.leaves import Drawn, Number, Text, described
from matiz.recipe.model import Recipe, Tone
from matiz.recipe.paths import check_around, get, leaves, put
from matiz.recipe.schema import _section
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import ABSENT, Foreign, Rows, Section, table


@dataclass(frozen=True)
class Ramp(Section):
    KIND = "ramp"
    feather_px: float = described(Number("px", 0.0, 500.0, 20.0, 1.0, 0, "How soft its edge is."))


@dataclass(frozen=True)
class Stroke(Section):
    KIND = "stroke"
    path: Shape = described(Drawn("Where it went."))


@dataclass(frozen=True)
class Spot(Section):
    name: str = described(Text("", "Name."))
    tone: Tone = field(default_factory=Tone)
    mask: Rows = table(Ramp, Stroke)

    def check_together(self) -> None:
        if self.name == "dark" and self.tone.exposure_EV > 0:
            raise RecipeError("name: a dark spot is not made lighter")


@dataclass(frozen=True)
class Wide(Recipe):
    """A recipe as one with places will be."""

    spots: Rows = table(Spot)


def _with_spots(*names: str) -> tuple[Wide, list[str]]:
    recipe = Wide()
    for name in names:
        recipe, _ = recipe.insert("spots", Spot(name), label="add")
    return recipe, list(recipe.spots)


def test_items_are_reached_by_id_and_inserted_and_removed_as_changes_that_undo():
    recipe, (a, b, c) = _with_spots("a", "b", "c")
    history = History()
    for settings in (
        [(f"spots.{b}.tone.exposure_EV", 1.5)],
        [(f"spots.{b}.mask.k1", Ramp(30.0)), (f"spots.{b}.mask.k1.feather_px", 40.0)],
        [("spots.order", (c, a, b))],
        [(f"spots.{a}", ABSENT)],
    ):
        recipe, change = recipe.change_all(settings, label="x")
        history = history.push(change)
    assert list(recipe.spots) == [c, b] and get(recipe, f"spots.{b}.mask.k1.feather_px") == 40.0
    states = [recipe]
    history = History.from_json(json.loads(json.dumps(history.to_json())))
    while history.position:
        recipe, history = history.undo(recipe)
        states.append(recipe)
    assert [list(s.spots) for s in states] == [[c, b], [c, a, b], [a, b, c], [a, b, c], [a, b, c]]
    assert states[-1] == _renamed(_with_spots("a", "b", "c")[0], (a, b, c)), "all of it is taken back"
    for state in reversed(states[:-1]):
        recipe, history = history.redo(recipe)
        assert recipe == state and Wide.from_json(json.loads(json.dumps(recipe.to_json()))) == state


def _renamed(recipe: Wide, ids: tuple[str, ...]) -> Wide:
    return Wide(spots=Rows(zip(ids, recipe.spots.values(), strict=True)))


@pytest.mark.parametrize("ident", ["order", "", "a.b", "x" * 17, 7, None])
def test_an_item_read_from_json_has_an_id_of_its_own(ident):
    data = json.loads(json.dumps(_with_spots("a")[0].to_json()))
    data["spots"][0]["id"] = ident
    with pytest.raises(RecipeError, match=r"id"):
        Wide.from_json(data)
    data["spots"] *= 2
    data["spots"][0]["id"] = data["spots"][1]["id"] = "k1"
    with pytest.raises(RecipeError, match="of its own"):
        Wide.from_json(data)


def test_an_item_goes_where_it_is_asked_to():
    recipe, (a, b) = _with_spots("a", "b")
    recipe, change = recipe.insert("spots", Spot("first"), label="add", at=0)
    assert [spot.name for spot in recipe.spots.values()] == ["first", "a", "b"]
    assert recipe.applied(change.before()).spots.order == (a, b)


@pytest.mark.parametrize(
    "settings, says",
    [
        ([("spots.zz.tone.exposure_EV", 1.0)], "there is no 'zz'"),
        ([("spots.{a}.tone.exposure_EV", 9.0)], "outside -6..6 EV"),
        ([("spots.{a}.shine", 1.0)], "unknown field; known are name, tone, mask"),
        ([("spots.{a}.name.x", 1.0)], "inside a value"),
        ([("spots.{a}.tone", 1.0)], "not a single value"),
        ([("spots", 1.0)], "table of Spot"),
        ([("spots.order", ("{a}", "{a}"))], "each of"),
        ([("spots.order.x", 1.0)], "there is no 'order'"),
        ([("spots.a b", Spot())], "letters and digits"),
        ([("spots.k1", Ramp())], "does not belong"),
        ([("spots.k1", {"name": 3})], "expected one line"),
        ([("spots.{a}.mask.k1", {"kind": "fog"})], "one of ramp, stroke"),
        ([("spots.{a}.tone.exposure_EV", 1.0), ("spots.{a}.name", "dark")], "not made lighter"),
    ],
)
def test_a_wrong_path_or_value_is_named(settings, says):
    recipe, (a,) = _with_spots("a")

    def of(value):
        return (
            value.replace("{a}", a)
            if isinstance(value, str)
            else tuple(map(of, value))
            if isinstance(value, tuple)
            else value
        )

    with pytest.raises(RecipeError, match=says):
        recipe.change_all([(of(path), of(value)) for path, value in settings], label="x")


def test_rules_of_a_section_hold_only_once_all_is_put():
    recipe, (a,) = _with_spots("dark")
    path = f"spots.{a}"
    made, _ = recipe.change_all([(f"{path}.tone.exposure_EV", 1.0), (f"{path}.name", "light")], label="x")
    assert get(made, f"{path}.name") == "light"
    with pytest.raises(RecipeError, match="not made lighter"):
        check_around(put(recipe, f"{path}.tone.exposure_EV", 1.0), [f"{path}.tone.exposure_EV"])


def test_what_is_not_changed_is_shared_and_not_checked_again(monkeypatch):
    recipe, ids = _with_spots(*"abcde")
    asked = []
    check = Number.check
    monkeypatch.setattr(Number, "check", lambda self, path, value: asked.append(path) or check(self, path, value))
    fresh, _ = recipe.change(f"spots.{ids[2]}.tone.exposure_EV", 1.0)
    assert asked == [f"spots.{ids[2]}.tone.exposure_EV"]
    assert fresh.spots[ids[0]] is recipe.spots[ids[0]] and fresh.light is recipe.light
    assert fresh.spots[ids[2]].tone.curve is recipe.spots[ids[2]].tone.curve


def test_leaves_walks_tables_too():
    recipe, (a,) = _with_spots("a")
    paths = {path for path, _, _ in leaves(recipe)}
    assert {f"spots.{a}.tone.haze_percent", "light.duv"} <= paths


def test_the_schema_knows_tables():
    recipe, (a,) = _with_spots("a")
    recipe, _ = recipe.change(f"spots.{a}.mask.k1", Ramp())
    schema = _section(Wide)["properties"]["spots"]
    plain = json.loads(json.dumps(recipe.to_json()))["spots"]
    jsonschema.validate(plain, schema)
    plain[0]["mask"][0]["kind"] = "fog"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(plain, schema)


def test_what_a_newer_matiz_wrote_survives_edits_at_any_depth():
    recipe, (a, b) = _with_spots("a", "b")
    data = json.loads(json.dumps(recipe.change(f"spots.{a}.mask.k1", Ramp())[0].to_json()))
    data["schema"] = 99
    data["spots"][0]["gleam"] = [1, 2]
    data["spots"][0]["mask"].append({"id": "k2", "kind": "fog", "depth": 3})
    data["tone"]["rendition"] = "film"
    read = Wide.from_json(data)
    assert isinstance(read.spots[a].mask["k2"], Foreign) and read.tone.rendition == "standard"
    edited = read.change_all([(f"spots.{a}.name", "x"), (f"spots.{b}", ABSENT)], label="x")[0]
    again = json.loads(json.dumps(Wide.from_json(edited.to_json()).to_json()))
    assert again["schema"] == 99 and len(again["spots"]) == 1
    assert again["spots"][0]["gleam"] == [1, 2] and again["spots"][0]["mask"][1] == data["spots"][0]["mask"][1]
    assert again["tone"]["rendition"] == "film"
    assert read.change("tone.rendition", "soft")[0].to_json()["tone"]["rendition"] == "soft"
    del data["schema"]
    with pytest.raises(RecipeError, match=r"unknown field|film"):
        Wide.from_json(data)


def test_a_history_with_paths_of_a_newer_matiz_is_read_undone_and_kept():
    changes = [
        {"label": "Exposure", "at_utc": "t", "items": [["tone.exposure_EV", 0.0, 1.0]], "tool": "pen"},
        {"label": "Shimmer", "at_utc": "t", "items": [["tone.shimmer", 0, 3], ["tone.rendition", "standard", "film"]]},
    ]
    recipe = {**Recipe().to_json(), "schema": 99}
    recipe["tone"] = {**recipe["tone"], "exposure_EV": 1.0, "shimmer": 3, "rendition": "film"}
    history = {"position": 2, "changes": changes, "branch": "b"}
    data = {"matiz": 7, "versions": {"A": {"recipe": recipe, "history": history, "colour": "x"}}, "mood": 1}
    document = Document.from_json(data)
    assert json.loads(json.dumps(document.to_json())) == {**data, **document.to_json() | {
        "versions": {"A": {"recipe": document.to_json()["versions"]["A"]["recipe"], "history": history, "colour": "x"}}
    }}  # fmt: skip
    assert document.to_json()["matiz"] == 7 and document.recipe.to_json()["tone"]["rendition"] == "film"
    undone = document.version.undo()
    assert undone.recipe.to_json()["tone"]["shimmer"] == 0 and undone.recipe.tone.exposure_EV == 1.0
    assert undone.undo().recipe.tone.exposure_EV == 0.0
    assert undone.undo().redo().redo().recipe == document.recipe


def test_a_history_of_our_own_schema_with_unknown_paths_is_refused_when_it_is_undone():
    history = {"position": 1, "changes": [{"label": "x", "at_utc": "t", "items": [["tone.shimmer", 0, 3]]}]}
    version = Version.from_json({"recipe": Recipe().to_json(), "history": history})
    with pytest.raises(RecipeError, match="shimmer"):
        version.undo()


def test_what_a_hand_has_drawn_goes_to_json_and_back_and_is_checked():
    points = np.random.default_rng(1).random((40, 3), np.float32)
    shape = Shape.of(points)
    recipe, _ = Wide().insert("spots", Spot(mask=Rows([("k2", Stroke(shape))])), label="add")
    back = Wide.from_json(json.loads(json.dumps(recipe.to_json())))
    assert back == recipe and len(shape) == 40
    (spot,) = back.spots.values()
    np.testing.assert_array_equal(spot.mask["k2"].path.points, points)
    with pytest.raises(RecipeError, match="finite"):
        Shape.of(points * np.nan)
    path = f"spots.{back.spots.order[0]}.mask.k2.path"
    endless = Shape(2, np.full((2, 2), np.inf, "<f4").tobytes()).to_json()
    for wrong in ("x", {"columns": 3, "points": "AAAA"}, {"columns": 9, "points": ""}, {"points": ""}, endless):
        with pytest.raises(RecipeError, match=r"spots\..*point"):
            put(recipe, path, wrong)


def test_digests_follow_from_what_is_in_a_section_and_from_nothing_before():
    recipe, (a, _) = _with_spots("a", "b")
    before = recipe.spots.digest
    assert before == recipe.spots.digest == Wide.from_json(recipe.to_json()).spots.digest
    named = put(recipe, f"spots.{a}.name", "c")
    assert named.spots.digest != before
    assert put(named, f"spots.{a}.name", "a").spots.digest == before
    deeper = put(recipe, f"spots.{a}.tone.contrast.fine_dB", 1.0)
    assert deeper.spots.digest != before and recipe.spots.digest == before
    assert put(recipe, "spots.order", recipe.spots.order[::-1]).spots.digest != before
