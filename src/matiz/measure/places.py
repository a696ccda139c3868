"""What each place holds and what it changes: its share of the picture and of each zone, inside and outside."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..colour.difference import delta_E_2000
from ..colour.types import Array
from ..masks.view import Mask, Pixels
from .tone import ZONES, zone_of


@dataclass(frozen=True)
class PlaceReading:
    """One place. Shares are 0..1."""

    coverage: float
    """Of the picture, by weight."""
    zones: tuple[float, ...]
    """Share of what is in the place that lies in each zone, 0..X; all 0 where nothing is."""
    zones_before: tuple[float, ...]
    """The same of the whole picture."""
    inside_EV: float = 0.0
    """Mean change of shown luminance that it makes inside, by the mask's weight, and outside, by what that leaves."""
    outside_EV: float = 0.0
    inside_dE: float = 0.0
    """Mean ΔE00 that it makes inside, and outside."""
    outside_dE: float = 0.0
    most_dE: float = 0.0
    """The largest, but for one px in a thousand."""


def read_place(mask: Mask, EV: Array, with_it: Pixels, without: Pixels) -> PlaceReading:
    """mask: (height, width). EV: scene luminance from middle grey, exposure included. with_it, without: L*, a*, b* of
    the picture with all places, and with all but this one, (height, width, 3)."""
    zone = zone_of(EV)
    whole = _shares(zone, np.ones_like(mask))
    coverage = float(mask.mean())
    held = _shares(zone, mask)
    if with_it is without:
        return PlaceReading(coverage, held, whole)
    change = delta_E_2000(without, with_it)
    stops = np.log2(_luminance(with_it[..., 0]) / _luminance(without[..., 0]))

    def means(values: Array) -> tuple[float, float]:
        inside, outside = (float((weights * values).sum() / max(weights.sum(), 1e-9)) for weights in (mask, 1.0 - mask))
        return inside, outside

    most = float(np.quantile(change, 0.999))
    return PlaceReading(coverage, held, whole, *means(stops), *means(change), most)


def _shares(zone: NDArray[np.int64], weights: Array) -> tuple[float, ...]:
    counts = np.bincount(zone.ravel(), weights.ravel(), len(ZONES))
    return tuple(float(count) for count in counts / max(counts.sum(), 1e-9))


def _luminance(L: Array) -> Array:
    """Of L*, relative to white; not less than black paper has."""
    return np.maximum(((np.asarray(L, np.float64) + 16.0) / 116.0) ** 3, 1e-3)
