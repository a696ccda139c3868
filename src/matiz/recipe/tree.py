"""A recipe is a tree of frozen sections: what may be in it, dotted paths into it, values put into it, JSON.

A section holds leaves (see `leaves`), other sections, and tables. A table is a list of sections with short ids that
never change; its items may be of several kinds, told apart by `KIND`. A path names them by id:
"places.k3f9.tone.exposure_EV"; "places.order" is the order of the ids. What is put anywhere is checked there and
nowhere else, and the rest of the tree is shared with the one before.
"""

import hashlib
import secrets
from collections.abc import Callable, ItemsView, Iterable, Iterator, Mapping, Sequence, ValuesView
from dataclasses import dataclass, field, fields
from functools import cache
from typing import Any, ClassVar, Self, TypeVar

from ..errors import RecipeError
from .leaves import Leaf, at_once
from .shapes import Grid, Shape

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
            found = _digested((self.KIND, *(_told(getattr(self, name)) for name in parts_of(type(self)))))
            self.__dict__[_DIGEST] = found
        return found


_DIGEST, _PLAIN = "_digest", "_plain"
"""What follows from a section and is kept with it."""


def _told(value: Any) -> Any:
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


def added(tree: "Section", items: Iterable[tuple[str, "Section"]]) -> tuple[tuple[str, Any], ...]:
    """Paths of their own for items that are to be put into tables: (table's path, item) becomes (path, item)."""
    out: list[tuple[str, Any]] = []
    taken: set[str] = set()
    for path, item in items:
        rows = get(tree, path)
        assert isinstance(rows, Rows)
        ident = rows.fresh_id()
        while f"{path}.{ident}" in taken:
            ident = rows.fresh_id()
        taken.add(f"{path}.{ident}")
        out.append((f"{path}.{ident}", item))
    return tuple(out)


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


# ---- paths


def get(root: Section, path: str) -> Any:
    """The value at a dotted path. RecipeError when there is none."""
    node: Any = root
    for name in path.split("."):
        node = _child(node, name, path)
    return node


def part_at(root: Section, path: str) -> Part:
    """What may be put at a dotted path; for an item of a table, its table."""
    node: Any = root
    part: Part = type(root)
    for name in path.split("."):
        if isinstance(part, Table):
            node = node[name] if isinstance(node, Rows) and name in node else None
            if node is None:
                raise RecipeError(f"{path}: there is no {name!r}")
            part = type(node)
        elif isinstance(part, type):
            part = _part(part, name, path)
            node = getattr(node, name)
        else:
            raise RecipeError(f"{path}: unknown field; {name!r} lies inside a single value")
    return part


def leaf_at(root: Section, path: str) -> Leaf:
    """The description of the single value at a path."""
    part = part_at(root, path)
    if isinstance(part, Table | type):
        raise RecipeError(f"{path}: this is not a single value; {_names(part)}")
    return part


def leaf_of(section: type[Section], path: str) -> Leaf:
    """The description of a value of a section, by a dotted path into it."""
    part: object = section
    for name in path.split("."):
        assert isinstance(part, type)
        part = parts_of(part)[name]
    assert not isinstance(part, type | Table)
    return part  # type: ignore[return-value]


def put(root: S, path: str, value: Any) -> S:
    """The tree with the value at a path replaced, an item inserted, or one removed (ABSENT).

    Only what is put is checked; `check_together` of the sections around it is the caller's to ask.
    """
    fresh: S = _put(root, type(root), path.split("."), value, path)
    return fresh


def check_around(root: Section, paths: Iterable[str]) -> None:
    """Ask the rules of every section that lies around the paths."""
    seen: dict[int, Section] = {}
    for path in paths:
        node: Any = root
        for name in ("", *path.split(".")):
            node = node if name == "" else _held(node, name)
            if isinstance(node, Section):
                seen[id(node)] = node
    for section in seen.values():
        section.check_together()


def leaves(root: Section, prefix: str = "") -> Iterator[tuple[str, Leaf, Any]]:
    """Path, description and value of everything in a tree, tables included."""
    for name, part in parts_of(type(root)).items():
        value = getattr(root, name)
        if isinstance(part, Table):
            for ident, item in value.items():
                yield from leaves(item, f"{prefix}{name}.{ident}.")
        elif isinstance(part, type):
            yield from leaves(value, f"{prefix}{name}.")
        else:
            yield f"{prefix}{name}", part, value


def replaced(section: S, **values: Any) -> S:
    """A section with values replaced as they are, unchecked."""
    fresh = object.__new__(type(section))
    fresh.__dict__.update(section.__dict__)
    fresh.__dict__.pop(_DIGEST, None)
    fresh.__dict__.pop(_PLAIN, None)
    fresh.__dict__.update(values)
    return fresh


