"""A tree as JSON holds it, and read from there; what only a newer Matiz knows is kept."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..errors import RecipeError
from .leaves import at_once
from .shapes import Grid, Shape
from .tree import (
    ORDER,
    PLAIN,
    Foreign,
    Part,
    Rows,
    S,
    Section,
    Table,
    check_count,
    checked_id,
    known_names,
    parts_of,
    replaced,
)

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
    kept: dict[str, Any] | None = section.__dict__.get(PLAIN)
    if kept is None:
        named = {"kind": section.KIND} if section.KIND else {}
        kept = named | {name: plain(getattr(section, name)) for name in parts_of(type(section))}
        if not any(isinstance(part, Table | type) for part in parts_of(type(section)).values()):
            section.__dict__[PLAIN] = kept
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
                raise RecipeError(f"{here}: unknown field; {known_names(type(base))}")
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
        check_count(part, len(value), path)
        rows = _rows_at_once(part, value) or {}
        for each in value if not rows else ():
            ident = each.get("id") if isinstance(each, Mapping) else None
            if not isinstance(ident, str) or ident in rows:
                raise RecipeError(f"{path}: every item needs an id of its own, got {ident!r}")
            rows[checked_id(ident, f"{path}.{ident}")] = item_from(part, each, f"{path}.{ident}", keep)
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


def item_from(part: Table, data: Mapping[str, Any], path: str, keep: Keep | None) -> Section:
    kind = data.get("kind", "") if part.is_tagged else part.kinds[0].KIND
    section = part.kind(kind) if isinstance(kind, str) else None
    if section is None:
        if keep is None:
            raise RecipeError(f"{path}.kind: one of {', '.join(k.KIND for k in part.kinds)}; got {kind!r}")
        return Foreign(str(kind), {name: frozen(value) for name, value in data.items() if name != "id"})
    return section_from(section(), data, f"{path}.", keep, frozenset({"id", "kind"}))
