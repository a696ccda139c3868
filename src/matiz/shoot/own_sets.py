"""Sets as the photographer made them, over those that are proposed: kept in the folder, by the names of the files."""

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..raw.frame import Exposure
from ..system.files import write_text_whole
from ..system.locks import folder_lock
from ..system.own_files import make_own_folder, read_or_put_aside
from .sets import Proposed, proposed_sets

ALONE = 0
"""The group of pictures that are to be in no set."""
MOST_NAMES, MOST_NAME = 100_000, 1000
JOINED = "set"
"""The kind of a set that the files do not tell to be one."""


class OwnSets:
    """Which pictures of a folder were put together or taken out, read when first asked.

    say: hears of a damaged file, which is kept aside.
    """

    def __init__(self, folder: Path, say: Callable[[str], None] = lambda _text: None) -> None:
        self._folder, self._say = folder, say
        self._groups: dict[str, int] | None = None

    def join(self, paths: Iterable[Path]) -> None:
        """One set of these. Raises FileError when it cannot be kept."""
        names = list(map(self._name, paths))
        self._change(lambda groups: {**groups, **dict.fromkeys(names, max(groups.values(), default=ALONE) + 1)})

    def part(self, paths: Iterable[Path]) -> None:
        """Each of these in no set. Raises FileError when it cannot be kept."""
        names = list(map(self._name, paths))
        self._change(lambda groups: {**groups, **dict.fromkeys(names, ALONE)})

    def forget(self, paths: Iterable[Path]) -> None:
        """These as they are proposed. Raises FileError when it cannot be kept."""
        names = {self._name(path) for path in paths}
        self._change(lambda groups: {name: group for name, group in groups.items() if name not in names})

    def groups(self) -> dict[str, int]:
        if self._groups is None:
            self._groups = self._read()
        return self._groups

    def over(self, exposures: Mapping[Path, Exposure]) -> list[Proposed]:
        """The sets of pictures: those made here, and what is proposed of the others."""
        own = {path: group for path in exposures if (group := self.groups().get(self._name(path))) is not None}
        out = [_without(found, own) for found in proposed_sets(exposures)]
        for group in sorted(set(own.values()) - {ALONE}):
            members = tuple(path for path in exposures if own.get(path) == group)
            if len(members) > 1:
                out.append(_as_one(members, exposures))
        return [found for found in out if len(found.pictures) > 1]

    def _read(self) -> dict[str, int]:
        """As they are on disk now: another window may have changed them."""
        return read_or_put_aside(self._file(), _groups_from, {}, self._say)

    def _change(self, change: Callable[[dict[str, int]], dict[str, int]]) -> None:
        with folder_lock(self._folder):
            groups = change(self._read())
            make_own_folder(self._file().parent)
            write_text_whole(self._file(), json.dumps(groups, indent=1))
        self._groups = groups

    def _name(self, path: Path) -> str:
        return path.name if path.parent == self._folder else str(path)

    def _file(self) -> Path:
        return self._folder / ".matiz" / "sets.json"


def _groups_from(data: Any) -> dict[str, int]:
    if not isinstance(data, dict) or len(data) > MOST_NAMES:
        raise ValueError(f"expected the groups of up to {MOST_NAMES} pictures")
    for name, group in data.items():
        if len(name) > MOST_NAME or type(group) is not int or not ALONE <= group <= MOST_NAMES:
            raise ValueError(f"{name!r:.80} has no number of a group: {group!r:.40}")
    return dict(data)


def _without(found: Proposed, own: Mapping[Path, int]) -> Proposed:
    """What is left of a set when some were put elsewhere."""
    left = [n for n, path in enumerate(found.pictures) if path not in own]
    if len(left) == len(found.pictures):
        return found
    steps = tuple(found.steps_EV[n] for n in left) if found.steps_EV else ()
    return replace(found, pictures=tuple(found.pictures[n] for n in left), steps_EV=steps)


def _as_one(members: Sequence[Path], exposures: Mapping[Path, Exposure]) -> Proposed:
    """A set of these: of a kind where the files alone say so."""
    told = proposed_sets({path: exposures[path] for path in members})
    if len(told) == 1 and len(told[0].pictures) == len(members):
        return told[0]
    return Proposed(JOINED, tuple(members))
