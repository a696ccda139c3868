"""What a stage of the picture's way is. The engine knows nothing else about it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from ..raw.sensor import Region, Sensor
from ..recipe.model import Recipe

Pixels = NDArray[Any]


@dataclass(frozen=True)
class Request:
    """What is wanted: a region of a level, under a recipe."""

    sensor: Sensor
    recipe: Recipe
    level: int
    region: Region
    whole: Callable[[int], Pixels]
    """The whole picture at a level, scene-linear before tone: for what depends on the surroundings."""
    once: Callable[[Any, Callable[[], Any]], Any]
    """The value under a key, worked out when it is asked for first, and kept for a while."""


@dataclass(frozen=True)
class Stage:
    """One step. `run` gets the upstream pixels of the region that `source` names, and answers for its own."""

    name: str
    reads: tuple[str, ...]
    """Recipe paths that its result depends on."""
    run: Callable[[Pixels | None, Request], Pixels]
    source: Callable[[Request], Region] = lambda request: request.region
    """What it needs of the stage before, px of the same level."""
