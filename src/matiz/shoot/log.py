"""The log of a shoot: what was done to which picture, and when. SQLite in .matiz/ of the folder.

It is an index: if it is deleted, it is rebuilt from the sidecars.
"""

import json
import sqlite3
import threading
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from queue import SimpleQueue

from ..errors import FileError, MatizError
from ..recipe.change import Change
from ..system.own_files import Say
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
    """The log of the shoot in `folder`. Open it per thread; SQLite keeps writers apart.

    say: hears of a damaged one, which is kept aside and made anew from the sidecars. before_utc: of their steps just
    those before that time, since later ones will be added.
    """

    def __init__(self, folder: Path, say: Say = lambda _text: None, before_utc: str = "") -> None:
        self.path = folder / ".matiz" / "shoot.sqlite"
        said: list[str] = []
        is_new = not self.path.exists()
        self._database = open_database(self.path, _LAYOUT, "the log cannot be opened", said.append)
        for text in said:
            say(text)
        if is_new or said:
            try:
                self._rebuild(folder, before_utc)
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
        """All events, or those of one picture, oldest first. FileError when they cannot be read."""
        query = "select at_utc, picture, kind, label, detail from event"
        values: tuple[str, ...] = ()
        if picture is not None:
            query, values = query + " where picture = ?", (_storable(picture),)
        try:
            with closing(self._database.execute(query + " order by at_utc, id", values)) as rows:
                return [Event(*map(str, row)) for row in rows]
        except sqlite3.Error as error:
            raise FileError(f"{self.path}: cannot be read ({error}); delete it to have it made anew") from None

    def close(self) -> None:
        self._database.close()

    def _insert(self, event: Event) -> None:
        self._database.execute(
            "insert into event (at_utc, picture, kind, label, detail) values (?, ?, ?, ?, ?)",
            tuple(_storable(v) for v in (event.at_utc, event.picture, event.kind, event.label, event.detail)),
        )

    def _rebuild(self, folder: Path, before_utc: str) -> None:
        with self._database:
            for picture in pictures_in(folder):
                try:
                    versions = load_document(picture).versions.values()
                except MatizError:
                    continue  # the picture itself will say what is wrong when it is opened
                for version in versions:
                    for change in version.history.changes:
                        if before_utc and change.at_utc >= before_utc:
                            continue
                        self._insert(_event(picture.name, change))


class LogWriter:
    """Writes the log of a folder on a thread of its own: another process that holds its lock, or a slow disk, keeps
    nobody waiting.

    say: hears what is wrong with it, each thing once; called on that thread.
    """

    def __init__(self, picture: Path, say: Say) -> None:
        """Of the folder of that picture. While the picture is away nothing is made there."""
        self._picture, self._say = picture, say
        self._begun_utc = datetime.now(UTC).isoformat(timespec="milliseconds")
        self._said: set[str] = set()
        self._waiting: SimpleQueue[Event | threading.Event | None] = SimpleQueue()
        self._thread = threading.Thread(target=self._run, name="log", daemon=True)
        self._thread.start()

    def add(self, event: Event) -> None:
        self._waiting.put(event)

    def add_change(self, picture: str, change: Change) -> None:
        self.add(_event(picture, change))

    def flush(self, seconds: float = 10.0) -> bool:
        """Wait until what was added is written; False when that takes longer."""
        reached = threading.Event()
        self._waiting.put(reached)
        return reached.wait(seconds) or not self._thread.is_alive()

    def close(self, seconds: float = 1.0) -> None:
        """Write what is left, for so long at most: the log can be made anew from the sidecars."""
        self._waiting.put(None)
        self._thread.join(seconds)

    def _run(self) -> None:
        log = self._opened()
        while (each := self._waiting.get()) is not None:
            if isinstance(each, threading.Event):
                each.set()
                continue
            try:
                log = log or self._opened()
                if log is not None:
                    log.add(each)
            except MatizError as error:
                self._tell(str(error))
        if log is not None:
            log.close()

    def _opened(self) -> Log | None:
        try:
            if not self._picture.exists():
                raise FileError(f"{self._picture.parent}: is away; its log will be made anew from the sidecars")
            return Log(self._picture.parent, self._say, self._begun_utc)
        except MatizError as error:
            self._tell(str(error))
            return None

    def _tell(self, text: str) -> None:
        if text not in self._said:
            self._said.add(text)
            self._say(text)


def _storable(text: str) -> str:
    """Text as the database takes it: names of files need not be characters."""
    return text.encode("utf-8", "backslashreplace").decode("utf-8")


def _event(picture: str, change: Change) -> Event:
    return Event(change.at_utc, picture, "change", change.label, json.dumps(change.to_json()["items"]))
