"""Changes: one step of the user's, as a value that can be applied to a tree and taken back."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from typing import Any, TypeVar

from ..errors import RecipeError
from .as_json import plain
from .paths import check_around, get, part_at, put
from .tree import ABSENT, ORDER, Rows, Section
from .tree import Table as TableOf

Settings = tuple[tuple[str, Any], ...]
_ABSENT_JSON = {"absent": True}
"""Dotted paths and values, to be changed as one step; ABSENT takes an item of a table away."""
S = TypeVar("S", bound=Section)


@dataclass(frozen=True)
class Change:
    """One step of the user's: what it was called, which values moved, and when (UTC)."""

    label: str
    items: tuple[tuple[str, Any, Any], ...]
    """Path, value before and after, as JSON holds them, never changed in place; ABSENT before an insertion and after a
    removal."""
    at_utc: str
    unknown: Mapping[str, Any] = field(default_factory=dict)
    """What a newer Matiz wrote beside these."""

    def __bool__(self) -> bool:
        return bool(self.items)

    @property
    def paths(self) -> frozenset[str]:
        return frozenset(path for path, _, _ in self.items)

    def after(self) -> list[tuple[str, Any]]:
        """What applying it puts where."""
        return [(path, after) for path, _, after in self.items]

    def before(self) -> list[tuple[str, Any]]:
        """What taking it back puts where."""
        return [(path, before) for path, before, _ in reversed(self.items)]

    def to_json(self) -> dict[str, Any]:
        return dict(self._json)

    @cached_property
    def _json(self) -> dict[str, Any]:
        """Made once: a history is written whole with every step."""
        items = [[path, _stored(before), _stored(after)] for path, before, after in self.items]
        return {**self.unknown, "label": self.label, "at_utc": self.at_utc, "items": items}

    @classmethod
    def from_json(cls, data: Any) -> "Change":
        """Read what `to_json` wrote. Paths and values are checked when they are put, so that the history of a newer
        Matiz can be read."""
        try:
            items = tuple((_path(path), _read(before), _read(after)) for path, before, after in data["items"])
            unknown = {name: value for name, value in data.items() if name not in ("label", "at_utc", "items")}
            return cls(str(data["label"]), items, str(data["at_utc"]), unknown)
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise RecipeError(
                f"history: an entry cannot be read ({error}); it must hold label, at_utc, items"
            ) from None


def changed(root: S, settings: Iterable[tuple[str, Any]], *, label: str) -> tuple[S, Change]:
    """The tree with several values changed as one step, and the record of it. The cost is that of the paths named."""
    items: list[tuple[str, Any, Any]] = []
    tree = root
    for wanted in settings:
        for path, value in (*_implied(tree, wanted[0]), wanted):
            before = _before(tree, path)
            if value is ABSENT and before is not ABSENT:
                tree = _last(tree, path, items)
            fresh = put(tree, path, value)
            after = ABSENT if value is ABSENT else get(fresh, path)
            if before is not after and (before is ABSENT or after is ABSENT or before != after):
                tree = fresh
                items.append((path, plain(before), plain(after)))
    check_around(tree, [path for path, _, _ in items])
    return tree, Change(label, tuple(items), datetime.now(UTC).isoformat(timespec="milliseconds"))


def _before(root: Section, path: str) -> Any:
    """The value there; ABSENT for an item that a table does not hold yet."""
    parent, _, name = path.rpartition(".")
    if parent and isinstance(part_at(root, parent), TableOf) and name != ORDER:
        rows = get(root, parent)
        return rows.get(name, ABSENT) if isinstance(rows, Rows) else ABSENT
    return get(root, path)


def _last(root: S, path: str, items: list[tuple[str, Any, Any]]) -> S:
    """An item that is about to go is first moved to the end, so that taking the removal back puts it where it was."""
    parent, _, name = path.rpartition(".")
    order = get(root, f"{parent}.{ORDER}")
    last = (*(other for other in order if other != name), name)
    if last == order:
        return root
    items.append((f"{parent}.{ORDER}", order, last))
    return put(root, f"{parent}.{ORDER}", last)


def _implied(root: Section, path: str) -> list[tuple[str, Any]]:
    """What is set before a value, because it is."""
    parent, _, name = path.rpartition(".")
    section = get(root, parent) if parent else root
    if not isinstance(section, Section):
        return []
    return [(f"{parent}.{other}" if parent else other, value) for other, value in section.IMPLIES.get(name, ())]


def _stored(value: Any) -> Any:
    return dict(_ABSENT_JSON) if value is ABSENT else plain(value)


def _read(value: Any) -> Any:
    return ABSENT if value == _ABSENT_JSON else value


def _path(path: Any) -> str:
    if not isinstance(path, str):
        raise ValueError(f"a path is a text, got {type(path).__name__}")
    return path
