"""Small files of our own that are damaged, foreign or no files: said, kept aside, and never waited for."""

import json
import os
import sqlite3
import threading
from contextlib import closing
from pathlib import Path

import pytest

from matiz.deliver.orders import OWN, Order, orders_file, own_orders
from matiz.deliver.queue_file import Owed, queue_path, read_queue, write_queue
from matiz.errors import FileError, FormatError
from matiz.raw.frame import Exposure
from matiz.shoot.log import Log, LogWriter
from matiz.shoot.own_sets import OwnSets
from matiz.shoot.silenced import Silenced
from matiz.system.own_files import make_own_folder, put_aside, read_json, read_small

DAMAGED = {
    "empty": b"",
    "half": b'{"owed": [',
    "no object": b"7",
    "deep": b"[" * 100_000,
    "nan": b'{"orders": {"a": {"quality": NaN}}}',
    "not UTF-8": b'["\xff\xfe"]',
    "other kinds": b'{"orders": [1], "owed": {"a": 1}}',
    "numbers": b"[1, 2, 3]",
    "zeros": bytes(1000),
}


@pytest.mark.parametrize("name", DAMAGED)
@pytest.mark.parametrize("which", ["orders", "silenced", "sets", "queue"])
def test_a_damaged_file_is_said_and_kept_aside(tmp_path, which, name):
    (tmp_path / "a.dng").write_bytes(b"x")
    said: list[str] = []
    path = {"orders": orders_file(), "silenced": tmp_path / "silenced.json", "sets": tmp_path / ".matiz" / "sets.json",
            "queue": queue_path(tmp_path)}[which]  # fmt: skip
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(DAMAGED[name])
    match which:
        case "orders":
            assert own_orders(said.append) == OWN
        case "silenced":
            assert Silenced(path, said.append).ids() == frozenset()
        case "sets":
            assert OwnSets(tmp_path, said.append).groups() == {}
        case "queue":
            assert read_queue(tmp_path, said.append) == []
    (kept,) = (each for each in path.parent.iterdir() if "damaged" in each.name)
    assert kept.read_bytes() == DAMAGED[name] and not path.exists()
    assert len(said) == 1 and path.name in said[0] and kept.name in said[0]


@pytest.mark.parametrize("which", ["orders", "silenced", "sets", "queue", "log"])
def test_a_pipe_or_a_device_is_not_waited_for(tmp_path, which):
    """A pipe hung the window, /dev/zero filled its memory."""
    (tmp_path / "a.dng").write_bytes(b"x")
    said: list[str] = []
    reads = {
        "orders": (orders_file(), lambda: own_orders(said.append)),
        "silenced": (tmp_path / "silenced.json", lambda: Silenced(tmp_path / "silenced.json", said.append).ids()),
        "sets": (tmp_path / ".matiz" / "sets.json", lambda: OwnSets(tmp_path, said.append).groups()),
        "queue": (queue_path(tmp_path), lambda: read_queue(tmp_path, said.append)),
        "log": (tmp_path / ".matiz" / "shoot.sqlite", lambda: Log(tmp_path, said.append).close()),
    }
    path, read = reads[which]
    path.parent.mkdir(parents=True, exist_ok=True)
    for make in (lambda: os.mkfifo(path), lambda: path.symlink_to("/dev/zero"), path.mkdir):
        make()
        thread = threading.Thread(target=read, daemon=True)
        thread.start()
        thread.join(5.0)
        assert not thread.is_alive(), "it waits"
        path.unlink(missing_ok=True)  # a log was made anew there
    assert len(said) == 3 and all("regular file" in text for text in said)


def test_a_file_that_grows_while_it_is_read_is_cut_off(tmp_path):
    (tmp_path / "large").write_bytes(b"x" * 100)
    with pytest.raises(FormatError, match="too large"):
        read_small(tmp_path / "large", most_bytes=99)
    assert read_small(tmp_path / "large", most_bytes=100) == "x" * 100
    assert read_small(tmp_path / "none") is None


def test_what_cannot_be_read_is_left_where_it_is(tmp_path, monkeypatch):
    path = tmp_path / "silenced.json"
    path.write_text('["a"]')
    refuse = PermissionError(13, "Permission denied")
    monkeypatch.setattr("matiz.system.own_files.os.open", lambda *_: (_ for _ in ()).throw(refuse))
    said: list[str] = []
    assert Silenced(path, said.append).ids() == frozenset()
    assert path.exists() and "Permission denied" in said[0]
    with pytest.raises(FileError):
        read_json(path, list)


