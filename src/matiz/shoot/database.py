"""The small databases of a folder, in its .matiz/: indexes, which can be deleted.

They may have come with a folder that somebody sent: what is not a regular file, or does not have just the tables that
it should (a trigger or a view would run somebody's statements), is put aside, and a new one is made.
"""

import os
import sqlite3
import stat
from contextlib import closing
from pathlib import Path

from ..errors import FileError, FormatError
from ..system.own_files import Say, make_own_folder, put_aside

MOST_BYTES = 2**30


def open_database(path: Path, layout: str, fault: str, say: Say = lambda _text: None) -> sqlite3.Connection:
    """A database with its tables made. `fault` is what the FileError says that is raised where it cannot be. A damaged
    one is put aside, which `say` hears of."""
    make_own_folder(path.parent)
    try:
        _check(path, layout)
    except FormatError as error:
        kept = put_aside(path)
        for beside in (path.with_name(f"{path.name}-wal"), path.with_name(f"{path.name}-shm")):
            if os.path.lexists(beside):
                put_aside(beside)
        if kept is None:
            raise FileError(f"{error}; {fault}, and it cannot be moved aside") from None
        say(f"{error}; kept as {kept.name}, and a new one was made")
    try:
        database = sqlite3.connect(path, timeout=10.0)
        _make_safe(database)
        database.execute("pragma journal_mode = wal")
        # what it holds can be had again: a step must not wait for the disk
        database.execute("pragma synchronous = normal")
        database.executescript(layout)
    except (OSError, sqlite3.Error) as error:
        raise FileError(f"{path}: {fault} ({error}); the folder must be writable") from None
    return database


def _make_safe(database: sqlite3.Connection) -> None:
    """As SQLite advises for files of unknown origin (sqlite.org, "Defense Against The Dark Arts")."""
    database.execute("pragma trusted_schema = off")
    database.execute("pragma cell_size_check = on")
    database.execute("pragma mmap_size = 0")


def _check(path: Path, layout: str) -> None:
    """FormatError where a file is not a database of that layout; nothing where there is none."""
    try:
        found = path.lstat()
    except OSError:
        return
    if not stat.S_ISREG(found.st_mode):
        raise FormatError(f"{path}: is not a regular file")
    if found.st_size > MOST_BYTES:
        raise FormatError(f"{path}: too large, {found.st_size / 2**30:.1f} GiB")
    with closing(sqlite3.connect(":memory:")) as plain:
        plain.executescript(layout)
        expected = _schema(plain)
    try:
        with closing(sqlite3.connect(path, timeout=10.0)) as database:
            _make_safe(database)
            is_right = not (has := _schema(database)) or has == expected
    except sqlite3.OperationalError:
        return  # locked, or on a disk that cannot be written: not its own fault
    except (sqlite3.Error, ValueError, OverflowError) as error:
        raise FormatError(f"{path}: damaged ({error})") from None
    if not is_right:
        raise FormatError(f"{path}: has other tables than it should")


def _schema(database: sqlite3.Connection) -> set[tuple[str, str, str]]:
    rows = database.execute("select type, name, sql from sqlite_master where name not like 'sqlite_%'").fetchall()
    return {(str(kind), str(name), " ".join(str(sql).split())) for kind, name, sql in rows}
