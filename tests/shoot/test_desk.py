"""The desk: documents, edits, saving, and what another window does to the same sidecars."""

import json
from dataclasses import replace

import pytest

from matiz.errors import FileError
from matiz.recipe.document import Document, Version
from matiz.recipe.merge import merged
from matiz.recipe.model import Recipe
from matiz.shoot.desk import Desk
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document, save_document, sidecar_path

EXPOSURE = "tone.exposure_EV"


@pytest.fixture
def folder(tmp_path):
    for name in ("a.dng", "b.dng", "c.dng"):
        (tmp_path / name).write_bytes(b"x")
    return tmp_path


@pytest.fixture
def desk(folder):
    said: list[str] = []
    made = Desk(said.append)
    made.open([folder])
    made.said = said
    yield made
    made.close_log()


def test_an_edit_belongs_to_the_picture_it_was_begun_for(desk, folder):
    a, b = folder / "a.dng", folder / "b.dng"
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 1.0)])
    assert desk.recipe(a).tone.exposure_EV == 1.0 and desk.recipe(b) == Recipe()
    assert desk.document(a).recipe == Recipe(), "nothing is recorded while the hand moves"
    other = desk.begin(b)
    other.preview([(EXPOSURE, -2.0)])
    edit.commit(None, "Exposure")
    assert desk.document(a).recipe.tone.exposure_EV == 1.0
    assert desk.document(b).recipe == Recipe() and desk.recipe(b).tone.exposure_EV == -2.0
    edit.preview([(EXPOSURE, 3.0)])
    assert edit.commit([(EXPOSURE, 3.0)]) is None, "an edit that is over does nothing"
    assert desk.recipe(a).tone.exposure_EV == 1.0


def test_a_drag_back_to_its_start_leaves_no_draft_on_the_disk(desk, folder):
    a = folder / "a.dng"
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 1.0)])
    desk.save()
    assert "draft" in sidecar_path(a).read_text(), "a draft is written while the hand moves"
    edit.preview([(EXPOSURE, 0.0)])
    edit.commit([(EXPOSURE, 0.0)], "x")
    desk.save()
    assert load_document(a).recipe == Recipe() and desk.is_saved


def test_a_cancelled_drag_leaves_no_trace(desk, folder):
    a = folder / "a.dng"
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 1.0)])
    desk.save()
    edit.cancel()
    assert desk.recipe(a) == Recipe() and desk.edit_of(a) is None
    desk.save()
    assert load_document(a).recipe == Recipe() and load_document(a).version.history.changes == ()


def test_a_new_edit_ends_the_one_before(desk, folder):
    a = folder / "a.dng"
    desk.begin(a).preview([(EXPOSURE, 1.0)], "first")
    desk.begin(a).preview([("tone.haze_percent", 10.0)])
    assert desk.document(a).version.history.changes[0].label == "first"
    assert desk.recipe(a).tone.haze_percent == 10.0


def test_a_wrong_value_leaves_what_was_shown(desk, folder):
    edit = desk.begin(folder / "a.dng")
    edit.preview([(EXPOSURE, 1.0)])
    with pytest.raises(ValueError, match=r"-6\.\.6"):
        edit.preview([(EXPOSURE, 99.0)])
    assert edit.recipe.tone.exposure_EV == 1.0


def test_opening_another_shoot_writes_what_is_unsaved_first(desk, folder, tmp_path_factory):
    desk.record(folder / "a.dng", [(EXPOSURE, 1.0)], "x")
    other = tmp_path_factory.mktemp("other")
    (other / "z.dng").write_bytes(b"x")
    shoot = desk.shoot
    desk.open([other])
    assert load_document(folder / "a.dng").recipe.tone.exposure_EV == 1.0
    assert desk.shoot == shoot + 1 and [p.name for p in desk.catalogue.pictures] == ["z.dng"]
    with pytest.raises(FileError):
        desk.open([other / "nowhere"])
    assert [p.name for p in desk.catalogue.pictures] == ["z.dng"], "the shoot stays open"