def test_names_kept_aside_do_not_replace_each_other(tmp_path):
    for n in range(3):
        (tmp_path / "a.json").write_text(str(n))
        assert put_aside(tmp_path / "a.json") is not None
    assert sorted(path.read_text() for path in tmp_path.iterdir()) == ["0", "1", "2"]


# ---- windows


def test_what_one_window_never_wants_to_hear_is_not_lost_by_another(tmp_path):
    """Each had read the list when it began, and wrote its own."""
    path = tmp_path / "silenced.json"
    first, second = Silenced(path), Silenced(path)
    assert first.ids() == second.ids() == frozenset()
    first.add("tone.clipped")
    second.add("mend.dust")
    assert first.ids() == second.ids() == {"tone.clipped", "mend.dust"}
    first.remove("tone.clipped")
    assert second.ids() == {"mend.dust"} and Silenced(path).ids() == {"mend.dust"}


def test_sets_of_two_windows_are_both_kept(tmp_path):
    paths = [tmp_path / f"{n}.dng" for n in range(4)]
    first, second = OwnSets(tmp_path), OwnSets(tmp_path)
    first.groups(), second.groups()
    first.join(paths[:2])
    second.join(paths[2:])
    assert [len(each.pictures) for each in OwnSets(tmp_path).over({path: Exposure() for path in paths})] == [2, 2]


# ---- what comes with a folder


def test_a_queue_that_comes_with_a_folder_is_not_followed(tmp_path, monkeypatch):
    """It chose folder and name of what retry wrote: into an autostart folder."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    shoot = tmp_path / "shoot"
    (shoot / ".matiz").mkdir(parents=True)
    (shoot / "a.dng").write_bytes(b"x")
    rows = [{"picture": "a.dng", "order": {"pattern": "evil"}, "folder": str(tmp_path / "autostart")}]
    (shoot / ".matiz" / "deliveries.json").write_text(json.dumps({"matiz": "deliveries 1", "owed": rows}))
    assert read_queue(shoot) == []
    owed = Owed(shoot / "a.dng", Order(), tmp_path / "out")
    write_queue(shoot, [owed])
    assert read_queue(shoot) == [owed] and queue_path(shoot).is_relative_to(tmp_path / "state")
    write_queue(shoot, [])
    assert not queue_path(shoot).exists()


def test_a_folder_of_ours_that_is_a_link_is_not_written_into(tmp_path):
    shoot, elsewhere = tmp_path / "shoot", tmp_path / "elsewhere"
    shoot.mkdir()
    elsewhere.mkdir()
    (shoot / "a.dng").write_bytes(b"x")
    (shoot / ".matiz").symlink_to(elsewhere)
    with pytest.raises(FileError, match="link"):
        make_own_folder(shoot / ".matiz")
    said: list[str] = []
    writer = LogWriter(shoot / "a.dng", said.append)
    writer.flush()
    writer.close()
    with pytest.raises(FileError, match="link"):
        OwnSets(shoot).join([shoot / "a.dng"])
    assert not list(elsewhere.iterdir()) and "link" in said[0]


def test_a_log_with_statements_of_somebody_is_made_anew(tmp_path):
    """A trigger would run with each step; a view in place of the table may never end."""
    (tmp_path / "a.dng").write_bytes(b"x")
    for statement in (
        "create trigger t after insert on event begin delete from event; end",
        "drop table event; create view event as with recursive n(x) as (select 1 union all select x from n) "
        "select * from n",
    ):
        Log(tmp_path).close()
        path = tmp_path / ".matiz" / "shoot.sqlite"
        with closing(sqlite3.connect(path)) as database:
            database.executescript(statement)
        said: list[str] = []
        log = Log(tmp_path, said.append)
        assert log.events() == [] and "other tables" in said[0]
        log.close()
        for left in path.parent.iterdir():
            left.unlink()


def test_a_locked_log_keeps_nobody_waiting(tmp_path):
    """Another process's lock cost 10 s with each step."""
    picture: Path = tmp_path / "a.dng"
    picture.write_bytes(b"x")
    Log(tmp_path).close()
    holder = sqlite3.connect(tmp_path / ".matiz" / "shoot.sqlite", isolation_level=None)
    holder.execute("begin immediate")
    from matiz.recipe.model import Recipe

    writer = LogWriter(picture, lambda _: None)
    change = Recipe().change("tone.exposure_EV", 1.0)[1]
    began = threading.Event()
    thread = threading.Thread(target=lambda: ([writer.add_change("a.dng", change) for _ in range(100)], began.set()))
    thread.start()
    assert began.wait(0.5), "adding waits for the lock"
    holder.execute("rollback")
    holder.close()
    assert writer.flush(20.0)
    writer.close()
    log = Log(tmp_path)
    assert len(log.events()) == 100
    log.close()