def checked(section: S, path: str = "") -> S:
    """A section whose values, however deep, have been checked and brought to their own types."""
    values: dict[str, Any] = {}
    for name, part in parts_of(type(section)).items():
        value, here = getattr(section, name), f"{path}{name}"
        if isinstance(part, Table):
            _check_count(part, len(value), here)
            values[name] = Rows((ident, _item(part, item, f"{here}.{ident}")) for ident, item in value.items())
        elif isinstance(part, type):
            if not isinstance(value, part):
                raise RecipeError(f"{here}: expected {part.__name__}, got {type(value).__name__}")
            values[name] = checked(value, f"{here}.")
        else:
            values[name] = part.check(here, value)
    fresh = replaced(section, **values)
    fresh.check_together()
    return fresh


def _put(node: Any, part: Part, names: list[str], value: Any, path: str) -> Any:
    name, *rest = names
    if isinstance(part, Table):
        rows: Rows[Any] = node
        if rest:
            if name not in rows:
                raise RecipeError(f"{path}: there is no {name!r}")
            return rows.with_item(name, _put(rows[name], type(rows[name]), rest, value, path))
        if name == ORDER:
            return rows.ordered(_order(rows, value, path))
        if value is ABSENT:
            return rows.without(name)
        _check_count(part, len(rows) + (name not in rows), path)
        return rows.with_item(_ident(name, path), _item(part, value, path))
    if not isinstance(part, type):
        raise RecipeError(f"{path}: unknown field; {name!r} lies inside a single value")
    inner = _part(part, name, path)
    if rest:
        return replaced(node, **{name: _put(getattr(node, name), inner, rest, value, path)})
    if isinstance(inner, Table | type):
        raise RecipeError(f"{path}: this is not a single value; {_names(inner)}")
    return replaced(node, **{name: inner.check(path, value)})


def _check_count(part: Table, count: int, path: str) -> None:
    if count > part.most:
        raise RecipeError(f"{path}: {count} items, of which {part.most} can be there at most; remove some")


def _item(part: Table, value: Any, path: str) -> Section:
    """An item of a table, from a section or from JSON."""
    if isinstance(value, Mapping):
        return _item_from(part, value, path, None)
    if not isinstance(value, part.kinds) and not isinstance(value, Foreign):
        raise RecipeError(f"{path}: {type(value).__name__} does not belong into this table")
    return checked(value, f"{path}.")


def _order(rows: Rows[Any], value: Any, path: str) -> tuple[str, ...]:
    order = tuple(str(name) for name in value) if isinstance(value, list | tuple) else ()
    if sorted(order) != sorted(rows.order):
        raise RecipeError(f"{path}: the order must name each of {', '.join(rows.order) or 'nothing'} once")
    return order


def _ident(name: str, path: str) -> str:
    if not (0 < len(name) <= 16 and name.isalnum() and name.isascii()) or name == ORDER:
        raise RecipeError(f"{path}: an id has up to 16 letters and digits and is not {ORDER!r}")
    return name


def _child(node: Any, name: str, path: str) -> Any:
    found = _held(node, name)
    if found is ABSENT:
        if isinstance(node, Rows):
            raise RecipeError(f"{path}: there is no {name!r}")
        _part(type(node), name, path)
    return found


def _held(node: Any, name: str) -> Any:
    if isinstance(node, Rows):
        return node.order if name == ORDER else node.get(name, ABSENT)
    if isinstance(node, Section) and name in parts_of(type(node)):
        return getattr(node, name)
    return ABSENT


def _part(section: type, name: str, path: str) -> Part:
    known = parts_of(section) if issubclass(section, Section) else {}
    if name not in known:
        raise RecipeError(f"{path}: unknown field; {_names(section) if known else f'{name!r} is inside a value'}")
    return known[name]


def _names(part: Part) -> str:
    if isinstance(part, Table):
        return "it is a table of " + ", ".join(kind.KIND or kind.__name__ for kind in part.kinds)
    return f"known are {', '.join(parts_of(part))}" if isinstance(part, type) else ""


# ---- JSON

Keep = Callable[[str, Any], None]
"""Hears the path and the value of what only a newer Matiz knows."""


_SIMPLE = frozenset({str, float, int, bool, type(None)})
"""Types that JSON holds as they are. Asked first: a recipe with thousands of strokes has hundreds of thousands."""


def plain(value: Any) -> Any:
    """A value of a tree as JSON holds it."""
    if type(value) in _SIMPLE:
        return value
    if isinstance(value, tuple):
        return [plain(each) for each in value]
    if isinstance(value, Foreign):
        return plain(dict(value.data))
    if isinstance(value, dict):
        return {name: plain(each) for name, each in value.items()}
    if isinstance(value, Section):
        return _plain_section(value)
    if isinstance(value, Rows):
        return [{"id": ident, **plain(item)} for ident, item in value.items()]
    return value.to_json() if isinstance(value, Shape | Grid) else value


