"""Short readings of the pictures of a folder, kept so that nothing is measured again at the next start.

SQLite in .matiz/ of the folder. It is an index: if it is deleted, the pictures are measured again.
"""

import json
import sqlite3
from pathlib import Path

from ..errors import FileError
from ..measure.sort.brief import VERSION, Brief
from ..system.own_files import Say
from .database import open_database

_LAYOUT = """
create table if not exists brief (
    picture text primary key,
    size integer not null,
    mtime_ns integer not null,
    version integer not null,
    told text not null
);
"""


class Briefs:
    """Those of one folder. Open it per thread; SQLite keeps writers apart."""

    def __init__(self, folder: Path, say: Say = lambda _text: None) -> None:
        """say: hears of a damaged one, which is kept aside."""
        self.path = folder / ".matiz" / "readings.sqlite"
        self._database = open_database(self.path, _LAYOUT, "readings cannot be kept", say)

    def get(self, picture: Path) -> Brief | None:
        """Of a picture as its file is now; None where it was not measured, or was another one."""
        try:
            found = picture.stat()
            row = self._database.execute(
                "select told from brief where picture = ? and size = ? and mtime_ns = ? and version = ?",
                (picture.name, found.st_size, found.st_mtime_ns, VERSION),
            ).fetchone()
            return None if row is None else Brief.from_json(json.loads(row[0]))
        except (OSError, sqlite3.Error, ValueError, TypeError, KeyError):
            return None

    def put(self, picture: Path, brief: Brief) -> None:
        """Raises FileError where it cannot be written."""
        try:
            found = picture.stat()
            told = json.dumps(brief.to_json())
            with self._database:
                self._database.execute(
                    "insert or replace into brief values (?, ?, ?, ?, ?)",
                    (picture.name, found.st_size, found.st_mtime_ns, VERSION, told),
                )
        except (OSError, sqlite3.Error) as error:
            raise FileError(f"{self.path}: cannot be written ({error})") from None

    def close(self) -> None:
        self._database.close()
