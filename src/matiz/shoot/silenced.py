"""Findings that the photographer never wants to hear of again, kept for all shoots."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..system.files import write_text_whole
from ..system.locks import folder_lock
from ..system.own_files import read_or_put_aside
from ..system.user_folders import config_folder

MOST_IDS, MOST_ID = 2000, 200


class Silenced:
    """A set of finding ids in the user's configuration, shared by all windows: read again when another has written it.

    say: hears of a damaged file, which is kept aside.
    """

    def __init__(self, path: Path | None = None, say: Callable[[str], None] = lambda _text: None) -> None:
        self._path, self._say = path, say
        self._ids: frozenset[str] = frozenset()
        self._stamp: tuple[int, int, int] | None = None

    def ids(self) -> frozenset[str]:
        stamp = self._stamp_now()
        if stamp != self._stamp:
            self._ids = read_or_put_aside(self._file(), _ids_from, frozenset(), self._say)
            self._stamp = self._stamp_now()
        return self._ids

    def add(self, finding_id: str) -> None:
        """Raises FileError when it cannot be kept."""
        self._change(lambda ids: ids | {finding_id})

    def remove(self, finding_id: str) -> None:
        """Raises FileError when it cannot be kept."""
        self._change(lambda ids: ids - {finding_id})

    def _change(self, change: Callable[[frozenset[str]], frozenset[str]]) -> None:
        file = self._file()
        file.parent.mkdir(parents=True, exist_ok=True)
        with folder_lock(file.parent):
            # whatever another window has added meanwhile stays
            ids = change(self.ids())
            write_text_whole(file, json.dumps(sorted(ids)))
            self._ids, self._stamp = ids, self._stamp_now()

    def _stamp_now(self) -> tuple[int, int, int] | None:
        try:
            found = self._file().stat()
        except OSError:
            return None
        return found.st_ino, found.st_size, found.st_mtime_ns

    def _file(self) -> Path:
        return self._path or config_folder() / "silenced.json"


def _ids_from(data: Any) -> frozenset[str]:
    if not isinstance(data, list) or len(data) > MOST_IDS:
        raise ValueError(f"expected a list of up to {MOST_IDS} names of findings")
    if not all(isinstance(each, str) and len(each) <= MOST_ID for each in data):
        raise ValueError("a name of a finding is a short text")
    return frozenset(data)
