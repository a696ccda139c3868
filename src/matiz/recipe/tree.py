"""A recipe is a tree of frozen sections: what may be in it, and how it is checked.

A section holds leaves (see `leaves`), other sections, and tables. A table is a list of sections with short ids that
never change; its items may be of several kinds, told apart by `KIND`. See `paths` for what names a value in it.
"""

import hashlib
import secrets
from collections.abc import ItemsView, Iterable, Iterator, Mapping, Sequence, ValuesView
from dataclasses import dataclass, field, fields
from functools import cache
from typing import Any, ClassVar, Self, TypeVar

from ..errors import RecipeError
from .leaves import Leaf

ORDER = "order"
_ID_LETTERS = "abcdefghijkmnpqrstuvwxyz23456789"
S = TypeVar("S", bound="Section")


class _Absent:
    """Nothing is there: what an insertion finds, and what a removal leaves."""

    def __repr__(self) -> str:
        return "ABSENT"

    def __copy__(self) -> Self:
        return self

    def __deepcopy__(self, _: Any) -> Self:
        return self


ABSENT = _Absent()
Implied = Mapping[str, tuple[tuple[str, Any], ...]]


@dataclass(frozen=True)
class Section:
    """Base of what can be in a tree. Immutable."""

    KIND: ClassVar[str] = ""
    """Tells the items of a table apart that takes several kinds."""
    IMPLIES: ClassVar[Implied] = {}
    """What else is set, before it, when a value of the section is: name -> ((name, value), ...)."""

    def check_together(self) -> None:
        """Rules across values; RecipeError when they do not go together."""

    @property
    def digest(self) -> bytes:
        """What stands for all that is in it, worked out once however often it is asked."""
        found: bytes | None = self.__dict__.get(_DIGEST)
        if found is None:
            found = _digested((self.KIND, *(_hashable(getattr(self, name)) for name in parts_of(type(self)))))
            self.__dict__[_DIGEST] = found
        return found


_DIGEST, PLAIN = "_digest", "_plain"
"""What follows from a section and is kept with it."""


def _hashable(value: Any) -> Any:
    return value.digest if isinstance(value, Section | Rows) else value


def _digested(told: tuple[Any, ...]) -> bytes:
    return hashlib.blake2b(repr(told).encode(), digest_size=16).digest()


@dataclass(frozen=True)
class Foreign(Section):
    """An item of a kind that only a newer Matiz knows: kept as it was read, and of no effect."""

    kind: str = ""
    data: Mapping[str, Any] = field(default_factory=dict, hash=False)


class Rows(Mapping[str, S]):
    """Sections in order, by id. Immutable, and equal when ids, order and items are."""

    __slots__ = ("_digest", "_hash", "_items")

    def __init__(self, items: Iterable[tuple[str, S]] = ()) -> None:
        self._items = dict(items)
        self._hash: int | None = None
        self._digest: bytes | None = None

    def __getitem__(self, ident: str) -> S:
        return self._items[ident]

    def __iter__(self) -> Iterator[str]:
        return iter(self._items)

    def __len__(self) -> int:
        return len(self._items)

    def values(self) -> ValuesView[S]:
        # those of the base class ask for each by name
        return self._items.values()

    def items(self) -> ItemsView[str, S]:
        return self._items.items()

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Rows):
            return NotImplemented
        return self._items == other._items and self.order == other.order

    def __hash__(self) -> int:
        if self._hash is None:
            self._hash = hash(tuple(self._items.items()))
        return self._hash

    def __repr__(self) -> str:
        # short, since what is remembered of a picture goes by it, and there may be thousands of strokes
        return f"Rows({', '.join(self._items)}: {self.digest.hex()})"

    @property
    def order(self) -> tuple[str, ...]:
        return tuple(self._items)

    @property
    def digest(self) -> bytes:
        """What stands for its items in their order, whatever they are called."""
        if self._digest is None:
            self._digest = hashlib.blake2b(b"".join(item.digest for item in self.values()), digest_size=16).digest()
        return self._digest

    def with_item(self, ident: str, item: S) -> "Rows[S]":
        """With an item replaced in its place, or added at the end."""
        return Rows._of({**self._items, ident: item})

    def without(self, ident: str) -> "Rows[S]":
        return Rows._of({name: item for name, item in self._items.items() if name != ident})

    def ordered(self, order: Sequence[str]) -> "Rows[S]":
        return Rows._of({name: self._items[name] for name in order})

    @classmethod
    def _of(cls, items: dict[str, S]) -> "Rows[S]":
        """Of items that nobody else holds: they are not copied again."""
        rows: Rows[S] = cls()
        rows._items = items
        return rows

    def fresh_id(self) -> str:
        """A short name that no item has."""
        while True:
            ident = "k" + "".join(secrets.choice(_ID_LETTERS) for _ in range(4))
            if ident not in self._items:
                return ident


