"""Findings that the photographer never wants to hear of again, kept for all shoots."""

import json
import os
from pathlib import Path

from ..system.files import write_text_whole


class Silenced:
    """A set of finding ids in the user's configuration, read when first asked."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path
        self._ids: set[str] | None = None

    def ids(self) -> frozenset[str]:
        if self._ids is None:
            try:
                self._ids = {str(i) for i in json.loads(self._file().read_text(encoding="utf-8"))}
            except (OSError, ValueError):
                self._ids = set()
        return frozenset(self._ids)

    def add(self, finding_id: str) -> None:
        self._write(self.ids() | {finding_id})

    def remove(self, finding_id: str) -> None:
        self._write(self.ids() - {finding_id})

    def _write(self, ids: frozenset[str]) -> None:
        self._ids = set(ids)
        self._file().parent.mkdir(parents=True, exist_ok=True)
        write_text_whole(self._file(), json.dumps(sorted(ids)))

    def _file(self) -> Path:
        config = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
        return self._path or config / "matiz" / "silenced.json"
