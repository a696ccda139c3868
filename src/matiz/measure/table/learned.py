"""Numbers that were learned from photographs under known lights; tools/learn_lights.py writes them."""

import csv
from functools import cache

from ...assets import FOLDER


@cache
def learned(name: str) -> dict[str, float]:
    """Weights by the name of what they weigh."""
    with (FOLDER / "readings" / f"{name}.csv").open(newline="") as file:
        return {row["name"]: float(row["weight"]) for row in csv.DictReader(file)}
