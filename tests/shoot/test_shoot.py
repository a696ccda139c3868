"""Folders, sidecars, the log, silenced findings."""

import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from matiz.develop.frame.camera_colour import as_shot_xy
from matiz.errors import FileError, FormatError
from matiz.measure.table.values import value_of
from matiz.proposals.given_light import given_light
from matiz.recipe.document import Document, Version
from matiz.recipe.model import Recipe
from matiz.shoot.folder import gather, pictures_in
from matiz.shoot.log import Event, Log
from matiz.shoot.sets import following
from matiz.shoot.sidecar import load_document, save_document, sidecar_path
from matiz.shoot.silenced import Silenced
from matiz.system.files import write_whole


def _document(exposure_EV: float) -> Document:
    version = Version().record(*Recipe().change("tone.exposure_EV", exposure_EV))
    return Document().with_version(version)


def test_pictures_of_a_folder_by_name(tmp_path):
    for name in ("b.DNG", "A.jpg", "notes.txt", ".hidden.dng", "c.tif"):
        (tmp_path / name).write_bytes(b"x")
    (tmp_path / "folder.dng").mkdir()
    assert [p.name for p in pictures_in(tmp_path)] == ["A.jpg", "b.DNG", "c.tif"]
    assert gather([tmp_path, tmp_path / "b.DNG", tmp_path / "notes.txt"])[-1].name == "notes.txt"
    with pytest.raises(FileError, match="no such"):
        gather([tmp_path / "gone"])
    with pytest.raises(FileError, match="folder of pictures"):
        pictures_in(tmp_path / "gone")


def test_a_document_is_saved_beside_the_picture_and_read_back(tmp_path):
    picture = tmp_path / "a.dng"
    assert load_document(picture) == Document()
    document = _document(1.25)
    save_document(picture, document)
    assert sidecar_path(picture).name == "a.dng.matiz.json"
    assert load_document(picture) == document
    assert [p.name for p in tmp_path.iterdir()] == ["a.dng.matiz.json"], "no temporary file is left"


@pytest.mark.parametrize("text", ["{", "[]", '{"versions": {"a": {"recipe": {"tone": {"exposure_EV": 99}}}}}', "\xff"])
def test_a_damaged_sidecar_is_named_and_left_alone(tmp_path, text):
    path = sidecar_path(tmp_path / "a.dng")
    path.write_bytes(text.encode("latin-1"))
    with pytest.raises(FormatError, match=r"a\.dng\.matiz\.json"):
        load_document(tmp_path / "a.dng")
    assert path.read_bytes() == text.encode("latin-1")


def test_a_failed_write_leaves_the_old_file(tmp_path):
    target = tmp_path / "a.json"
    target.write_text("old")

    def fail(path: Path) -> None:
        path.write_text("half")
        raise OSError(28, "No space left on device")

    with pytest.raises(FileError, match=r"a\.json: cannot be written \(No space left on device\); free space"):
        write_whole(target, fail)
    assert target.read_text() == "old" and list(tmp_path.iterdir()) == [target]
    with pytest.raises(FileError, match="cannot be written"):
        write_whole(tmp_path / "gone" / "a.json", fail)


def test_a_full_disk_keeps_the_sidecar(tmp_path):
    """The real thing: a file size limit of the system, met in the middle of the write."""
    picture = tmp_path / "a.dng"
    save_document(picture, _document(0.5))
    code = (
        "import resource, signal, sys; from pathlib import Path\n"
        "from tests.shoot.test_shoot import _document\n"
        "from matiz.shoot.sidecar import save_document; from matiz.errors import FileError\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (100, 100))\n"
        "try: save_document(Path(sys.argv[1]), _document(1.0))\n"
        "except FileError: sys.exit(7)\n"
    )
    done = subprocess.run([sys.executable, "-c", code, str(picture)], cwd=Path(__file__).parents[2])
    assert done.returncode == 7
    assert load_document(picture).recipe.tone.exposure_EV == 0.5


