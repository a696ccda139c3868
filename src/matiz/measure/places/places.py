"""What each place holds and what it changes: its share of the picture and of each zone, inside and outside."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.difference import delta_E_2000
from ...colour.types import Array
from ...masks.parts import GREY_ZONE
from ...masks.view import Mask, Pixels
from ..tone.tone import ZONES, zone_of


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
    """The largest anywhere: a place can be as small as a gleam in an eye."""
    blown: float = 0.0
    """Share of the picture that becomes white by it, and the zone from which on it does."""
    blown_zone: float = 10.0
    crushed: float = 0.0
    """Share of the picture that becomes black by it, and the zone up to which it does."""
    crushed_zone: float = 0.0
    chroma_kept: float = 1.0
    """Of the chroma C*ab inside, how much is left."""
    hard_edge: tuple[float, float, float, float] | None = None
    """Left, top, width and height, shares of the picture's, of where its edge is seen in a smooth area."""
    hard_dL: float = 0.0
    """How far lightness steps there."""
    hard_feather: float = 0.0
    """Of the long side: how wide that step must be spread so that it is seen no more."""


STEP = 2
"""Px from one that counts for means and edges to the next."""
WHITE_L, BLACK_L, LEAST_LOSS = 99.0, 2.0, 1.5
"""L* from which on all is white, and black; and how far off it must have been before."""
SMOOTH_dL, STEP_dL = 1.2, 3.0
"""Of lightness from one px to the next but one: what is smooth, and what is seen as a step there. By eye, no source."""
NEAR_PX = 7
FEATHERED = 1.8
"""Times the width over which a straight rise of the step would just be seen."""
LEAST_EDGE = 0.02
"""Of the long side: a shorter edge is a speck."""


def read_place(mask: Mask, EV: Array, with_it: Pixels, without: Pixels) -> PlaceReading:
    """mask: (height, width). EV: scene luminance from middle grey, exposure included. with_it, without: L*, a*, b* of
    the picture with all places, and with all but this one, (height, width, 3)."""
    zone = zone_of(EV)
    whole = _shares(zone, np.ones_like(mask))
    coverage = float(mask.mean())
    held = _shares(zone, mask)
    if with_it is without:
        return PlaceReading(coverage, held, whole)
    # where it changes most tells whether it is seen at all; for means a px in so many will do
    furthest = np.unravel_index(int(np.argmax(((with_it - without) ** 2).sum(axis=2))), mask.shape)
    most_dE = float(delta_E_2000(without[furthest], with_it[furthest]))
    mask, EV, with_it, without = (each[::STEP, ::STEP] for each in (mask, EV, with_it, without))
    change = delta_E_2000(without, with_it)
    stops = np.log2(_luminance(with_it[..., 0]) / _luminance(without[..., 0]))

    def means(values: Array) -> tuple[float, float]:
        inside, outside = (float((weights * values).sum() / max(weights.sum(), 1e-9)) for weights in (mask, 1.0 - mask))
        return inside, outside

    (before, after), own_EV = (each[..., 0] for each in (without, with_it)), np.asarray(EV)
    blown = (after > WHITE_L) & (before < WHITE_L - LEAST_LOSS)
    crushed = (after < BLACK_L) & (before > BLACK_L + LEAST_LOSS)
    ends = (
        float(np.quantile(own_EV[blown], 0.002)) + GREY_ZONE if blown.any() else 10.0,
        float(np.quantile(own_EV[crushed], 0.998)) + GREY_ZONE if crushed.any() else 0.0,
    )
    chroma = [float((mask * np.hypot(each[..., 1], each[..., 2])).sum()) for each in (without, with_it)]
    box, step, feather = _hard_edge(before, after)
    return PlaceReading(
        coverage, held, whole, *means(stops), *means(change), most_dE,
        float(blown.mean()), ends[0], float(crushed.mean()), ends[1],
        chroma[1] / chroma[0] if chroma[0] > 0.0 else 1.0, box, step, feather,
    )  # fmt: skip


def _hard_edge(before: Array, after: Array) -> tuple[tuple[float, float, float, float] | None, float, float]:
    """Where what is changed steps while the picture itself is smooth: a box, shares of width and height, the step and
    over which share of the long side it would be seen no more."""
    step, own = _steps(after - before), _steps(before)
    # an edge of the picture beside it hides it
    own = cv2.dilate(own.astype(np.float32), np.ones((NEAR_PX, NEAR_PX), np.uint8))
    seen = (step > STEP_dL) & (own < SMOOTH_dL)
    rows, columns = np.nonzero(seen)
    if len(rows) < LEAST_EDGE * max(before.shape):
        return None, 0.0, 0.0
    height, width = before.shape
    # the middle nine tenths, so that a speck far off does not stretch it
    (left, right), (top, bottom) = (np.quantile(each, (0.05, 0.95)) for each in (columns, rows))
    box = left / width, top / height, (right - left + 1) / width, (bottom - top + 1) / height
    most = float(np.quantile(step[seen], 0.95))
    feather = FEATHERED * 2.0 * most / STEP_dL / max(before.shape)
    return tuple(float(v) for v in box), float(np.median(step[seen])), feather  # type: ignore[return-value]


def _steps(values: Array) -> Array:
    """How far values change over two px, the more of across and down; 0 at the border."""
    out = np.zeros_like(values)
    across, down = np.abs(values[:, 2:] - values[:, :-2]), np.abs(values[2:] - values[:-2])
    out[1:-1, 1:-1] = np.maximum(across[1:-1], down[:, 1:-1])
    return out


def _shares(zone: NDArray[np.int64], weights: Array) -> tuple[float, ...]:
    counts = np.bincount(zone.ravel(), weights.ravel(), len(ZONES))
    return tuple(float(count) for count in counts / max(counts.sum(), 1e-9))


def _luminance(L: Array) -> Array:
    """Of L*, relative to white; not less than black paper has."""
    return np.maximum(((np.asarray(L, np.float64) + 16.0) / 116.0) ** 3, 1e-3)
