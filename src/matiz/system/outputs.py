"""Files that are written where the user says: never over something that Matiz did not write itself.

What was written is remembered in the user's own state, with its kind, size and time. A file that is there already is
replaced only where it is still the one that was written, as the same kind of thing.
"""

import os
import sqlite3
import stat
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path

from .files import TakenError, write_whole
from .user_folders import state_folder

_LAYOUT = "create table if not exists written (path text primary key, kind text, size integer, mtime_ns integer)"


def write_output(path: Path, write: Callable[[Path], None], kind: str) -> None:
    """Let `write` fill a file, whole or not at all (see `files.write_whole`), and remember it as one of that kind.

    Raises TakenError where there is a file of that name which Matiz did not write as that kind, or that was changed
    since; FileError when it cannot be written.
    """
    is_new = not os.path.lexists(path)
    if not is_new and not was_written(path, kind):
        raise TakenError(f"{path}: {_what(path)} of that name is there, and Matiz did not write it as a {kind}; "
                         "choose another name or move it away")  # fmt: skip
    write_whole(path, write, exclusive=is_new)
    remember(path, kind)


def write_text_output(path: Path, text: str, kind: str) -> None:
    """The same for a text, in UTF-8."""

    def write(part: Path) -> None:
        part.write_text(text, encoding="utf-8")

    write_output(path, write, kind)


def was_written(path: Path, kind: str) -> bool:
    """Whether Matiz wrote a file as that kind of thing, and nobody has changed it since."""
    with suppress(OSError, sqlite3.Error):
        found = path.lstat()
        if not stat.S_ISREG(found.st_mode):
            return False
        with _record() as record:
            row = record.execute("select kind, size, mtime_ns from written where path = ?", (_key(path),)).fetchone()
        return bool(row == (kind, found.st_size, found.st_mtime_ns))
    return False


def remember(path: Path, kind: str) -> None:
    """Note that a file was written. Without a state folder that can be written, it will not be replaced later."""
    with suppress(OSError, sqlite3.Error):
        found = path.lstat()
        row = _key(path), kind, found.st_size, found.st_mtime_ns
        with _record() as record, record:
            record.execute("insert or replace into written values (?, ?, ?, ?)", row)


@contextmanager
def _record() -> Iterator[sqlite3.Connection]:
    folder = state_folder()
    folder.mkdir(parents=True, exist_ok=True)
    with closing(sqlite3.connect(folder / "written.sqlite", timeout=10.0)) as record:
        record.execute(_LAYOUT)
        yield record


def _key(path: Path) -> str:
    folder = path.parent.resolve() / path.name
    return str(folder).encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")


def _what(path: Path) -> str:
    return "a link" if path.is_symlink() else "a folder" if path.is_dir() else "a file"