def test_what_cannot_be_written_stays_unsaved_and_is_written_when_it_can(desk, folder, monkeypatch):
    a = folder / "a.dng"
    desk.record(a, [(EXPOSURE, 1.0)], "x")

    def full(*_: object) -> None:
        raise FileError("no space left")

    with monkeypatch.context() as patched:
        patched.setattr("matiz.shoot.documents.save_document", full)
        assert desk.save() == [a]
        assert "not saved: no space left" in desk.said[-1] and not desk.is_saved
    assert desk.save() == [] and desk.is_saved
    assert load_document(a).recipe.tone.exposure_EV == 1.0


def test_what_cannot_be_written_can_be_written_elsewhere_over_nothing(desk, folder, tmp_path):
    apart = tmp_path / "apart"
    apart.mkdir()
    (apart / "a.dng.matiz.json").write_text("another's")
    desk.record(folder / "a.dng", [(EXPOSURE, 1.0)], "x")
    edit = desk.begin(folder / "b.dng")
    edit.preview([(EXPOSURE, 0.5)])
    written = desk.write_apart(apart)
    assert sorted(path.name for path in written) == ["a-2.dng.matiz.json", "b.dng.matiz.json"]
    assert load_document(apart / "a-2.dng").recipe.tone.exposure_EV == 1.0
    assert load_document(apart / "b.dng").recipe.tone.exposure_EV == 0.5
    assert (apart / "a.dng.matiz.json").read_text() == "another's" and not desk.is_saved
    with pytest.raises(FileError):
        desk.write_apart(tmp_path / "nowhere")


def test_the_log_names_the_picture_and_what_was_done(desk, folder):
    desk.record(folder / "a.dng", [(EXPOSURE, 1.0)], "Exposure")
    desk.step(folder / "a.dng", "undo")
    desk.note(folder / "b.dng", "deliver", "b.jpg")
    assert not desk.step(folder / "b.dng", "undo")
    desk.close_log()
    log = Log(folder)
    assert [(e.picture, e.kind) for e in log.events()] == [
        ("a.dng", "change"), ("a.dng", "undo"), ("b.dng", "deliver"),
    ]  # fmt: skip
    log.close()


def test_a_sidecar_that_cannot_be_read_is_said_once_and_kept(desk, folder):
    sidecar_path(folder / "a.dng").write_text("{damaged")
    for _ in range(3):
        assert desk.document(folder / "a.dng") is None
    assert not desk.change(folder / "a.dng", rank=3) and desk.record(folder / "a.dng", [(EXPOSURE, 1.0)], "x") is None
    desk.save()
    assert len(desk.said) == 1 and sidecar_path(folder / "a.dng").read_text() == "{damaged"


# ---- two windows


def test_two_windows_that_touch_different_things_are_joined(desk, folder):
    a = folder / "a.dng"
    save_document(a, Document())
    desk.document(a)
    other = Desk()
    other.open([folder])
    other.record(a, [("light.cct_K", 4300.0)], "Light")
    other.change(a, rank=4)
    other.save()
    other.close_log()
    desk.record(a, [(EXPOSURE, 1.0)], "Exposure")
    desk.save()
    kept = load_document(a)
    assert kept.recipe.light.cct_K == 4300.0 and kept.recipe.tone.exposure_EV == 1.0 and kept.rank == 4
    assert list(kept.versions) == ["Version 1"] and len(kept.version.history.changes) == 2
    assert kept.version.undo().recipe.tone.exposure_EV == 0.0
    assert desk.document(a) == kept and "another window" in desk.said[-1]


