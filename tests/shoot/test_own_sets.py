"""Sets that the photographer made, over those that are proposed."""

import json
from pathlib import Path

import pytest

from matiz.errors import FileError
from matiz.raw.frame import Exposure
from matiz.shoot.own_sets import OwnSets


def shots(folder, *seconds, EV=None):
    """Frames by when they were taken; EV: how much lighter each is than the first."""
    return {
        folder / f"{n}.dng": Exposure(iso=100.0, time_s=0.01 * 2.0 ** (EV[n] if EV else 0.0), f_number=8.0,
                                      time_utc=f"2026-05-09T06:{at // 60:02d}:{at % 60:02d}Z", lens="A")
        for n, at in enumerate(seconds)
    }  # fmt: skip


def told(sets):
    return [(each.kind, "".join(path.stem for path in each.pictures)) for each in sets]


def test_what_is_proposed_stays_where_nothing_was_said(tmp_path):
    own = OwnSets(tmp_path)
    assert told(own.over(shots(tmp_path, 0, 0, 1, 1, 60))) == [("burst", "0123")]
    assert not (tmp_path / ".matiz").exists(), "nothing is written by looking"


def test_pictures_are_joined_taken_out_and_put_back_and_kept(tmp_path):
    own, frames = OwnSets(tmp_path), shots(tmp_path, 0, 0, 1, 1, 60, 120)
    paths = list(frames)
    own.join(paths[3:5])
    assert told(own.over(frames)) == [("burst", "012"), ("set", "34")]
    assert own.over(frames)[1].name == "set of 2"
    own.part([paths[0]])
    assert told(own.over(frames)) == [("burst", "12"), ("set", "34")]
    own.join(paths[4:6])
    assert told(OwnSets(tmp_path).over(frames)) == [("burst", "12"), ("set", "45")], "what a set has one of is none"
    own = OwnSets(tmp_path)
    own.forget(paths)
    assert told(own.over(frames)) == [("burst", "0123")]
    assert json.loads((tmp_path / ".matiz/sets.json").read_text()) == {}


def test_a_joined_set_is_what_its_files_say_and_a_bracket_loses_a_step(tmp_path):
    frames = shots(tmp_path, 0, 1, 30, 31, EV=(0, -2, 2, 4))
    own, paths = OwnSets(tmp_path), list(frames)
    assert told(own.over(frames)) == []
    own.join(paths)
    assert told(own.over(frames)) == [("set", "0123")], "too far apart to be a bracket by itself"
    close = shots(tmp_path, 0, 1, 2, 3, EV=(0, -2, 2, 4))
    own.part(paths[3:])
    own.join(paths[:3])
    (bracket,) = own.over(close)
    assert bracket.kind == "bracket" and bracket.steps_EV == pytest.approx((0.0, -2.0, 2.0), abs=0.01)
    own.forget(paths)
    own.part(paths[3:])
    (bracket,) = own.over(close)
    assert len(bracket.pictures) == len(bracket.steps_EV) == 3


def test_other_folders_and_damaged_files_do_no_harm(tmp_path):
    frames = {**shots(tmp_path, 0, 60), **shots(tmp_path / "b", 120)}
    own = OwnSets(tmp_path)
    own.join(frames)
    assert told(own.over(frames)) == [("set", "010")]
    assert set(own.groups()) == {"0.dng", "1.dng", str(tmp_path / "b" / "0.dng")}
    for text in ("nothing", "[1, 2]", '{"0.dng": "x"}'):
        (tmp_path / ".matiz/sets.json").write_text(text)
        assert told(OwnSets(tmp_path).over(frames)) == []


def test_where_nothing_can_be_written_it_is_said_and_nothing_is_changed(tmp_path):
    (tmp_path / ".matiz").write_text("a file")
    own, frames = OwnSets(tmp_path), shots(tmp_path, 0, 60)
    with pytest.raises((FileError, OSError)):
        own.join(frames)
    assert own.over(frames) == [] and isinstance(Path(tmp_path / ".matiz").read_text(), str)


def test_what_another_window_said_meanwhile_stays(tmp_path):
    frames = shots(tmp_path, 0, 60, 120, 180)
    own, other, paths = OwnSets(tmp_path), OwnSets(tmp_path), list(frames)
    assert own.over(frames) == other.over(frames) == []
    own.join(paths[:2])
    other.join(paths[2:])
    assert told(OwnSets(tmp_path).over(frames)) == [("set", "01"), ("set", "23")]
