"""Sets as the photographer made them, over those that are proposed: kept in the folder, by the names of the files."""

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from ..raw.frame import Exposure
from ..system.files import write_text_whole
from .sets import Proposed, proposed_sets

ALONE = 0
"""The group of pictures that are to be in no set."""
JOINED = "set"
"""The kind of a set that the files do not tell to be one."""


class OwnSets:
    """Which pictures of a folder were put together or taken out, read when first asked."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._groups: dict[str, int] | None = None

    def join(self, paths: Iterable[Path]) -> None:
        """One set of these. Raises FileError when it cannot be kept."""
        groups = self._read()
        self._keep({**groups, **dict.fromkeys(map(self._name, paths), max(groups.values(), default=ALONE) + 1)})

    def part(self, paths: Iterable[Path]) -> None:
        """Each of these in no set. Raises FileError when it cannot be kept."""
        self._keep({**self._read(), **dict.fromkeys(map(self._name, paths), ALONE)})

    def forget(self, paths: Iterable[Path]) -> None:
        """These as they are proposed. Raises FileError when it cannot be kept."""
        names = {self._name(path) for path in paths}
        self._keep({name: group for name, group in self._read().items() if name not in names})

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
        try:
            held = json.loads(self._file().read_text(encoding="utf-8"))
            return {str(name): int(group) for name, group in dict(held).items()}
        except (OSError, ValueError, TypeError):
            return {}

    def _keep(self, groups: dict[str, int]) -> None:
        self._file().parent.mkdir(parents=True, exist_ok=True)
        write_text_whole(self._file(), json.dumps(groups, ensure_ascii=False, indent=1))
        self._groups = groups

    def _name(self, path: Path) -> str:
        return path.name if path.parent == self._folder else str(path)

    def _file(self) -> Path:
        return self._folder / ".matiz" / "sets.json"


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
