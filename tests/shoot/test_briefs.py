"""What is known of pictures is kept beside them, as long as they are the same."""

import os
import sqlite3

from matiz.measure.sort.brief import Brief
from matiz.recipe.model import Recipe
from matiz.shoot import briefs as at
from matiz.shoot.briefs import Briefs
from matiz.shoot.desk import Desk

ONE = Brief(0.81, 0.02, 0.0, 31.5)


def test_it_is_there_at_the_next_start_until_the_file_is_another_one(tmp_path, monkeypatch):
    picture = tmp_path / "a.dng"
    picture.write_bytes(b"one")
    kept = Briefs(tmp_path)
    assert kept.get(picture) is None
    kept.put(picture, ONE)
    kept.close()
    again = Briefs(tmp_path)
    assert again.get(picture) == ONE and again.get(tmp_path / "b.dng") is None
    monkeypatch.setattr(at, "VERSION", at.VERSION + 1)
    assert again.get(picture) is None, "what was read another way is read anew"
    monkeypatch.undo()
    os.utime(picture, ns=(1, 1))
    assert again.get(picture) is None
    again.put(picture, ONE)
    picture.write_bytes(b"another")
    assert again.get(picture) is None
    again.close()


def test_what_is_damaged_is_measured_again(tmp_path):
    picture = tmp_path / "a.dng"
    picture.write_bytes(b"one")
    kept = Briefs(tmp_path)
    kept.put(picture, ONE)
    with sqlite3.connect(kept.path) as database:
        database.execute("update brief set told = '{\"edges_px\": []}'")
    assert kept.get(picture) is None
    kept.close()
    kept.path.write_bytes(b"no database at all" * 100)
    for beside in kept.path.parent.glob("readings.sqlite-*"):
        beside.unlink()
    said: list[str] = []
    anew = Briefs(tmp_path, said.append)
    assert anew.get(picture) is None and "damaged" in said[0]
    anew.put(picture, ONE)
    assert anew.get(picture) == ONE
    anew.close()
    assert [path for path in kept.path.parent.iterdir() if "damaged" in path.name]


def test_pictures_are_arranged_and_put_back(shoot):
    desk = Desk()
    desk.open([shoot])
    before = list(desk.catalogue.pictures)
    desk.catalogue.arrange(lambda path: [-ord(c) for c in path.name])
    assert desk.catalogue.pictures == before[::-1] and desk.catalogue.is_arranged
    came = shoot / "CORVA_0099.dng"
    desk.catalogue.add(came)
    desk.catalogue.arrange(lambda path: path.name)
    desk.catalogue.arrange(None)
    assert desk.catalogue.pictures == [*before, came] and not desk.catalogue.is_arranged
    desk.catalogue.arrange(lambda path: path.name)
    desk.open([shoot])
    assert not desk.catalogue.is_arranged and desk.recipe(before[0]) == Recipe()
    desk.close_log()
