"""Documents of pictures: saved from several windows, with the disk away, and with sidecars that vanish."""

import os
import random
import shutil
import threading
import time
from dataclasses import replace

import pytest

from matiz.recipe.document import Document, Draft, Version
from matiz.recipe.model import RENDERED, Recipe
from matiz.shoot import documents
from matiz.shoot.desk import Desk
from matiz.shoot.sidecar import load_document, save_document, sidecar_path, update_document
from matiz.system.locks import folder_lock

EXPOSURE, LIGHT = "tone.exposure_EV", "light.cct_K"


@pytest.fixture
def folder(tmp_path):
    made = tmp_path / "shoot"
    made.mkdir()
    for name in ("a.dng", "b.dng"):
        (made / name).write_bytes(b"x")
    return made


@pytest.fixture
def open_desk(folder):
    made = []

    def opened() -> Desk:
        messages, joined, deleted = [], [], []
        desk = Desk(messages.append, joined.append, deleted.append)
        desk.open([folder])
        desk.messages, desk.joined, desk.deleted = messages, joined, deleted
        made.append(desk)
        return desk

    yield opened
    for desk in made:
        desk.close_log()


@pytest.fixture
def after_a_kill(monkeypatch):
    """The document of a picture as it is read once the process that dragged has died."""

    def load(picture) -> Document:
        with monkeypatch.context() as patched:
            patched.setattr("matiz.shoot.sidecar.is_running", lambda _name: False)
            return load_document(picture)

    return load


# ---- a drag


def test_a_drag_is_on_the_disk_but_not_decided(open_desk, folder, after_a_kill):
    a, desk = folder / "a.dng", open_desk()
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 0.5)], "Exposure")
    desk.save()
    assert load_document(a) == Document(), "another window, or a delivery, does not take it for decided"
    assert desk.is_saved, "a hand that holds still has nothing to be saved"
    kept = after_a_kill(a)
    assert kept.recipe.tone.exposure_EV == 0.5 and kept.draft is None
    assert kept.version.history.last_label == "Exposure" and kept.version.undo().recipe.tone.exposure_EV == 0.0
    edit.commit(None, "Exposure")
    desk.save()
    assert after_a_kill(a) == load_document(a) == desk.document(a)


def test_a_drag_on_another_machine_counts_once_nothing_is_written_any_more(open_desk, folder, monkeypatch):
    a, desk = folder / "a.dng", open_desk()
    monkeypatch.setattr("matiz.shoot.tracked.own_name", lambda: "elsewhere:12:34")
    desk.begin(a).preview([(EXPOSURE, 0.5)])
    desk.save()
    assert load_document(a) == Document()
    long_ago = sidecar_path(a).stat().st_mtime - 60.0
    os.utime(sidecar_path(a), (long_ago, long_ago))
    assert load_document(a).recipe.tone.exposure_EV == 0.5


def test_a_drag_that_fits_no_more_is_left_out(folder):
    change = Recipe().change(EXPOSURE, 0.5)[1]
    odd = replace(change, items=(("tone.nothing", 0.0, 1.0),))
    assert Document(draft=Draft(odd, "x")).with_draft_decided() == Document()


# ---- two windows


@pytest.mark.parametrize("saves_in_drag", [1, 2, 3])
def test_what_another_window_wrote_during_a_drag_stays(open_desk, folder, saves_in_drag, after_a_kill):
    """They were lost in 3 of 3 tries: joined by the first save, left out of the next."""
    a = folder / "a.dng"
    save_document(a, Document())
    desk, other = open_desk(), open_desk()
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 0.5)])
    other.change(a, rank=4, caption="Dawn")
    other.save()
    for turn in range(saves_in_drag):
        edit.preview([(EXPOSURE, 0.5 + 0.1 * turn)])
        desk.save()
        kept = after_a_kill(a)
        assert (kept.rank, kept.caption) == (4, "Dawn") and kept.recipe.tone.exposure_EV == 0.5 + 0.1 * turn
    edit.commit(None, "Exposure")
    desk.save()
    kept = load_document(a)
    assert (kept.rank, kept.caption) == (4, "Dawn") and kept.recipe.tone.exposure_EV > 0.4
    assert desk.document(a) == kept and desk.is_saved and desk.joined == [a]


