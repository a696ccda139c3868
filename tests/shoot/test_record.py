"""The record of a shoot: times from the log, the plan, tables, the recipe in words."""

import csv
import io
from dataclasses import replace

import pytest

from matiz.cli import main
from matiz.recipe.document import Document
from matiz.recipe.model import Recipe
from matiz.recipe.places import Place
from matiz.recipe.tree import Rows
from matiz.recipe.words import recipe_text
from matiz.shoot.log import Event
from matiz.shoot.record import (
    ShootPlan,
    as_csv,
    as_markdown,
    by_station,
    entries_of,
    plan_of,
    sentences,
)
from matiz.shoot.sidecar import load_document, save_document


def at(second: int, picture: str, kind: str = "change", path: str = "tone.exposure_EV") -> Event:
    stamp = f"2026-03-14T06:{second // 60:02d}:{second % 60:02d}.000+00:00"
    return Event(stamp, picture, kind, "x", f'[["{path}", 0, 1]]' if kind == "change" else "")


DOCUMENTS = {
    "a.dng": Document(sorted_as="keep", rank=4), "b.dng": Document(), "c.dng": Document(sorted_as="drop"),
    "d.dng": Document(),
}  # fmt: skip
EVENTS = [
    at(0, "a.dng", "open"), at(20, "a.dng"), at(50, "a.dng", path="light.cct_K"), at(52, "a.dng", "deliver"),
    at(60, "b.dng", "open"), at(80, "b.dng"),
    # a pause of five minutes
    at(380, "b.dng"), at(390, "b.dng", "undo"),
]  # fmt: skip


@pytest.fixture
def found():
    return entries_of(DOCUMENTS, EVENTS)


def test_seconds_steps_and_deliveries_are_told_by_picture(found):
    a, b, c, d = found
    assert (a.seconds, a.steps, a.deliveries, a.budget_s) == (50.0, 2, 1, 180.0)
    assert a.by_station == {"tone": 20.0, "light": 30.0}
    # from the last of the one on: opened, two steps, one taken back; neither the pause nor the delivery count
    assert (b.seconds, b.steps, b.deliveries, b.budget_s) == (40.0, 2, 0, 60.0)
    assert b.last_utc.endswith("06:30.000+00:00") and (c.seconds, d.steps) == (0.0, 0)


def test_the_plan_counts_what_is_left_at_the_pace_so_far(found):
    assert plan_of(found) == ShootPlan(1, 45.0) and plan_of(found).seconds == 45.0
    assert plan_of([]).seconds is None
    assert by_station(found) == {"tone": 40.0, "light": 30.0}
    said = " ".join(sentences(found))
    assert "4 pictures, 2 worked on" in said and "1 picture left" in said and "tone 40" in said
    assert "Over their budget" not in said
    slow = [replace(found[1], seconds=61.0)]
    assert "Over their budget: b.dng" in " ".join(sentences(slow))


def test_tables_hold_every_picture(found):
    rows = list(csv.DictReader(io.StringIO(as_csv(found))))
    assert [row["picture"] for row in rows] == list(DOCUMENTS) and rows[0]["seconds"] == "50.0"
    table = as_markdown([replace(found[0], picture="a|b.dng")])
    assert "| a/b.dng | keep | 4 | 2 | 50.0 | 180 | 1 |" in table and table.count("|---") == 8


def test_a_recipe_is_told_in_words():
    assert recipe_text(Recipe()) == "No edits yet.\n"
    recipe = Recipe(places=Rows([("p", Place(name="sky", exposure_EV=-0.5))]))
    recipe = recipe.change_all([("tone.exposure_EV", 0.75), ("detail.deblur.blur_px", 1.2)], label="x")[0]
    text = recipe_text(recipe)
    assert "Tone\n  Exposure, in stops: +0.75" in text and "Places" in text and "sky" in text and "1.2\u202fpx" in text
    assert "haze" not in text.lower()


def test_the_command_line_tells_and_writes_it(shoot, tmp_path, capsys):
    path = shoot / "CORVA_0011.dng"
    save_document(path, load_document(path).change_all([("tone.exposure_EV", 1.0)], label="Exposure")[0])
    assert main(["log", str(shoot)]) == 0 and "1 worked on" in capsys.readouterr().out
    assert main(["log", str(shoot), "--csv", "-o", str(tmp_path / "log.csv")]) == 0
    assert (tmp_path / "log.csv").read_text().startswith("picture,sorted as")
    assert main(["log", str(shoot), "--markdown"]) == 0 and "| CORVA_0011.dng |" in capsys.readouterr().out
    assert main(["log", str(tmp_path / "gone")]) == 1
    capsys.readouterr()
    assert main(["recipe", "tell", str(path) + ".matiz.json"]) == 0
    assert "Exposure, in stops: +1.00" in capsys.readouterr().out
