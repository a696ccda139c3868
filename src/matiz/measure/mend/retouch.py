"""What gives a repair away: noise that is not that of its surroundings, and structure that is seen twice."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.types import Array, Camera
from ...mend.heal import Area, Take, proposed
from ..table.values import Outline

FINE_PX, BROAD_PX = 1.2, 5.0
"""Up to the one is noise, between the two is structure."""
LEAST_PX = 120
"""Fewer tell nothing of noise."""
NEAR = 14.0
"""In radii: what is seen twice further apart is not seen together."""
PEAK = 0.99
"""Quantile of what stands out."""
SEEN_TWICE = 5.5
"""From here on it is seen; by eye, no source. Of the sources that are proposed on photographs, one in twenty."""
SAME = 0.75
"""Correlation from which structure is the same."""


@dataclass(frozen=True)
class Retouched:
    """What is seen of one repair."""

    ident: str
    noise: float | None
    """Times that of its surroundings; None where there is too little to tell."""
    repeated: float
    """How far something that its source has too stands out of the texture round about, in its standard deviations; 0
    where there is none, or far away."""
    away_px: float
    """How far its source lies."""
    outline: Outline
    """Round it, px of the full-size frame."""
    other: tuple[float, float] | None = None
    """Where another source lies that shows something else: how far right and below, of the frame's long side."""


def read_retouch(
    areas: Mapping[str, tuple[Area, tuple[int, int] | None]], take: Take, size: tuple[int, int]
) -> tuple[Retouched, ...]:
    """areas: of each repair by its name, with the offset of its source, or None for a fill. take: gives regions of the
    frame of `size` as repaired."""
    return tuple(_looked_at(ident, area, offset, take, size) for ident, (area, offset) in areas.items())


def _looked_at(ident: str, area: Area, offset: tuple[int, int] | None, take: Take, size: tuple[int, int]) -> Retouched:
    box = area.box(size, 1)
    distance = area.distance(box)
    here = _root(take(box))
    inside = distance <= area.radius
    ring = (distance > area.radius + area.feather) & (distance <= area.radius + area.feather + area.band)
    noise = None
    if inside.sum() >= LEAST_PX and ring.sum() >= LEAST_PX:
        fine = here - cv2.GaussianBlur(here, (0, 0), FINE_PX)
        noise = _spread(fine[inside]) / max(_spread(fine[ring]), 1e-6)
    x, y, w, h = box
    outline = tuple((float(px), float(py)) for px, py in ((x, y), (x + w, y), (x + w, y + h), (x, y + h)))
    away = 0.0 if offset is None else float(np.hypot(*offset))
    reach = NEAR * (area.radius + area.feather)
    repeated = 0.0
    if offset is not None and 0.0 < away < reach and inside.any() and ring.any() and _fits(box, offset, size):
        there = _root(take((x + offset[0], y + offset[1], w, h)))
        repeated = _shared(here, there, inside, ring)
    other = None
    if offset is not None and repeated > SEEN_TWICE:
        source = replace(area, path=tuple((px + offset[0], py + offset[1]) for px, py in area.path))
        dx, dy = proposed(take, size, area, [source])
        other = round(dx / max(size), 6), round(dy / max(size), 6)
    return Retouched(ident, noise, repeated, away, outline, other)


def _fits(box: tuple[int, int, int, int], offset: tuple[int, int], size: tuple[int, int]) -> bool:
    x, y = box[0] + offset[0], box[1] + offset[1]
    return x >= 0 and y >= 0 and x + box[2] <= size[0] and y + box[3] <= size[1]


def _root(camera: Camera) -> NDArray[np.float32]:
    """Green, in units in which the noise of light is alike in lights and darks."""
    return np.sqrt(np.maximum(np.ascontiguousarray(camera[..., 1]), 0.0))


def _spread(values: Array) -> float:
    return 1.4826 * float(np.median(np.abs(values - np.median(values))))


def _shared(here: Array, there: Array, inside: NDArray[np.bool_], ring: NDArray[np.bool_]) -> float:
    """How far what two places have in common stands out of the texture round about."""
    soft, softer = ([cv2.GaussianBlur(each, (0, 0), px) for each in (here, there)] for px in (FINE_PX, BROAD_PX))
    bands = [a - b for a, b in zip(soft, softer, strict=True)]
    one, other = (band[inside] - band[inside].mean() for band in bands)
    same = float((one * other).mean() / max(float(one.std() * other.std()), 1e-9))
    usual = max(float(bands[0][ring].std()), 1e-6)
    return float(np.quantile(np.abs(other), PEAK)) / usual if same > SAME else 0.0