def test_killing_the_writer_never_leaves_half_a_sidecar(tmp_path):
    picture = tmp_path / "a.dng"
    code = (
        "import sys; from pathlib import Path; from tests.shoot.test_shoot import _document\n"
        "from matiz.shoot.sidecar import save_document\n"
        "n = 0\n"
        "while True:\n"
        "    n += 1; save_document(Path(sys.argv[1]), _document((n % 100) / 50)); print(n, flush=True)\n"
    )
    for wait_s in (0.0, 0.013, 0.031):
        process = subprocess.Popen(
            [sys.executable, "-c", code, str(picture)], cwd=Path(__file__).parents[2], stdout=subprocess.PIPE
        )
        process.stdout.readline()
        time.sleep(wait_s)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        process.stdout.close()
        assert load_document(picture).version.history.position == 1


def test_the_log_keeps_what_was_done(tmp_path):
    log = Log(tmp_path)
    _, change = Recipe().change("tone.exposure_EV", 1.0)
    log.add_change("a.dng", change)
    log.add(Event("2026-03-14T06:00:00.000+00:00", "b.dng", "deliver", "out.jpg"))
    assert [e.kind for e in log.events()] == ["deliver", "change"]
    assert json.loads(log.events("a.dng")[0].detail) == [["tone.exposure_EV", 0.0, 1.0]]
    log.close()


def test_a_deleted_log_is_rebuilt_from_the_sidecars(tmp_path):
    (tmp_path / "a.dng").write_bytes(b"x")
    save_document(tmp_path / "a.dng", _document(0.75))
    (tmp_path / "b.dng").write_bytes(b"x")
    sidecar_path(tmp_path / "b.dng").write_text("damaged")
    log = Log(tmp_path)
    assert [e.picture for e in log.events()] == ["a.dng"]
    log.close()


def test_a_log_that_cannot_be_kept_says_why(tmp_path):
    (tmp_path / ".matiz").mkdir()
    (tmp_path / ".matiz" / "shoot.sqlite").write_bytes(b"not a database at all" * 100)
    said: list[str] = []
    Log(tmp_path, said.append).close()
    assert "shoot.sqlite" in said[0] and "a new one was made" in said[0]
    (tmp_path / "file").write_text("x")
    with pytest.raises(FileError, match="cannot be made"):
        Log(tmp_path / "file")
    assert issubclass(sqlite3.DatabaseError, sqlite3.Error)


def test_silenced_findings_are_kept(tmp_path):
    path = tmp_path / "deep" / "silenced.json"
    Silenced(path).add("tone.clipped")
    assert Silenced(path).ids() == {"tone.clipped"}
    Silenced(path).remove("tone.clipped")
    assert Silenced(path).ids() == frozenset()
    path.write_text("damaged")
    assert Silenced(path).ids() == frozenset()


def test_a_set_ends_at_the_first_break():
    """A card at noon, three pictures within minutes, and one after lunch; one without a time that can be read."""
    times = {"card": "12:00:00Z", "a": "12:04:00Z", "b": "12:20:00Z", "c": "12:20:00Z", "later": "13:10:00Z"}
    taken = {Path(name): f"2026-05-09T{time}" for name, time in times.items()} | {Path("odd"): "0000-00-00T00:00:00Z"}
    assert following(taken, Path("card")) == [Path("a"), Path("b"), Path("c")]
    assert following(taken, Path("b")) == [Path("c")]
    assert following(taken, Path("later")) == following(taken, Path("odd")) == following(taken, Path("new")) == []


def test_a_gift_of_light_is_the_light_or_its_change(scene_engine, hall_engine):
    """Absolute: the same light, whatever the other camera chose. Relative: the other's own choice, moved as far."""
    from_, to = scene_engine.frame.colour, hall_engine.frame.colour
    own, other = (value_of(as_shot_xy(colour)) for colour in (from_, to))
    changed = [("light.cct_K", 1e6 / (own.mired + 20.0)), ("light.duv", own.duv - 0.001)]
    recipe = Recipe().change_all(changed, label="")[0]
    same = dict(given_light(from_, recipe))
    assert same["light.cct_K"] == pytest.approx(recipe.light.cct_K, abs=0.1)
    moved = dict(given_light(from_, recipe, to))
    assert 1e6 / moved["light.cct_K"] == pytest.approx(other.mired + 20.0, abs=0.1)
    assert moved["light.duv"] == pytest.approx(other.duv - 0.001, abs=1e-5)
    Recipe().change_all(moved.items(), label="")