@dataclass(frozen=True)
class Table:
    """The kinds of section that a table takes; by `KIND` when there are several."""

    kinds: tuple[type[Section], ...]
    most: int = 100
    """Items that it takes: what somebody sends must not multiply without end."""

    def kind(self, name: str) -> type[Section] | None:
        return next((kind for kind in self.kinds if name == kind.KIND), None)

    @property
    def is_tagged(self) -> bool:
        return len(self.kinds) > 1 or bool(self.kinds[0].KIND)


Part = Leaf | Table | type[Section]


def table(*kinds: type[Section], most: int = 100) -> Any:
    """A dataclass field that holds a table of up to `most` items."""
    return field(default_factory=Rows, metadata={"table": Table(kinds, most)})


def parts_of(section: type[Section]) -> Mapping[str, Part]:
    """What a kind of section holds, by name."""
    kind: Any = section
    return _parts_of(kind)


@cache
def _parts_of(section: Any) -> Mapping[str, Part]:
    found: dict[str, Part] = {}
    for item in fields(section):
        if "spec" in item.metadata:
            found[item.name] = item.metadata["spec"]
        elif "table" in item.metadata:
            found[item.name] = item.metadata["table"]
        elif isinstance(item.type, type) and issubclass(item.type, Section):
            found[item.name] = item.type
    return found


def replaced(section: S, **values: Any) -> S:
    """A section with values replaced as they are, unchecked."""
    fresh = object.__new__(type(section))
    fresh.__dict__.update(section.__dict__)
    fresh.__dict__.pop(_DIGEST, None)
    fresh.__dict__.pop(PLAIN, None)
    fresh.__dict__.update(values)
    return fresh


def checked(section: S, path: str = "") -> S:
    """A section whose values, however deep, have been checked and brought to their own types."""
    values: dict[str, Any] = {}
    for name, part in parts_of(type(section)).items():
        value, here = getattr(section, name), f"{path}{name}"
        if isinstance(part, Table):
            check_count(part, len(value), here)
            values[name] = Rows((ident, checked_item(part, item, f"{here}.{ident}")) for ident, item in value.items())
        elif isinstance(part, type):
            if not isinstance(value, part):
                raise RecipeError(f"{here}: expected {part.__name__}, got {type(value).__name__}")
            values[name] = checked(value, f"{here}.")
        else:
            values[name] = part.check(here, value)
    fresh = replaced(section, **values)
    fresh.check_together()
    return fresh


def check_count(part: Table, count: int, path: str) -> None:
    """Whether a table may have so many items."""
    if count > part.most:
        raise RecipeError(f"{path}: {count} items, of which {part.most} can be there at most; remove some")


def checked_item(part: Table, value: Any, path: str) -> Section:
    """An item of a table, when it is of one of the table's kinds."""
    if not isinstance(value, part.kinds) and not isinstance(value, Foreign):
        raise RecipeError(f"{path}: {type(value).__name__} does not belong into this table")
    return checked(value, f"{path}.")


def checked_id(name: str, path: str) -> str:
    """An id, when it is one."""
    if not (0 < len(name) <= 16 and name.isalnum() and name.isascii()) or name == ORDER:
        raise RecipeError(f"{path}: an id has up to 16 letters and digits and is not {ORDER!r}")
    return name


def known_names(part: Part) -> str:
    """What may be there, for a message."""
    if isinstance(part, Table):
        return "it is a table of " + ", ".join(kind.KIND or kind.__name__ for kind in part.kinds)
    return f"known are {', '.join(parts_of(part))}" if isinstance(part, type) else ""
