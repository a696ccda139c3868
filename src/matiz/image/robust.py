"""Least squares that outliers do not sway.

Reference: Huber, "Robust estimation of a location parameter", 1964; solved by weights that are worked out anew.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.floating[Any]]
Scale = Callable[[Array], float]


def huber(
    terms: ArrayLike, values: ArrayLike, *, limit: float | Scale, weight: ArrayLike | None = None, rounds: int = 12
) -> tuple[Array, Array]:
    """Factors (m,) of `terms` (n, m) that come nearest to `values` (n,), and the weights (n,) they were fitted with.

    limit: the distance from which on a value counts for less, or how that follows from the distances (n,). weight:
    how much each value counts to begin with.
    """
    terms, values = np.asarray(terms, np.float64), np.asarray(values, np.float64)
    own = np.ones(len(values)) if weight is None else np.asarray(weight, np.float64)
    held = own.copy()
    solved: Array = np.zeros(terms.shape[1])
    for _ in range(rounds):
        root = np.sqrt(held)
        solved = np.linalg.lstsq(terms * root[:, None], values * root, rcond=None)[0]
        rest = np.abs(values - terms @ solved)
        reach = limit if isinstance(limit, float) else limit(rest)
        held = own * np.minimum(1.0, reach / np.maximum(rest, 1e-9))
    return solved, held
