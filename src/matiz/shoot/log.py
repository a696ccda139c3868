"""The log of a shoot: what was done to which picture, and when. SQLite in .matiz/ of the folder.

It is an index: if it is deleted, it is rebuilt from the sidecars.
"""

import json
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from ..errors import FileError, MatizError
from ..recipe.change import Change
from .database import open_database
from .folder import pictures_in
from .sidecar import load_document

_LAYOUT = """
create table if not exists event (
    id integer primary key,
    at_utc text not null,
    picture text not null,
    kind text not null,
    label text not null,
    detail text not null
);
create index if not exists event_by_picture on event (picture, at_utc);
"""


@dataclass(frozen=True)
class Event:
    """One line of the log."""

    at_utc: str
    picture: str
    kind: str
    """change, undo, redo, deliver, open."""
    label: str
    detail: str = ""


class Log:
    """The log of the shoot in `folder`. Open it per thread; SQLite keeps writers apart."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / ".matiz" / "shoot.sqlite"
        fresh = not self.path.exists()
        self._database = open_database(self.path, _LAYOUT, "the log cannot be opened")
        if fresh:
            try:
                self._rebuild(folder)
            except (MatizError, sqlite3.Error) as error:
                self._database.close()
                self.path.unlink(missing_ok=True)  # half a log would pass for a whole one
                raise FileError(f"{self.path}: the log cannot be rebuilt ({error}); free some space") from None

    def add(self, event: Event) -> None:
        try:
            with self._database:
                self._insert(event)
        except sqlite3.Error as error:
            raise FileError(f"{self.path}: cannot be written ({error})") from None

    def add_change(self, picture: str, change: Change) -> None:
        self.add(_event(picture, change))

    def events(self, picture: str | None = None) -> list[Event]:
        """All events, or those of one picture, oldest first."""
        query = "select at_utc, picture, kind, label, detail from event"
        values: tuple[str, ...] = ()
        if picture is not None:
            query, values = query + " where picture = ?", (_storable(picture),)
        with closing(self._database.execute(query + " order by at_utc, id", values)) as rows:
            return [Event(*row) for row in rows]

    def close(self) -> None:
        self._database.close()

    def _insert(self, event: Event) -> None:
        self._database.execute(
            "insert into event (at_utc, picture, kind, label, detail) values (?, ?, ?, ?, ?)",
            tuple(_storable(v) for v in (event.at_utc, event.picture, event.kind, event.label, event.detail)),
        )

    def _rebuild(self, folder: Path) -> None:
        with self._database:
            for picture in pictures_in(folder):
                try:
                    versions = load_document(picture).versions.values()
                except MatizError:
                    continue  # the picture itself will say what is wrong when it is opened
                for version in versions:
                    for change in version.history.changes:
                        self._insert(_event(picture.name, change))


def _storable(text: str) -> str:
    """Text as the database takes it: names of files need not be characters."""
    return text.encode("utf-8", "backslashreplace").decode("utf-8")


def _event(picture: str, change: Change) -> Event:
    return Event(change.at_utc, picture, "change", change.label, json.dumps(change.to_json()["items"]))
