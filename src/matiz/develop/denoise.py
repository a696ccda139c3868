"""The nodes that take noise out of camera values: a full estimate, made once, and how much of it is mixed in."""

from functools import partial

import numpy as np

from .node import Node, Patch, Pixels, Work
from .noise import ANCHOR_PX, REACH_PX, estimated
from .tiles import grown, level_size

DEEPEST = 2
"""Level of the smallest picture in which noise is still worth taking out."""


def denoised(name: str, camera: Node, *, is_quick: bool = False) -> Node:
    """The node that takes noise out of a node's camera values. is_quick: in less than half the time, not as well."""
    run = partial(_estimate, is_quick)
    estimate = Node(f"without noise{name}", run, (camera,), grow=_around, keeps=_is_noisy)
    return Node(f"denoised{name}", _mixed, (camera, estimate), ("detail.noise",), is_idle=_is_idle, keeps=_is_noisy)


def _around(work: Work) -> tuple[int, int, int, int]:
    return grown(work.region, level_size(work.mapping.frame_size, work.level), REACH_PX + ANCHOR_PX)


def _is_noisy(level: int) -> bool:
    return level <= DEEPEST


def _is_idle(work: Work) -> bool:
    noise = work.recipe.detail.noise
    return not (noise.strength_percent or noise.colour_percent)


def _estimate(is_quick: bool, work: Work, camera: Patch) -> Pixels:
    left, top, width, height = work.region
    if work.level > DEEPEST:
        # not looked at there
        x, y = left - camera.region[0], top - camera.region[1]
        return camera.pixels[y : y + height, x : x + width]
    # from the anchor before the region, so that every region of a px makes the same of it
    ahead, above = left % ANCHOR_PX, top % ANCHOR_PX
    across = _lying(left - ahead - REACH_PX, left + width + REACH_PX, camera.region[0], camera.region[2])
    down = _lying(top - above - REACH_PX, top + height + REACH_PX, camera.region[1], camera.region[3])
    noise = work.sensor.noise
    planes = noise.scale.to_planes(camera.pixels[down[0], across[0]])
    # the frame's own border is mirrored
    planes = np.pad(planes, [down[1], across[1], (0, 0)], mode="symmetric")
    return np.ascontiguousarray(estimated(planes, noise.at(work.level), is_quick=is_quick)[above:, ahead:])


def _lying(begin: int, end: int, first: int, count: int) -> tuple[slice, tuple[int, int]]:
    """Of `count` px from `first` on, those from begin to end, and how many are missing before and after."""
    return slice(max(begin - first, 0), min(end - first, count)), (max(first - begin, 0), max(end - first - count, 0))


def _mixed(work: Work, camera: Patch, estimate: Patch) -> Pixels:
    scale, noise = work.sensor.noise.scale, work.recipe.detail.noise
    if work.level > DEEPEST:
        return camera.pixels
    planes = scale.to_planes(camera.pixels)
    share = np.array([noise.strength_percent, noise.colour_percent, noise.colour_percent], np.float32) / 100.0
    planes += share * (estimate.pixels - planes)
    return scale.to_camera(planes, float(share[0]))