def test_a_drag_over_a_step_of_another_window_keeps_both(open_desk, folder, after_a_kill):
    a = folder / "a.dng"
    desk, other = open_desk(), open_desk()
    edit = desk.begin(a)
    edit.preview([(EXPOSURE, 0.5)])
    other.record(a, [(LIGHT, 4300.0)], "Light")
    other.save()
    desk.save()
    kept = after_a_kill(a).recipe
    assert (kept.light.cct_K, kept.tone.exposure_EV) == (4300.0, 0.5)
    edit.commit(None, "Exposure")
    desk.save()
    kept = load_document(a).recipe
    assert (kept.light.cct_K, kept.tone.exposure_EV) == (4300.0, 0.5)


def test_what_is_decided_while_a_join_is_written_stays(open_desk, folder, monkeypatch):
    a = folder / "a.dng"
    desk, other = open_desk(), open_desk()
    desk.change(a, rank=1)
    other.record(a, [(EXPOSURE, 1.0)], "Lighter")
    other.save()
    write = documents.save_document

    def slow(path, document):
        if desk.document(a).caption == "":
            desk.change(a, caption="meanwhile")
            desk.record(a, [(LIGHT, 5000.0)], "Light")
        return write(path, document)

    monkeypatch.setattr(documents, "save_document", slow)
    desk.save()
    assert not desk.is_saved, "what was decided meanwhile is still to be written"
    desk.save()
    kept = load_document(a)
    assert desk.is_saved and (kept.rank, kept.caption) == (1, "meanwhile")
    assert (kept.recipe.tone.exposure_EV, kept.recipe.light.cct_K) == (1.0, 5000.0)


def test_what_is_decided_while_a_conflict_is_written_goes_to_the_version_kept_apart(open_desk, folder, monkeypatch):
    a = folder / "a.dng"
    desk, other = open_desk(), open_desk()
    desk.record(a, [(EXPOSURE, 1.0)], "Lighter")
    other.record(a, [(EXPOSURE, -1.0)], "Darker")
    other.save()
    write = documents.save_document

    def slow(path, document):
        if len(desk.document(a).version.history.changes) == 1:
            desk.record(a, [(EXPOSURE, 2.0)], "Lighter still")
        return write(path, document)

    monkeypatch.setattr(documents, "save_document", slow)
    desk.save()
    desk.save()
    kept = load_document(a)
    assert list(kept.versions) == ["Version 1", "Version 2"] and kept.current == "Version 2"
    assert kept.versions["Version 1"].recipe.tone.exposure_EV == -1.0 and kept.recipe.tone.exposure_EV == 2.0
    assert desk.document(a).current == "Version 2" and desk.document(a).recipe.tone.exposure_EV == 2.0


def test_a_window_stays_on_its_own_version(open_desk, folder):
    a = folder / "a.dng"
    save_document(a, Document())
    desk, other = open_desk(), open_desk()
    desk.document(a)
    other.add_version(a)
    other.record(a, [(EXPOSURE, -2.0)], "Darker")
    other.save()
    desk.change(a, rank=2)
    desk.save()
    assert desk.document(a).current == "Version 1" and desk.recipe(a).tone.exposure_EV == 0.0
    assert load_document(a).current == "Version 2", "what the other has made the current one stays it on the disk"
    desk.change(a, rank=3)
    desk.save()
    assert (load_document(a).current, load_document(a).rank) == ("Version 2", 3) and desk.is_saved
    desk.change(a, current="Version 2")
    desk.change(a, current="Version 1")
    desk.save()
    assert load_document(a).current == "Version 1", "chosen here"


