"""Readings as a table: what each looks at, what else it depends on, how it is made; and a meter that takes them.

A reading is taken again when what it depends on has changed, and only then: the engine's graph says so for the pixels
it looks at, and the recipe for the values it reads besides.
"""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Iterator
from dataclasses import dataclass, field
from enum import IntEnum
from functools import cached_property
from typing import Any

from ...develop.frame.mapping import Mapping
from ...develop.frame.tiles import Region
from ...develop.graph.engine import Engine
from ...develop.stages.node import Pixels
from ...raw.frame import Frame
from ...recipe.model import Recipe

LONG_SIDE = 500
"""Least long side of the small picture that most readings look at."""
VARIANTS = 3
"""Of a reading that are kept, for recipes that were measured before."""


def as_it_is(recipe: Recipe) -> Recipe:
    return recipe


def nothing_else(_engine: Engine, _recipe: Recipe) -> Hashable:
    return None


class Pace(IntEnum):
    """How long a reading takes at first, of 24 megapixels on two cores.

    Measured on one frame of the simulated camera; for what reads places, repairs or sharpening, of which that frame has
    none, estimated for a picture with many.
    """

    AT_ONCE = 0
    """Under 0.1 s."""
    SOON = 1
    """Under 1 s."""
    LATER = 2


@dataclass(frozen=True, eq=False)
class Reading:
    """How one reading is taken."""

    name: str
    make: Callable[["Sight"], Any]
    looks_at: tuple[str, ...] = ()
    """Results of the graph."""
    reads: tuple[str, ...] = ()
    """Recipe paths that it depends on besides."""
    after: tuple[str, ...] = ()
    """Other readings that it is made from."""
    under: Callable[[Recipe], Recipe] = field(default=as_it_is)
    """The recipe that it looks under."""
    also: Callable[[Engine, Recipe], Hashable] = field(default=nothing_else)
    """What else it depends on."""
    pace: Pace = Pace.AT_ONCE


def quick_first(readings: Iterable[Reading]) -> tuple[Reading, ...]:
    """In the order in which they are best taken: no quick one waits for a slow one that it is not made from."""
    table = {reading.name: reading for reading in readings}

    def pace(reading: Reading) -> Pace:
        return max([reading.pace, *(pace(table[name]) for name in reading.after)])

    return tuple(sorted(table.values(), key=pace))


class Sight:
    """What a reading sees: one picture under one recipe. It must look at no more than its table says."""

    def __init__(self, engine: Engine, recipe: Recipe, read: Callable[[str], Any], allowed: Reading) -> None:
        self.engine, self.recipe, self._read, self._allowed = engine, recipe, read, allowed

    @property
    def frame(self) -> Frame:
        return self.engine.frame

    @cached_property
    def mapping(self) -> Mapping:
        return self.engine.mapping(self.recipe)

    @cached_property
    def level(self) -> int:
        """The smallest level that still has enough pixels to count."""
        return self.engine.level_for(self.recipe, LONG_SIDE)

    @property
    def step(self) -> int:
        """Full-size px per px of `level`."""
        return int(2**self.level)

    def picture(self, result: str, level: int | None = None) -> Pixels:
        """The whole picture at a level, the small one when None."""
        assert result in self._allowed.looks_at, f"{self._allowed.name} does not say that it looks at {result}"
        return self.engine.render(self.recipe, self.level if level is None else level, result=result)

    def peek(self, result: str, region: Region) -> Pixels:
        """A small region of the full size that nothing else looks at."""
        assert result in self._allowed.looks_at, f"{self._allowed.name} does not say that it looks at {result}"
        return self.engine.peek(self.recipe, 0, region, result=result)

    def reading(self, name: str) -> Any:
        assert name in self._allowed.after, f"{self._allowed.name} does not say that it is made from {name}"
        return self._read(name)


class _Variants:
    """One recipe as readings see it: what several of them look under is one object, for which the graph is walked
    once."""

    def __init__(self, recipe: Recipe) -> None:
        self.recipe = recipe
        self._in_force = recipe.in_force()
        self._under: dict[Callable[[Recipe], Recipe], Recipe] = {}
        self._values: dict[tuple[Callable[[Recipe], Recipe], tuple[str, ...]], tuple[str, ...]] = {}

    def seen_by(self, reading: Reading) -> Recipe:
        if reading.under not in self._under:
            self._under[reading.under] = reading.under(self._in_force)
        return self._under[reading.under]

    def values_of(self, reading: Reading) -> tuple[str, ...]:
        """What stands for the values that it reads besides pixels."""
        wanted = reading.under, reading.reads
        if wanted not in self._values:
            seen = self.seen_by(reading)
            self._values[wanted] = tuple(repr(seen.get(path)) for path in reading.reads)
        return self._values[wanted]


class TableMeter:
    """Takes readings of one frame, and keeps them. Safe to share by threads: one reads at a time."""

    def __init__(self, engine: Engine, table: Iterable[Reading]) -> None:
        self.engine = engine
        self._table = {reading.name: reading for reading in table}
        # readings that are made alike share what they are: under recipes that come to the same they are the same
        self._kept: dict[Callable[[Sight], Any], OrderedDict[Hashable, Any]] = {
            reading.make: OrderedDict() for reading in self._table.values()
        }
        self._room = {
            make: VARIANTS * sum(reading.make is make for reading in self._table.values()) for make in self._kept
        }
        self._lock = threading.RLock()
        self._last: _Variants | None = None
        self.runs: dict[str, int] = {}
        """How often each reading was made: what a change did not touch must not be read again."""

    def read(self, recipe: Recipe, names: Iterable[str] | None = None) -> dict[str, Any]:
        """Readings by name, all of them when none are named."""
        return dict(self.each(recipe, names))

    def each(self, recipe: Recipe, names: Iterable[str] | None = None) -> Iterator[tuple[str, Any]]:
        """Readings one by one, in the order of their names: (name, value) as soon as it is there."""
        recipe = recipe.in_force()
        for name in self._table if names is None else names:
            yield name, self.take(recipe, name)

    def key(self, recipe: Recipe, name: str) -> Hashable:
        """What stands for all that a reading depends on."""
        return self._key(self._variants(recipe), name)

    def _key(self, variants: "_Variants", name: str) -> Hashable:
        reading = self._table[name]
        seen = variants.seen_by(reading)
        pixels = tuple(self.engine.digest(seen, result) for result in reading.looks_at)
        others = tuple(self._key(variants, other) for other in reading.after)
        return pixels, variants.values_of(reading), others, reading.also(self.engine, seen)

    def _variants(self, recipe: Recipe) -> "_Variants":
        """Kept for the recipe asked for last: all readings of a tick of a drag are asked for under one."""
        held = self._last
        if held is None or held.recipe is not recipe:
            held = self._last = _Variants(recipe)
        return held

    def take(self, recipe: Recipe, name: str) -> Any:
        """One reading, made when it is not kept."""
        with self._lock:
            variants = self._variants(recipe)
            reading, key = self._table[name], self._key(variants, name)
            kept = self._kept[reading.make]
            if key in kept:
                kept.move_to_end(key)
                return kept[key]
            seen = variants.seen_by(reading)
            value = reading.make(Sight(self.engine, seen, lambda other: self.take(recipe, other), reading))
            self.runs[name] = self.runs.get(name, 0) + 1
            kept[key] = value
            while len(kept) > self._room[reading.make]:
                kept.popitem(last=False)
            return value