def test_two_windows_that_touch_the_same_are_both_kept(desk, folder):
    a = folder / "a.dng"
    desk.document(a)
    other = Desk()
    other.open([folder])
    other.record(a, [(EXPOSURE, -1.0)], "Darker")
    other.save()
    other.close_log()
    desk.record(a, [(EXPOSURE, 1.0)], "Lighter")
    desk.save()
    kept = load_document(a)
    assert kept.versions["Version 1"].recipe.tone.exposure_EV == -1.0
    assert kept.current == "Version 2" and kept.recipe.tone.exposure_EV == 1.0
    assert "Version 2" in desk.said[-1]
    desk.record(a, [(EXPOSURE, 2.0)], "Lighter still")
    desk.save()
    assert load_document(a).versions["Version 1"].recipe.tone.exposure_EV == -1.0, "joined once, not again"
    assert list(load_document(a).versions) == ["Version 1", "Version 2"]


def test_saving_the_same_again_from_elsewhere_is_no_conflict(desk, folder):
    a = folder / "a.dng"
    desk.record(a, [(EXPOSURE, 1.0)], "x")
    desk.save()
    save_document(a, load_document(a))
    desk.record(a, [(EXPOSURE, 2.0)], "x")
    desk.save()
    assert desk.said == [] and load_document(a).recipe.tone.exposure_EV == 2.0


def test_merging_keeps_versions_and_silenced_findings_of_both():
    base = Document(silenced=("x", "gone"))
    ours = base.with_version(Version().record(*Recipe().change(EXPOSURE, 1.0)), "Mine")
    theirs = Document(base.versions, silenced=("x", "y"), sorted_as="keep")
    joined, apart = merged(base, ours, theirs)
    assert set(joined.versions) == {"Version 1", "Mine"} and joined.current == "Mine" and apart == ()
    assert joined.silenced == ("x", "y") and joined.sorted_as == "keep"
    assert json.dumps(joined.to_json())


def test_merging_does_not_join_what_was_taken_back():
    """Theirs took back the step that ours stands on: both are kept."""
    first = Version().record(*Recipe().change(EXPOSURE, 1.0))
    base = Document().with_version(first)
    ours = base.with_version(first.record(*first.recipe.change("tone.haze_percent", 10.0)))
    theirs = base.with_version(first.undo())
    joined, apart = merged(base, ours, theirs)
    assert apart == ("Version 2",) and joined.versions["Version 1"].recipe == Recipe()
    assert joined.recipe.tone.haze_percent == 10.0


def test_captions_and_keywords_that_two_windows_gave_are_joined(folder):
    """Words of both stay; one that either took away goes; of captions the one that was changed."""
    base = Document(caption="dawn", keywords=("salt", "pans"))
    ours = replace(base, keywords=("salt", "pans", "dawn"))
    theirs = replace(base, caption="At dawn", keywords=("pans", "mist"))
    joined, apart = merged(base, ours, theirs)
    assert joined.caption == "At dawn" and set(joined.keywords) == {"pans", "mist", "dawn"} and apart == ()
    assert merged(base, replace(base, caption="mine"), theirs)[0].caption == "mine"


def test_a_step_that_is_made_anew_is_one_step(folder):
    desk = Desk()
    desk.open([folder])
    a = folder / "a.dng"
    for value in (0.5, 0.8):
        assert desk.record(a, [(EXPOSURE, value)], "in step", anew=True)
    desk.record(a, [("light.cct_K", 4300.0)], "in step", anew=True)
    kept = desk.document(a)
    assert len(kept.version.history.changes) == 1
    assert (kept.recipe.tone.exposure_EV, kept.recipe.light.cct_K) == (0.8, 4300.0)
    desk.record(a, [(EXPOSURE, 0.1)], "own")
    desk.record(a, [(EXPOSURE, 0.9)], "in step", anew=True)
    assert [change.label for change in desk.document(a).version.history.changes] == ["in step", "own", "in step"]
    back = [(EXPOSURE, 0.1)]
    assert desk.record(a, back, "in step", anew=True) is not None, "the step is gone"
    assert [change.label for change in desk.document(a).version.history.changes[:2]] == ["in step", "own"]
    assert desk.document(a).recipe.tone.exposure_EV == 0.1
    assert desk.record(a, back, "in step") is None
