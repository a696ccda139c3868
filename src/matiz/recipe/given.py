"""All that one recipe decides, as values for another picture."""

from collections.abc import Iterator
from typing import Any

from .change import Settings
from .model import Recipe, specs
from .tree import ABSENT, Rows, Section, Table, parts_of


def given_by(source: Recipe, target: Recipe) -> Settings:
    """What makes the target like the source, station by station; items of tables are replaced by the source's.

    Both must start from the same: what a raw file decides says nothing to a rendered picture.
    """
    first = _unlike(source, target)
    # some values imply others: what they moved is named once more, after them
    moved = _unlike(source, target.change_all(first, label="")[0])
    return (*first, *moved)


def _unlike(source: Recipe, target: Recipe) -> Settings:
    out: list[tuple[str, Any]] = [(path, source.get(path)) for path in specs() if source.get(path) != target.get(path)]
    for path in _tables(type(source)):
        ours, theirs = source.get(path), target.get(path)
        assert isinstance(ours, Rows) and isinstance(theirs, Rows)
        out += [(f"{path}.{ident}", ABSENT) for ident in theirs if ident not in ours]
        out += [(f"{path}.{ident}", item) for ident, item in ours.items() if theirs.get(ident) != item]
    return tuple(out)


def _tables(section: type[Section], prefix: str = "") -> Iterator[str]:
    for name, part in parts_of(section).items():
        if isinstance(part, Table):
            yield f"{prefix}{name}"
        elif isinstance(part, type):
            yield from _tables(part, f"{prefix}{name}.")
