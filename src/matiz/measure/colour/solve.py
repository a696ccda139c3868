"""A correction of a few numbers, solved by what it makes of a colour."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...colour.types import Array

ROUNDS = 7
DONE_dE = 0.1


@dataclass(frozen=True)
class SolvePath:
    """What a correction is made of, number by number: where it does nothing, how far it is moved to see what it does,
    its limits, its decimals."""

    start: tuple[float, ...]
    steps: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    digits: tuple[int, ...]
    made: Callable[[Sequence[float]], dict[str, Any]]
    """The values of what has it."""


def brought(seen: Callable[[Array], Array], target: Array, way: SolvePath) -> Array:
    """The values that bring a colour L*, a*, b* nearest to a target, by Gauss and Newton's way. seen: the colour under
    values."""
    steps = np.array(way.steps)
    low, high = np.array(way.low), np.array(way.high)
    values = np.array(way.start)
    now = seen(values)
    for _ in range(ROUNDS):
        if np.linalg.norm(target - now) < DONE_dE:
            break
        # in units of the steps, and held a little: where an area is white or black nothing moves it
        slopes = np.stack([seen(values + one) - now for one in np.diag(steps)], axis=1)
        held = slopes.T @ slopes + 1e-3 * np.eye(len(steps))
        move = np.linalg.solve(held, slopes.T @ (target - now)) * steps
        for share in (1.0, 0.3):
            tried = np.clip(values + share * move, low, high)
            reached = seen(tried)
            if np.linalg.norm(target - reached) < np.linalg.norm(target - now):
                break
        else:
            break
        values, now = tried, reached
    return values
