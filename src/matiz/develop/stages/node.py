"""What a node of the picture's graph is. The engine knows nothing else about it.

Most nodes make pixels, a region at a time, from the pixels of others. A product is made once from whole pictures: a
plan, a mask, a noise model. Either kind depends on what its inputs depend on and on the values of the recipe it reads,
and on nothing else; that is how the engine knows what to make again.
"""

from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from typing import Any, Protocol

from numpy.typing import NDArray

from ...recipe.model import Recipe
from ..frame.mapping import Mapping
from ..frame.sensor import Sensor
from ..frame.tiles import Region

Pixels = NDArray[Any]


class Ask(Protocol):
    """What a node may ask of the engine while it works; only for its own inputs."""

    def product(self, node: "Node") -> Any: ...

    def whole(self, node: "Node", level: int) -> Pixels: ...

    def digest(self, node: "Node") -> bytes: ...


@dataclass(frozen=True)
class Work:
    """What a node is to make: a region of a level under a recipe. A product has no region of its own."""

    sensor: Sensor
    recipe: Recipe
    mapping: Mapping
    whole: Mapping
    """Of the picture as the camera held it: not cropped, turned by degrees, seen straight or bent."""
    ask: Ask
    level: int = 0
    region: Region = (0, 0, 1, 1)
    take: Callable[["Node"], Pixels] = field(default=lambda node: _refused(node), repr=False)
    """Gives the region of a node that lies aside, for one that makes pixels."""


@dataclass(frozen=True)
class NodePatch:
    """Pixels, and the region that they are."""

    pixels: Pixels
    region: Region


def _refused(node: "Node") -> Pixels:
    raise TypeError(f"{node.name}: a product takes no regions")


Grow = Callable[[Work], Region]


def itself(work: Work) -> Region:
    return work.region


def _never(_: Work) -> bool:
    return False


def _nothing(_: Work) -> Hashable:
    return None


def _always(_: int) -> bool:
    return True


@dataclass(frozen=True, eq=False)
class Node:
    """One step of the way. `run` gets a patch of each input that makes pixels, in their order; the last is made first,
    so that what looks furthest around goes last."""

    name: str
    run: Callable[..., Any]
    inputs: tuple["Node", ...] = ()
    reads: tuple[str, ...] = ()
    """Recipe paths that its result depends on; a path of a section or a table stands for all in it."""
    aside: tuple["Node", ...] = ()
    """What it takes the region of where it needs it, by `Work.take`."""
    grow: Grow = itself
    """What it needs of its inputs' pixels, px of the same level."""
    is_product: bool = False
    is_idle: Callable[[Work], bool] = field(default=_never)
    """True when it has nothing to do, and hands on its first input as it is."""
    keeps: Callable[[int], bool] = field(default=_always)
    """Whether its tiles at a level are worth keeping."""
    key: Callable[[Work], Hashable] = field(default=_nothing)
    """What else its result depends on, such as a part of each item of a table."""
    is_slow: bool = False
    """Whether it takes so long that what is not seen is better made later."""
    of_whole: bool = False
    """Whether it is made from the picture as the camera held it: only a product can be."""


def product(
    name: str,
    run: Callable[[Work], Any],
    inputs: tuple[Node, ...] = (),
    reads: tuple[str, ...] = (),
    *,
    key: Callable[[Work], Hashable] | None = None,
    of_whole: bool = False,
) -> Node:
    return Node(name, run, inputs, reads, is_product=True, key=key or _nothing, of_whole=of_whole)
