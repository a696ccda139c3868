"""The node that lays repairs over the frame's pixels.

They lie on camera values before the geometry and everything tonal, so that they follow every later change.
"""

from functools import partial

from ..frame.patches import Mended, laid_over
from .node import Node, NodePatch, Pixels, Work, product


def _patches(work: Work) -> tuple[Mended, ...]:
    take = partial(work.sensor.read, 0)
    return work.sensor.patches.all(take, work.sensor.frame.size, work.recipe.mend.repairs)


PATCHES = product("patches", _patches, reads=("mend.repairs",))


def repaired(name: str, sensor: Node) -> Node:
    """The node that lays the repairs over a sensor's pixels."""

    def run(work: Work, camera: NodePatch) -> Pixels:
        return laid_over(camera.pixels, camera.region, work.level, work.ask.product(PATCHES))

    return Node(
        f"repaired{name}", run, (sensor, PATCHES), is_idle=lambda work: not work.recipe.mend.repairs, keeps=_never
    )


def _never(_: int) -> bool:
    """Laying patches over is quicker than keeping what comes of it."""
    return False
