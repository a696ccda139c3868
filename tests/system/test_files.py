"""Files are whole or not there, never over another, and nothing of a dead process stays."""

import os
import subprocess
import sys
import threading
import time

import pytest

from matiz.errors import FileError
from matiz.system.files import TakenError, clear_leftovers, clear_shared, part_prefix, write_whole


def _dead_process() -> int:
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def _names(folder) -> list[str]:
    return [path.name for path in folder.iterdir()]


def test_what_a_dead_process_left_is_cleared_and_nothing_else(tmp_path):
    dead = _dead_process()
    gone = [f".matiz-{dead}-abc.part", f"matiz-{dead}-x1"]
    kept = [
        f"{part_prefix()}abc.part",
        f"matiz-{os.getpid()}-x1",
        ".matiz-notes.part",
        "a.part",
        f".matiz-{dead}-a.jpg",
    ]
    for name in gone + kept:
        (tmp_path / name).write_bytes(b"x")
    assert clear_leftovers(tmp_path) == 1 and clear_shared(tmp_path) == 1
    assert sorted(_names(tmp_path)) == sorted(kept)
    assert clear_leftovers(tmp_path / "nowhere") == 0


def test_one_that_died_and_that_nobody_asked_after_is_dead(tmp_path):
    process = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
    (tmp_path / f".matiz-{process.pid}-abc.part").write_bytes(b"x")
    assert clear_leftovers(tmp_path) == 0, "it lives"
    process.kill()
    deadline = time.monotonic() + 10.0
    while not clear_leftovers(tmp_path) and time.monotonic() < deadline:
        time.sleep(0.02)
    assert _names(tmp_path) == []
    process.wait()


@pytest.mark.parametrize("has_links", [True, False])
def test_of_many_that_want_one_name_one_gets_it(tmp_path, monkeypatch, has_links):
    if not has_links:
        monkeypatch.setattr(
            "matiz.system.files.os.link", lambda *_: (_ for _ in ()).throw(OSError(95, "not supported"))
        )
    target, taken, start = tmp_path / "a.jpg", [], threading.Barrier(8)

    def one(n: int) -> None:
        start.wait()
        try:
            write_whole(target, lambda path: path.write_text(str(n)), exclusive=True) or taken.append(n)
        except TakenError as error:
            assert "a.jpg" in str(error)

    threads = [threading.Thread(target=one, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(taken) == 1 and target.read_text() == str(taken[0])
    assert _names(tmp_path) == ["a.jpg"]


def test_a_failure_leaves_what_was_there(tmp_path):
    target = tmp_path / "a.json"
    target.write_text("before")

    def half(path) -> None:
        path.write_text("hal")
        raise OSError(28, "No space left on device")

    with pytest.raises(FileError, match="free space"):
        write_whole(target, half)
    assert target.read_text() == "before" and _names(tmp_path) == ["a.json"]
