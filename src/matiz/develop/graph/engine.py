"""The engine: makes tiles of a picture by its graph, and keeps what may be asked again."""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...colour.types import Image
from ...errors import ArgumentError, Cancelled
from ...raw.frame import Frame
from ...recipe.model import Recipe, plain_recipe
from ..frame.beside import Beside
from ..frame.cache import Cache
from ..frame.found import Found
from ..frame.mapping import Mapping
from ..frame.sensor import Sensor
from ..frame.tiles import LEVELS, Region, Size, common, level_for, tiles
from ..stages.node import Node, NodePatch, Pixels, Work
from .graph import ENDS

CACHE_BYTES = 600 * 2**20
LITTLE_CACHE = 96 * 2**20
"""For an engine that makes one picture once: room for plans."""
GRAPHS = 12
"""Recipes under which the graph stays walked: a drag asks under several variants of each of its recipes."""
TILES_TO_A_SIDE = 2
"""Of what is made at a time for a file: larger parts leave less of the time to what lies between the kernels."""


class Engine:
    """Develops one frame. Safe to share by threads; results are not to be written to."""

    def __init__(self, frame: Frame, *, cache_bytes: int = CACHE_BYTES, ends: dict[str, Node] = ENDS) -> None:
        self.frame = frame
        self.found = Found(frame.size, self._plain, frame.path)
        """What was found in the picture by itself."""
        self.beside = Beside(frame)
        """The frames that it was merged of."""
        self.sensor = Sensor(frame, self.found, self.beside.seen)
        self.runs: dict[str, int] = {}
        """How often each node ran: what a change did not touch must not run again."""
        self._ends = ends
        self._cache = Cache(cache_bytes)
        self._counting = threading.Lock()
        self._graphs: OrderedDict[tuple[int, int], tuple[Recipe, _Making]] = OrderedDict()
        self._walking = threading.Lock()

    def _plain(self, level: int, region: Region) -> NDArray[np.uint8]:
        """A region of the frame as the camera held it, sRGB (height, width, 3), about which nothing is decided."""
        recipe = plain_recipe(self.frame.start).as_framed()
        return np.ascontiguousarray(self.peek(recipe, level, region, result="draft")[..., 2::-1])

    def mapping(self, recipe: Recipe) -> Mapping:
        """The geometry of the picture under a recipe."""
        recipe = recipe.in_force()
        return Mapping.of(self.frame, recipe.mend, recipe.processing)

    def size(self, recipe: Recipe, level: int = 0) -> Size:
        """(width, height) of the picture under a recipe."""
        return self.mapping(recipe).size_at(level)

    def level_for(self, recipe: Recipe, least_px: int) -> int:
        """The deepest level at which the picture's long side still has `least_px`."""
        return level_for(self.size(recipe), least_px)

    def render(
        self, recipe: Recipe, level: int, region: Region | None = None, *, result: str | Node = "screen"
    ) -> Pixels:
        """A region (the whole picture when None) of a level, as far as `result`, a key of the graph's ends or a node of
        it."""
        making = self._under(recipe)
        return making.pixels(self._end(result), level, self._checked(making.work.mapping, level, region))

    def render_alone(
        self, recipe: Recipe, level: int, region: Region | None = None, *, result: str | Node = "screen"
    ) -> Pixels:
        """The same pixels made as one piece: what tiles hold besides is not waited for. It is kept for this region."""
        making = self._under(recipe)
        return making.kept(self._end(result), level, self._checked(making.work.mapping, level, region))

    def tiles(self, recipe: Recipe, level: int, region: Region) -> list[Region]:
        """Those that a region is laid together from."""
        return list(tiles(self.size(recipe, level), region))

    def slow_part(self, recipe: Recipe, level: int, *, result: str | Node = "screen") -> bytes | None:
        """What stands for all that takes long on the way to a result; None where nothing does."""
        making = self._under(recipe)
        slow = making.slow_nodes(self._end(result), level)
        return b"".join(making.digest(node) for node in slow) if slow else None

    def peek(self, recipe: Recipe, level: int, region: Region, *, result: str | Node = "screen") -> Pixels:
        """The same for a small region that is not asked again: nothing is kept, and nothing made beside it."""
        making = self._under(recipe)
        x, y, w, h = region = self._checked(making.work.mapping, level, region)
        if w * h > 1:
            return _Once(making).made(self._end(result), level, region)
        # the kernels take no single pixel: ask for its neighbour too
        width, _ = making.work.mapping.size_at(level)
        beside = (max(0, x - 1) if x + 2 > width else x, y, min(2, width), h)
        return np.ascontiguousarray(_Once(making).made(self._end(result), level, beside)[:, x - beside[0] :][:, :1])

    def digest(self, recipe: Recipe, result: str) -> bytes:
        """What stands for everything that a result depends on: two recipes with the same one give the same pixels."""
        return self._under(recipe).digest(self._end(result))

    def product(self, recipe: Recipe, node: Node) -> Any:
        """What a node that makes no pixels makes."""
        return self._under(recipe).product(node)

    def full(
        self, recipe: Recipe, *, result: str | Node = "display", progress: Callable[[float], bool] | None = None
    ) -> Iterator[tuple[Region, Pixels]]:
        """The full-size picture tile by tile, (region, pixels), with little memory.

        `progress` hears the share done and returns False to stop, which raises Cancelled.
        """
        making, end = self._under(recipe), self._end(result)
        width, height = size = making.work.mapping.size
        done = 0
        for tile in tiles(size, (0, 0, width, height), TILES_TO_A_SIDE):
            yield tile, _Once(making).made(end, 0, tile)
            done += tile[2] * tile[3]
            if progress is not None and not progress(done / (width * height)):
                raise Cancelled("stopped by the user")

    def forget(self) -> None:
        """Let go of all that was made."""
        self._cache.clear()
        with self._walking:
            self._graphs.clear()

    def count(self, node: Node) -> None:
        with self._counting:
            self.runs[node.name] = self.runs.get(node.name, 0) + 1

    @property
    def cache(self) -> Cache:
        return self._cache

    def _under(self, recipe: Recipe) -> "_Making":
        """The graph under a recipe: for those asked for last it is walked once, until more is known of the subject."""
        key = id(recipe), self.found.looked
        with self._walking:
            held = self._graphs.pop(key, None)
            # a number may be that of a recipe that has gone
            if held is None or held[0] is not recipe:
                held = recipe, _Making(self, recipe)
            self._graphs[key] = held
            while len(self._graphs) > GRAPHS:
                self._graphs.popitem(last=False)
            return held[1]

    def _end(self, result: str | Node) -> Node:
        if isinstance(result, Node):
            return result
        if result not in self._ends:
            raise ArgumentError(f"result: one of {', '.join(self._ends)}; got {result!r}")
        return self._ends[result]

    def _checked(self, mapping: Mapping, level: int, region: Region | None) -> Region:
        if not 0 <= level < LEVELS:
            raise ArgumentError(f"level: 0..{LEVELS - 1}, got {level}")
        width, height = mapping.size_at(level)
        x, y, w, h = region = region or (0, 0, width, height)
        if x < 0 or y < 0 or w < 1 or h < 1 or x + w > width or y + h > height:
            raise ArgumentError(f"region: {region} does not lie within the picture, {width}x{height} px at this level")
        return region


