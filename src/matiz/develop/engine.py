"""The engine: runs the stages for a region of a level and keeps what may be asked again."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from ..colour.types import Image
from ..errors import ArgumentError, Cancelled
from ..raw.frame import Frame
from ..raw.sensor import LEVELS, Region, Sensor, level_size
from ..recipe.model import Recipe
from .stage import Pixels, Request, Stage
from .stages import WAYS

CACHE_BYTES = 600 * 2**20
STRIP_ROWS = 512
MOST_VALUES = 6


class Engine:
    """Develops one frame. Safe to share by threads; results are not to be written to."""

    def __init__(self, frame: Frame, *, cache_bytes: int = CACHE_BYTES) -> None:
        self.frame = frame
        self.sensor = Sensor(frame)
        self.runs: dict[str, int] = {}
        """How often each stage ran: what a change did not touch must not run again."""
        self._cache: OrderedDict[Any, Pixels] = OrderedDict()
        self._cache_bytes = cache_bytes
        self._values: OrderedDict[Any, Any] = OrderedDict()
        self._lock = threading.RLock()

    def render(self, recipe: Recipe, level: int, region: Region | None = None, *, result: str = "screen") -> Pixels:
        """A region (the whole picture when None) of a level, as far as `result`, a key of WAYS."""
        if result not in WAYS:
            raise ArgumentError(f"result: one of {', '.join(WAYS)}; got {result!r}")
        if not 0 <= level < LEVELS:
            raise ArgumentError(f"level: 0..{LEVELS - 1}, got {level}")
        width, height = level_size(self.frame, level)
        region = region or (0, 0, width, height)
        x, y, w, h = region
        if x < 0 or y < 0 or w < 1 or h < 1 or x + w > width or y + h > height:
            raise ArgumentError(f"region: {region} does not lie within the picture, {width}x{height} px at this level")
        stages = WAYS[result]
        # the kernels take no single pixel: ask for its neighbour too
        asked = region if w * h > 1 else (max(0, x - 1) if x + 2 > width else x, y, min(2, width), h)
        pixels = self._result(stages, len(stages) - 1, self._request(recipe, level, asked))
        return pixels if asked == region else np.ascontiguousarray(pixels[:, x - asked[0] :][:, :1])

    def full(
        self, recipe: Recipe, *, result: str = "display", progress: Callable[[float], bool] | None = None
    ) -> Iterator[tuple[int, Pixels]]:
        """The full-size picture in strips from the top, (first row, pixels), with little memory.

        `progress` hears the share done and returns False to stop, which raises Cancelled.
        """
        width, height = self.frame.size
        for top in range(0, height, STRIP_ROWS):
            rows = min(STRIP_ROWS, height - top)
            stages = WAYS[result]
            request = self._request(recipe, 0, (0, top, width, rows))
            yield top, self._result(stages, len(stages) - 1, request, keep=False)
            if progress is not None and not progress((top + rows) / height):
                raise Cancelled("stopped by the user")

    def _request(self, recipe: Recipe, level: int, region: Region) -> Request:
        def whole(small: int) -> Pixels:
            return self.render(recipe, small, result="small")

        return Request(self.sensor, recipe.in_force(), level, region, whole, self._once)

    def _once(self, key: Any, make: Callable[[], Any]) -> Any:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
        value = make()
        with self._lock:
            self._values[key] = value
            while len(self._values) > MOST_VALUES:
                self._values.popitem(last=False)
        return value

    def _result(self, stages: tuple[Stage, ...], index: int, request: Request, *, keep: bool = True) -> Pixels:
        key = self._key(stages[: index + 1], request)
        with self._lock:
            pixels = self._cache.get(key)
            if pixels is not None:
                self._cache.move_to_end(key)
                return pixels
        pixels, is_new = self._run(stages, index, request, keep=keep)
        if keep and is_new:
            self._remember(key, pixels)
        return pixels

    def _run(self, stages: tuple[Stage, ...], index: int, request: Request, *, keep: bool) -> tuple[Pixels, bool]:
        """The stage's pixels, and whether it made them: one with nothing to do hands on what it got."""
        stage = stages[index]
        if index == 0:
            self._count(stage)
            return stage.run(None, request), True
        wanted = replace(request, region=stage.source(request))
        before = self._result(stages, index - 1, wanted, keep=keep)
        after = stage.run(before, request)
        if after is not before:
            self._count(stage)
        return after, after is not before

    def _count(self, stage: Stage) -> None:
        self.runs[stage.name] = self.runs.get(stage.name, 0) + 1

    def _key(self, stages: tuple[Stage, ...], request: Request) -> Any:
        values = tuple((s.name, tuple(request.recipe.get(path) for path in s.reads)) for s in stages)
        return values, request.recipe.processing, request.level, request.region

    def _remember(self, key: Any, pixels: Pixels) -> None:
        with self._lock:
            self._cache[key] = pixels
            while len(self._cache) > 1 and sum(p.nbytes for p in self._cache.values()) > self._cache_bytes:
                self._cache.popitem(last=False)


def full_picture(
    engine: Engine, recipe: Recipe, *, result: str = "display", progress: Callable[[float], bool] | None = None
) -> Image:
    """The full-size picture in one array, made strip by strip."""
    width, height = engine.frame.size
    out = np.empty((height, width, 3), np.float32)
    for top, strip in engine.full(recipe, result=result, progress=progress):
        out[top : top + strip.shape[0]] = strip
    return out
