"""Dotted paths into a tree: the value at one, values put there, everything in a tree with its path.

A path names items of tables by id: "places.k3f9.tone.exposure_EV"; "places.order" is the order of the ids. What is put
anywhere is checked there and nowhere else, and the rest of the tree is shared with the one before.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from ..errors import RecipeError
from .as_json import item_from
from .leaves import Leaf
from .tree import (
    ABSENT,
    ORDER,
    Part,
    Rows,
    S,
    Section,
    Table,
    check_count,
    checked_id,
    checked_item,
    known_names,
    parts_of,
    replaced,
)


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
        raise RecipeError(f"{path}: this is not a single value; {known_names(part)}")
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
        check_count(part, len(rows) + (name not in rows), path)
        return rows.with_item(checked_id(name, path), _item(part, value, path))
    if not isinstance(part, type):
        raise RecipeError(f"{path}: unknown field; {name!r} lies inside a single value")
    inner = _part(part, name, path)
    if rest:
        return replaced(node, **{name: _put(getattr(node, name), inner, rest, value, path)})
    if isinstance(inner, Table | type):
        raise RecipeError(f"{path}: this is not a single value; {known_names(inner)}")
    return replaced(node, **{name: inner.check(path, value)})


def _item(part: Table, value: Any, path: str) -> Section:
    """An item of a table, from a section or from JSON."""
    if isinstance(value, Mapping):
        return item_from(part, value, path, None)
    return checked_item(part, value, path)


def _order(rows: Rows[Any], value: Any, path: str) -> tuple[str, ...]:
    order = tuple(str(name) for name in value) if isinstance(value, list | tuple) else ()
    if sorted(order) != sorted(rows.order):
        raise RecipeError(f"{path}: the order must name each of {', '.join(rows.order) or 'nothing'} once")
    return order


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
        raise RecipeError(f"{path}: unknown field; {known_names(section) if known else f'{name!r} is inside a value'}")
    return known[name]