class _Making:
    """The graph under one recipe."""

    def __init__(self, engine: Engine, recipe: Recipe) -> None:
        self._engine, self._cache = engine, engine.cache
        recipe = recipe.in_force()
        framed = recipe.as_framed()
        mapping, whole = (Mapping.of(engine.frame, each.mend, each.processing) for each in (recipe, framed))
        self.work = Work(engine.sensor, recipe, mapping, whole, self)
        self._digests: dict[Node, bytes] = {}
        self._whole = self if framed is recipe else _Making(engine, framed)
        """What makes products of the picture as the camera held it."""

    def digest(self, node: Node) -> bytes:
        """Of the values that a node reads and of its inputs; that of its input when it has nothing to do."""
        if node.of_whole and self._whole is not self:
            return self._whole.digest(node)
        found = self._digests.get(node)
        if found is None:
            if node.is_idle(self.work):
                found = self.digest(node.inputs[0])
            else:
                inputs = [self.digest(each) for each in (*node.inputs, *node.aside)]
                values = [self.work.recipe.get(path) for path in node.reads]
                told = repr((node.name, self.work.recipe.processing, values, node.key(self.work))).encode()
                found = hashlib.blake2b(told + b"".join(inputs), digest_size=16).digest()
            self._digests[node] = found
        return found

    def product(self, node: Node) -> Any:
        if node.of_whole and self._whole is not self:
            return self._whole.product(node)

        def make() -> Any:
            self._engine.count(node)
            return node.run(self.work)

        return self._cache.get(self.digest(node), node.name, make)

    def whole(self, node: Node, level: int) -> Pixels:
        width, height = self.work.mapping.size_at(level)
        return self.pixels(node, level, (0, 0, width, height))

    def pixels(self, node: Node, level: int, region: Region) -> Pixels:
        """A region of any shape, laid together from tiles."""
        out = None
        for tile in tiles(self.work.mapping.size_at(level), region):
            made = self.kept(node, level, tile)
            if tile == region:
                return made
            x, y, w, h = common(tile, region)
            part = made[y - tile[1] : y - tile[1] + h, x - tile[0] : x - tile[0] + w]
            if out is None:
                out = np.empty((region[3], region[2], *made.shape[2:]), made.dtype)
            out[y - region[1] : y - region[1] + h, x - region[0] : x - region[0] + w] = part
        assert out is not None
        return out

    def kept(self, node: Node, level: int, region: Region) -> Pixels:
        """A region as it is, from the cache or made for it."""
        node = self.at_work(node)
        if not node.keeps(level):
            return self.run(node, level, region, self.kept)
        key = (self.digest(node), level, region)
        return self._cache.get(key, (node.name, level, region), lambda: self.run(node, level, region, self.kept))

    def at_work(self, node: Node) -> Node:
        while node.is_idle(self.work):
            node = node.inputs[0]
        return node

    def slow_nodes(self, end: Node, level: int) -> list[Node]:
        """What takes long and is at work on the way to a node, and worth keeping at a level."""
        seen, left = [], [end]
        while left:
            node = self.at_work(left.pop())
            if not node.is_product and node not in seen:
                seen.append(node)
                left += [*node.inputs, *node.aside]
        return [node for node in seen if node.is_slow and node.keeps(level)]

    def run(self, node: Node, level: int, region: Region, get: Callable[[Node, int, Region], Pixels]) -> Pixels:
        """Make a region of a node at work; get: gives what it is made from."""
        self._engine.count(node)
        work = replace(self.work, level=level, region=region, take=lambda aside: get(aside, level, region))
        source = node.grow(work)
        patches = [NodePatch(get(each, level, source), source) for each in reversed(node.inputs) if not each.is_product]
        pixels: Pixels = node.run(work, *reversed(patches))
        return pixels


class _Once:
    """One region made without keeping anything, and nothing on the way to it made twice: what several nodes look at is
    held until the region is there."""

    def __init__(self, making: _Making) -> None:
        self._making = making
        self._held: dict[Node, list[NodePatch]] = {}

    def made(self, node: Node, level: int, region: Region) -> Pixels:
        node = self._making.at_work(node)
        x, y, w, h = region
        for patch in self._held.get(node, ()):
            left, top, width, height = patch.region
            if left <= x and top <= y and x + w <= left + width and y + h <= top + height:
                return patch.pixels[y - top : y - top + h, x - left : x - left + w]
        pixels = self._making.run(node, level, region, self.made)
        self._held.setdefault(node, []).append(NodePatch(pixels, region))
        return pixels


def full_picture(
    engine: Engine, recipe: Recipe, *, result: str = "display", progress: Callable[[float], bool] | None = None
) -> Image:
    """The full-size picture in one array, made tile by tile."""
    width, height = engine.size(recipe)
    out = np.empty((height, width, 3), np.float32)
    for (x, y, w, h), tile in engine.full(recipe, result=result, progress=progress):
        out[y : y + h, x : x + w] = tile
    return out
