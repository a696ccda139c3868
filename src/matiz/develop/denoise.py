"""The nodes that take noise out of camera values: a full estimate, made once, and how much of it is mixed in."""

from functools import partial

import numpy as np

from .node import Node, Patch, Pixels, Work
from .noise import REACH_PX, estimated
from .tiles import grown, level_size

DEEPEST = 2
"""Level of the smallest picture in which noise is still worth taking out."""


def denoised(name: str, camera: Node, *, is_quick: bool = False) -> Node:
    """The node that takes noise out of a node's camera values. is_quick: in less than half the time, not as well."""
    run = partial(_estimate, is_quick)
    estimate = Node(f"without noise{name}", run, (camera,), grow=_around, keeps=_is_noisy)
    return Node(f"denoised{name}", _mixed, (camera, estimate), ("detail.noise",), is_idle=_is_idle, keeps=_is_noisy)


def _around(work: Work) -> tuple[int, int, int, int]:
    return grown(work.region, level_size(work.mapping.frame_size, work.level), REACH_PX)


def _is_noisy(level: int) -> bool:
    return level <= DEEPEST


def _is_idle(work: Work) -> bool:
    noise = work.recipe.detail.noise
    return not (noise.strength_percent or noise.colour_percent)


def _estimate(is_quick: bool, work: Work, camera: Patch) -> Pixels:
    left, top = work.region[0] - camera.region[0], work.region[1] - camera.region[1]
    if work.level > DEEPEST:
        # not looked at there
        return camera.pixels[top : top + work.region[3], left : left + work.region[2]]
    right, bottom = camera.region[2] - left - work.region[2], camera.region[3] - top - work.region[3]
    # the frame's own border is mirrored
    sides = [(REACH_PX - top, REACH_PX - bottom), (REACH_PX - left, REACH_PX - right), (0, 0)]
    noise = work.sensor.noise
    planes = np.pad(noise.scale.to_planes(camera.pixels), sides, mode="symmetric")
    return estimated(planes, noise.at(work.level), is_quick=is_quick)


def _mixed(work: Work, camera: Patch, estimate: Patch) -> Pixels:
    scale, noise = work.sensor.noise.scale, work.recipe.detail.noise
    if work.level > DEEPEST:
        return camera.pixels
    planes = scale.to_planes(camera.pixels)
    share = np.array([noise.strength_percent, noise.colour_percent, noise.colour_percent], np.float32) / 100.0
    planes += share * (estimate.pixels - planes)
    return scale.to_camera(planes, float(share[0]))