def test_undo_takes_back_no_step_of_another_window(open_desk, folder):
    a = folder / "a.dng"
    desk, other = open_desk(), open_desk()
    desk.change(a, rank=2)
    other.record(a, [(LIGHT, 4300.0)], "Light")
    other.save()
    desk.save()
    assert not desk.step(a, "undo") and "another window" in desk.messages[-1]
    desk.record(a, [(EXPOSURE, 1.0)], "Exposure")
    assert desk.step(a, "undo") and desk.recipe(a).tone.exposure_EV == 0.0
    assert not desk.step(a, "undo") and desk.recipe(a).light.cct_K == 4300.0


def test_long_histories_are_joined_at_once(open_desk, folder):
    """Each step of theirs was looked for among all of ours, by value: 5 s of processor for 3,000 steps."""
    a, start = folder / "a.dng", Document()
    for n in range(3000):
        start = start.change_all([(EXPOSURE, n % 500 / 100.0 + 0.001)], label=f"step {n}")[0]
    save_document(a, start)
    desk, other = open_desk(), open_desk()
    desk.change(a, rank=2)
    other.record(a, [(LIGHT, 4300.0)], "Light")
    other.save()
    began = time.process_time()
    desk.save()
    assert time.process_time() - began < 3.0
    assert not desk.step(a, "undo") and load_document(a).rank == 2
    assert len(desk.documents.known(a).foreign) == 1, "just the one step is theirs"


def test_a_sidecar_is_not_written_where_nothing_changed(folder):
    """What a rendered picture starts from is no decision."""
    picture = folder / "c.jpg"
    picture.write_bytes(b"x")
    assert update_document(picture, RENDERED, lambda document: document).recipe.start == RENDERED
    assert not sidecar_path(picture).exists()
    update_document(picture, RENDERED, lambda document: replace(document, rank=2))
    assert load_document(picture).rank == 2


@pytest.mark.parametrize("seed", range(12))
def test_whatever_two_windows_do_nothing_of_either_is_lost(open_desk, folder, seed):
    """Each decides things that the other does not touch, drags among them, and saves when it likes."""
    chance, a = random.Random(seed), folder / "a.dng"
    desks = open_desk(), open_desk()
    fields = ((EXPOSURE, "rank"), ("tone.haze_percent", "caption"))
    last: list[dict[str, object]] = [{}, {}]
    edits: list[object] = [None, None]
    for turn in range(60):
        which = chance.randrange(2)
        desk, (path, field), edit = desks[which], fields[which], edits[which]
        match chance.randrange(5):
            case 0:
                last[which][field] = turn % 6 if field == "rank" else f"caption {turn}"
                desk.change(a, **{field: last[which][field]})
            case 1 if edit is None:
                edits[which] = edit = desk.begin(a)
                edit.preview([(path, turn / 100.0)])
            case 1:
                edit.preview([(path, turn / 100.0)])
            case 2 if edit is not None:
                last[which][path] = turn / 100.0
                edit.commit([(path, turn / 100.0)], "dragged")
                edits[which] = None
            case 3 if edit is None:
                last[which][path] = turn / 100.0
                desk.record(a, [(path, turn / 100.0)], "set")
            case _:
                desk.save()
    for edit in edits:
        if edit is not None:
            edit.cancel()
    for desk in (*desks, *desks):
        desk.save()
    kept = load_document(a)
    assert len(kept.versions) == 1
    for values in last:
        for name, value in values.items():
            assert (kept.recipe.get(name) if "." in name else getattr(kept, name)) == value
    assert all(desk.is_saved for desk in desks)