def _plain_section(section: Section) -> dict[str, Any]:
    """Kept where it holds nothing but single values: thousands of strokes are written again and again."""
    kept: dict[str, Any] | None = section.__dict__.get(_PLAIN)
    if kept is None:
        named = {"kind": section.KIND} if section.KIND else {}
        kept = named | {name: plain(getattr(section, name)) for name in parts_of(type(section))}
        if not any(isinstance(part, Table | type) for part in parts_of(type(section)).values()):
            section.__dict__[_PLAIN] = kept
    return dict(kept)


def frozen(value: Any) -> Any:
    """JSON with tuples for lists, so that what was read equals what was written."""
    if type(value) in _SIMPLE:
        return value
    if isinstance(value, list):
        return tuple(frozen(each) for each in value)
    return {name: frozen(each) for name, each in value.items()} if isinstance(value, dict) else value


def section_from(base: S, data: Any, path: str = "", keep: Keep | None = None, left: frozenset[str] = frozenset()) -> S:
    """Read what `plain` wrote; what is missing is as in `base`.

    keep: hears of unknown fields, and of values that are not taken here; without it they raise RecipeError. left:
    names that are not the section's own to read.
    """
    if not isinstance(data, Mapping):
        raise RecipeError(f"{path.rstrip('.') or 'recipe'}: expected a JSON object, got {type(data).__name__}")
    known, values = parts_of(type(base)), {}
    for name, value in data.items():
        here = f"{path}{name}"
        if name in left:
            continue
        if "." in name:  # it could not be told from a path, and so not be kept
            raise RecipeError(f"{here}: a name of a field has no dots")
        part = known.get(name)
        try:
            if part is None:
                raise RecipeError(f"{here}: unknown field; {_names(type(base))}")
            values[name] = _part_from(part, getattr(base, name), value, here, keep)
        except RecipeError:
            if keep is None:
                raise
            keep(here, frozen(value))
    fresh = replaced(base, **values)
    fresh.check_together()
    return fresh


def _part_from(part: Part, base: Any, value: Any, path: str, keep: Keep | None) -> Any:
    if isinstance(part, Table):
        if not isinstance(value, list | tuple):
            raise RecipeError(f"{path}: expected a list, got {type(value).__name__}")
        _check_count(part, len(value), path)
        rows = _rows_at_once(part, value) or {}
        for each in value if not rows else ():
            ident = each.get("id") if isinstance(each, Mapping) else None
            if not isinstance(ident, str) or ident in rows:
                raise RecipeError(f"{path}: every item needs an id of its own, got {ident!r}")
            rows[_ident(ident, f"{path}.{ident}")] = _item_from(part, each, f"{path}.{ident}", keep)
        return Rows(rows.items())
    if isinstance(part, type):
        return section_from(base, value, f"{path}.", keep)
    return part.check(path, value)


BULK = 200
"""Items from which on a table is read at once."""


def _rows_at_once(part: Table, data: Sequence[Any]) -> dict[str, Section] | None:
    """The items of a long table of single values, such as strokes, checked value by value for all of them together: one
    by one takes ten times as long. None where anything is unusual: one by one says what it is."""
    kind = part.kinds[0]
    leaves_of = parts_of(kind)
    if len(data) < BULK or len(part.kinds) > 1 or kind.check_together is not Section.check_together:
        return None
    allowed = leaves_of.keys() | {"id", "kind"}
    if not all(
        type(each) is dict and allowed >= each.keys() and each.get("kind", kind.KIND) == kind.KIND for each in data
    ):
        return None
    idents = [each.get("id") for each in data]
    if not all(type(ident) is str and 0 < len(ident) <= 16 and ident.isalnum() and ident.isascii() for ident in idents):
        return None
    if len(set(idents)) < len(idents) or ORDER in idents:
        return None
    base = kind()
    columns = []
    for name, leaf in leaves_of.items():
        missing = getattr(base, name)
        column = at_once(leaf, [each.get(name, missing) for each in data])
        if column is None:
            return None
        columns.append(column)
    rows: dict[str, Section] = {}
    names = tuple(leaves_of)
    for ident, *values in zip(idents, *columns, strict=True):
        fresh = object.__new__(kind)
        fresh.__dict__.update(zip(names, values, strict=True))
        rows[ident] = fresh
    return rows


def _item_from(part: Table, data: Mapping[str, Any], path: str, keep: Keep | None) -> Section:
    kind = data.get("kind", "") if part.is_tagged else part.kinds[0].KIND
    section = part.kind(kind) if isinstance(kind, str) else None
    if section is None:
        if keep is None:
            raise RecipeError(f"{path}.kind: one of {', '.join(k.KIND for k in part.kinds)}; got {kind!r}")
        return Foreign(str(kind), {name: frozen(value) for name, value in data.items() if name != "id"})
    return section_from(section(), data, f"{path}.", keep, frozenset({"id", "kind"}))
