"""Timing two or more calls in turn."""

import time
from collections.abc import Callable
from statistics import median


def side_by_side(calls: dict[str, Callable[[], object]], *, rounds: int = 7) -> dict[str, float]:
    """Median seconds of each call, taken in turns after one warm-up each."""
    for call in calls.values():
        call()
    taken: dict[str, list[float]] = {name: [] for name in calls}
    for _ in range(rounds):
        for name, call in calls.items():
            start = time.perf_counter()
            call()
            taken[name].append(time.perf_counter() - start)
    return {name: median(values) for name, values in taken.items()}
