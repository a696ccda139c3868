"""The small databases of a folder, in its .matiz/: indexes, which can be deleted."""

import sqlite3
from pathlib import Path

from ..errors import FileError


def open_database(path: Path, layout: str, fault: str) -> sqlite3.Connection:
    """A database with its tables made. `fault` is what the FileError says that is raised where it cannot be."""
    try:
        path.parent.mkdir(exist_ok=True)
        database = sqlite3.connect(path, timeout=10.0)
        database.execute("pragma journal_mode = wal")
        # what it holds can be had again: a step must not wait for the disk
        database.execute("pragma synchronous = normal")
        database.executescript(layout)
    except (OSError, sqlite3.Error) as error:
        raise FileError(f"{path}: {fault} ({error}); the folder must be writable") from None
    return database
