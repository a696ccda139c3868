"""What somebody sends does not multiply without end, and what is long is read as it is when read one by one."""

import json
import time

import numpy as np
import pytest

from matiz.errors import RecipeError
from matiz.recipe import as_json, paths
from matiz.recipe.document import Document
from matiz.recipe.model import MOST_REPAIRS, Recipe
from matiz.recipe.places import MOST_DEPTH, MOST_PARTS, Brush, Place, Ramp, SameAs, Stroke
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows


def chained(depth: int, times: int) -> dict:
    """A recipe's JSON in which each place names the mask of the one before, `times` times."""
    places = [{"id": "p0", "mask": [{"id": "m", "kind": "ramp"}]}]
    for n in range(1, depth):
        places.append(
            {"id": f"p{n}", "mask": [{"id": f"m{k}", "kind": "place", "of": f"p{n - 1}"} for k in range(times)]}
        )
    return {"places": places}


def circles(count: int) -> dict:
    """Each of so many places names all others."""
    return {
        "places": [
            {"id": f"p{n}", "mask": [{"id": f"m{k}", "kind": "place", "of": f"p{k}"} for k in range(count) if k != n]}
            for n in range(count)
        ]
    }


@pytest.mark.parametrize("data", [chained(20, 3), chained(40, 1), chained(8, 5), circles(12)])
def test_masks_that_multiply_are_refused_at_once(data):
    """Three times the place before, over 20 places, are 3^20 parts: nothing was rendered any more."""
    began = time.monotonic()
    with pytest.raises(RecipeError, match=r"places: .*name fewer"):
        Recipe.from_json(data)
    assert time.monotonic() - began < 2.0


@pytest.mark.parametrize("data", [chained(MOST_DEPTH, 1), chained(6, 2), circles(3)])
def test_masks_that_name_others_sensibly_are_read(data):
    assert len(Recipe.from_json(data).places) == len(data["places"])


def test_an_edit_that_would_multiply_masks_is_refused():
    recipe = Recipe.from_json(chained(MOST_DEPTH, 1))
    with pytest.raises(RecipeError, match="deep"):
        recipe.insert("places", Place(mask=Rows([("m", SameAs(of=f"p{MOST_DEPTH - 1}"))])), label="x")
    many = Recipe.from_json({"places": [{"id": "p0", "mask": [{"id": f"m{n}", "kind": "ramp"} for n in range(90)]}]})
    for _ in range(MOST_PARTS // 90 - 2):
        many = many.insert("places", Place(mask=Rows([("m", SameAs(of="p0"))])), label="x")[0]
    with pytest.raises(RecipeError, match="parts"):
        many.insert("places", Place(mask=Rows([(f"m{n}", SameAs(of="p0")) for n in range(3)])), label="x")


@pytest.mark.parametrize("count, table", [(101, "places"), (MOST_REPAIRS + 1, "mend.repairs"), (101, "colour.pegs")])
def test_a_table_takes_no_more_than_its_limit(count, table):
    kind = {"mend.repairs": {"kind": "fill"}}.get(table, {})
    data: dict = {}
    inner = data
    *names, last = table.split(".")
    for name in names:
        inner = inner.setdefault(name, {})
    inner[last] = [{"id": f"k{n}", **kind} for n in range(count)]
    with pytest.raises(RecipeError, match="at most"):
        Recipe.from_json(data)
    inner[last].pop()
    recipe = Recipe.from_json(data)
    with pytest.raises(RecipeError, match="at most"):
        paths.put(recipe, f"{table}.one", dict(kind))


# ---- thousands of strokes


def strokes(count: int) -> list[dict]:
    rng = np.random.default_rng(3)
    made = []
    for n in range(count):
        stroke = {
            "id": f"k{n}",
            "path": Shape.of(rng.random((3 + n % 4, 2 + n % 2))).to_json(),
            "radius_px": 40 + n % 9,
        }
        made.append(stroke | ({"erase": "on", "strength_percent": 33.5} if n % 3 == 0 else {}))
    return made


def recipe_of(rows: list[dict]) -> dict:
    return {"places": [{"id": "p", "mask": [{"id": "b", "kind": "brush", "strokes": rows}]}]}


def test_many_strokes_are_read_as_one_by_one(monkeypatch):
    data = json.loads(json.dumps(recipe_of(strokes(as_json.BULK + 50))))
    at_once = Recipe.from_json(data)
    with monkeypatch.context() as patched:
        patched.setattr(as_json, "BULK", 10**9)
        one_by_one = Recipe.from_json(data)
    assert at_once == one_by_one and at_once.places.digest == one_by_one.places.digest
    assert at_once.to_json() == one_by_one.to_json()


WRONG = {
    "radius_px": [0.5, "40", True, None, float("nan"), 10**400, [1]],
    "erase": ["maybe", 1, None],
    "path": [None, {"columns": 2, "points": "AAAA"}, {"columns": 9, "points": ""}, {"columns": 2, "points": "?"},
             {"columns": 2, "points": "AADAfwAAAAA="}],
    "id": ["", "order", "k1", "a b", 3, "x" * 17],
    "kind": ["brush", 3],
    "nothing": [1],
}  # fmt: skip


@pytest.mark.parametrize("name, value", [(name, value) for name, values in WRONG.items() for value in values])
def test_what_is_wrong_with_one_of_many_is_said_as_with_one(monkeypatch, name, value):
    rows = strokes(as_json.BULK + 5)
    rows[17][name] = value
    texts = []
    for bulk in (as_json.BULK, 10**9):
        with monkeypatch.context() as patched:
            patched.setattr(as_json, "BULK", bulk)
            try:
                texts.append(Recipe.from_json(recipe_of(rows)))
            except RecipeError as error:
                texts.append(str(error))
    assert texts[0] == texts[1]
    if name != "kind":
        assert isinstance(texts[0], str)


def test_a_history_of_strokes_is_read_as_it_was_written():
    document = Document()
    brush = Place(mask=Rows([("b", Brush()), ("r", Ramp())]))
    document, _ = document.change_all([("places.p", brush)], label="place")
    for n in range(5):
        stroke = Stroke(path=Shape.of([[0.1, 0.1], [0.1 * n, 0.5]]))
        document, _ = document.change_all([(f"places.p.mask.b.strokes.s{n}", stroke)], label="stroke")
    again = Document.from_json(json.loads(json.dumps(document.to_json())))
    assert again == document
    assert again.version.undo().recipe == document.version.undo().recipe
    assert again.version.undo().redo() == document.version
