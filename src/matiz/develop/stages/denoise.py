"""The nodes that take noise out of camera values: a full estimate, made once, and how much of it is mixed in."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from ..frame.noise import ANCHOR_PX, NoiseMethod
from ..frame.tiles import grown, level_size
from .node import Node, NodePatch, Pixels, Work

DEEPEST = 2
"""Level of the smallest picture in which noise is still worth taking out."""


@dataclass(frozen=True, eq=False)
class Denoised:
    """Nodes of one sensor's camera values: with as much noise taken out as is decided, with all of it, with none."""

    own: Node
    clean: Node
    noisy: Node


def denoised(name: str, camera: Node, way: NoiseMethod) -> Denoised:
    """The nodes that take noise out of a node's camera values."""
    run, grow = partial(_estimate, way), partial(_around, way)
    estimate = Node(f"without noise{name}", run, (camera,), grow=grow, keeps=_is_noisy, is_slow=True)
    own = Node(f"denoised{name}", _mixed, (camera, estimate), ("detail.noise",), is_idle=_is_idle, keeps=_is_noisy)
    return Denoised(own, Node(f"clean{name}", _all_taken, (camera, estimate), keeps=_never), camera)


def _never(_: int) -> bool:
    return False


def _around(way: NoiseMethod, work: Work) -> tuple[int, int, int, int]:
    return grown(work.region, level_size(work.mapping.frame_size, work.level), way.reach_px + ANCHOR_PX)


def _is_noisy(level: int) -> bool:
    return level <= DEEPEST


def _is_idle(work: Work) -> bool:
    noise = work.recipe.detail.noise
    return not (noise.strength_percent or noise.colour_percent)


def _estimate(way: NoiseMethod, work: Work, camera: NodePatch) -> Pixels:
    left, top, width, height = work.region
    if work.level > DEEPEST:
        # not looked at there
        x, y = left - camera.region[0], top - camera.region[1]
        return camera.pixels[y : y + height, x : x + width]
    # from the anchor before the region, so that every region of a px makes the same of it
    ahead, above = left % ANCHOR_PX, top % ANCHOR_PX
    across = _lying(left - ahead - way.reach_px, left + width + way.reach_px, camera.region[0], camera.region[2])
    down = _lying(top - above - way.reach_px, top + height + way.reach_px, camera.region[1], camera.region[3])
    noise = work.sensor.noise
    planes = noise.scale.to_planes(camera.pixels[down[0], across[0]])
    # the frame's own border is mirrored
    planes = np.pad(planes, [down[1], across[1], (0, 0)], mode="symmetric")
    return np.ascontiguousarray(way.estimate(planes, noise.at(work.level))[above:, ahead:])


def _lying(begin: int, end: int, first: int, count: int) -> tuple[slice, tuple[int, int]]:
    """Of `count` px from `first` on, those from begin to end, and how many are missing before and after."""
    return slice(max(begin - first, 0), min(end - first, count)), (max(first - begin, 0), max(end - first - count, 0))


def _mixed(work: Work, camera: NodePatch, estimate: NodePatch) -> Pixels:
    noise = work.recipe.detail.noise
    return _taken(work, camera, estimate, noise.strength_percent / 100.0, noise.colour_percent / 100.0)


def _all_taken(work: Work, camera: NodePatch, estimate: NodePatch) -> Pixels:
    return _taken(work, camera, estimate, 1.0, 1.0)


def _taken(work: Work, camera: NodePatch, estimate: NodePatch, lightness: float, colour: float) -> Pixels:
    """Camera values with such shares of the noise in lightness and in colour taken out."""
    if work.level > DEEPEST:
        return camera.pixels
    scale = work.sensor.noise.scale
    planes = scale.to_planes(camera.pixels)
    planes += np.array([lightness, colour, colour], np.float32) * (estimate.pixels - planes)
    return scale.to_camera(planes, lightness)
