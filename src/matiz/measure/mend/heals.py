"""Repairs that readings propose."""

from collections.abc import Sequence

from ...mend.heal import Area, Take, proposed
from ...recipe.mending import Heal


def heal_of(area: Area, others: Sequence[Area], take: Take, size: tuple[int, int]) -> Heal:
    """A repair of an area, its source clear of the others. take: gives regions of the full-size frame of `size`."""
    dx, dy = proposed(take, size, area, others)
    long_side = max(size)
    path = tuple((round((x + 0.5) / long_side, 7), round((y + 0.5) / long_side, 7)) for x, y in area.path)
    return Heal(
        path=path, radius_px=round(area.radius, 1), feather_px=round(area.feather, 1),
        dx=round(dx / long_side, 6), dy=round(dy / long_side, 6),
    )  # fmt: skip