def test_two_threads_that_save_the_same_lose_nothing(open_desk, folder):
    a = folder / "a.dng"
    desks = open_desk(), open_desk()
    for desk in desks:
        desk.document(a)

    def work(desk: Desk, word: str) -> None:
        for n in range(15):
            desk.change(a, keywords=(*desk.document(a).keywords, f"{word}{n}"))
            desk.save()

    threads = [threading.Thread(target=work, args=pair) for pair in zip(desks, "xy", strict=True)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(load_document(a).keywords) == 30


def test_another_process_waits_for_the_lock(folder):
    held = []
    with folder_lock(folder):
        thread = threading.Thread(target=lambda: [held.append(1) for _ in [0] if _locked(folder)])
        thread.start()
        thread.join(0.2)
        assert not held and thread.is_alive()
    thread.join(5.0)
    assert held


def _locked(folder):
    with folder_lock(folder):
        return True


def test_without_a_state_folder_saves_go_on(open_desk, folder, monkeypatch, tmp_path):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    desk = open_desk()
    desk.change(folder / "a.dng", rank=3)
    assert desk.save() == [] and load_document(folder / "a.dng").rank == 3


# ---- sidecars that are not there any more


def edited(desk: Desk, picture) -> Document:
    """A document with something of everything."""
    desk.change(picture, rank=4, caption="Dawn", keywords=("salt", "mist"), sorted_as="keep")
    desk.record(picture, [(EXPOSURE, 0.7)], "Exposure")
    desk.add_version(picture)
    desk.save()
    return load_document(picture)


def test_a_folder_that_is_away_for_one_edit_loses_nothing(open_desk, folder, tmp_path):
    a, desk = folder / "a.dng", open_desk()
    before = edited(desk, a)
    away = folder.rename(tmp_path / "away")
    desk.change(a, rank=5)
    assert desk.save() == [a] and desk.save() == [a]
    assert len([text for text in desk.messages if "not saved" in text]) == 1, "told once"
    assert not folder.exists(), "a folder that is away is not made anew"
    away.rename(folder)
    assert desk.save() == [] and load_document(a) == replace(before, rank=5)


def test_an_empty_mount_point_gets_no_sidecars(open_desk, folder, tmp_path):
    a, desk = folder / "a.dng", open_desk()
    before = edited(desk, a)
    away = folder.rename(tmp_path / "away")
    folder.mkdir()
    desk.change(a, rank=5)
    desk.note(a, "deliver")
    assert desk.save() == [a]
    assert not list(folder.iterdir())
    folder.rmdir()
    away.rename(folder)
    assert desk.save() == [] and load_document(a) == replace(before, rank=5)


def test_a_sidecar_that_vanished_is_written_again_whole(open_desk, folder):
    a, desk = folder / "a.dng", open_desk()
    before = edited(desk, a)
    sidecar_path(a).unlink()
    desk.change(a, rank=1)
    assert desk.save() == [] and load_document(a) == replace(before, rank=1)
    assert desk.deleted == [a] and "deleted" in desk.messages[-1]
    assert not any("both are kept" in text for text in desk.messages)


def test_edits_of_a_deleted_sidecar_can_be_let_go(open_desk, folder):
    a, desk = folder / "a.dng", open_desk()
    edited(desk, a)
    desk.discard(a)
    assert desk.document(a) == Document() and not sidecar_path(a).exists() and desk.is_saved
    desk.change(a, rank=2)
    assert desk.save() == [] and load_document(a) == Document(rank=2)


def test_a_picture_that_is_away_has_no_document(open_desk, folder, tmp_path):
    """A fresh one would be joined over the one that comes back."""
    a, desk = folder / "a.dng", open_desk()
    save_document(a, Document(rank=3))
    away = folder.rename(tmp_path / "away")
    assert desk.document(a) is None and not desk.change(a, rank=1)
    away.rename(folder)
    assert desk.document(a).rank == 3


def test_a_removed_folder_is_not_made_anew(open_desk, folder):
    a, desk = folder / "a.dng", open_desk()
    edited(desk, a)
    shutil.rmtree(folder)
    desk.change(a, rank=5)
    desk.record(a, [(EXPOSURE, 0.1)], "Exposure")
    desk.save()
    desk.close_log()
    assert not folder.exists()


def test_a_version_of_another_window_is_not_lost_with_the_sidecar(open_desk, folder):
    """What was joined is in memory, so it comes back too."""
    a = folder / "a.dng"
    desk, other = open_desk(), open_desk()
    desk.document(a)
    other.documents.get(a, "raw")
    other.put(a, other.document(a).with_version(Version(), "Theirs"))
    other.save()
    desk.change(a, rank=1)
    desk.save()
    sidecar_path(a).unlink()
    desk.change(a, rank=2)
    desk.save()
    assert "Theirs" in load_document(a).versions
