"""Noise and shapes that the scenes are made of, deterministic by seed."""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import ArrayLike

from .kernels.noise import fractal_noise
from .scene import Map

TILE = 512


@lru_cache(maxsize=16)
def _cell_tile(seed: int, cells: int) -> tuple[Map, Map]:
    """F2 - F1 (0 at borders between cells) and a random value per cell, both tiling (Worley 1996, with
    one point in each square of a grid)."""
    side = round(cells**0.5)
    random = np.random.default_rng(seed)
    jitter, value = random.random((side, side, 2)).astype(np.float32), random.random((side, side)).astype(np.float32)
    at = (np.arange(TILE, dtype=np.float32) * side / TILE).astype(np.float32)
    square = at.astype(np.int64)
    y, x = at[:, None], at[None, :]
    nearest, second = np.full((TILE, TILE), 9.0, np.float32), np.full((TILE, TILE), 9.0, np.float32)
    found = np.zeros((TILE, TILE), np.float32)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            rows, columns = (square + dy)[:, None], (square + dx)[None, :]
            point = jitter[rows % side, columns % side]
            distance = np.hypot(columns + point[..., 0] - x, rows + point[..., 1] - y).astype(np.float32)
            second = np.minimum(second, np.maximum(nearest, distance))
            found = np.where(distance < nearest, value[rows % side, columns % side], found)
            nearest = np.minimum(nearest, distance)
    return second - nearest, found


def fbm(u: Map, v: Map, *, seed: int, octaves: int = 6, footprint: ArrayLike = 0.0, roughness: float = 0.5) -> Map:
    """Fractal noise about 0, mostly within -1..1; see `kernels.noise.fractal_noise`."""
    shape = np.broadcast(u, v).shape
    arrays = [np.ascontiguousarray(np.broadcast_to(np.asarray(a, np.float32), shape)) for a in (u, v, footprint)]
    return fractal_noise(*arrays, seed=seed, octaves=octaves, roughness=roughness)


def cells(u: Map, v: Map, *, seed: int, count: int = 256) -> tuple[Map, Map]:
    """Irregular cells of about unit size: distance to their borders, and a value per cell."""
    scale = TILE / np.sqrt(count)
    gap, value = _cell_tile(seed, count)
    at_u, at_v = (_wrapped(np.asarray(a * scale, np.float32)) for a in (u, v))
    borders = cv2.remap(gap, at_u, at_v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    return borders, cv2.remap(value, at_u, at_v, cv2.INTER_NEAREST, borderMode=cv2.BORDER_WRAP)


def _wrapped(a: Map) -> Map:
    return a - np.floor(a * np.float32(1 / TILE)) * np.float32(TILE)


def smoothstep(low: float, high: float, x: ArrayLike) -> Map:
    """0 below `low`, 1 above `high`, smooth between; `high` may lie below `low`."""
    # in place: these maps are large, and fresh memory costs more than the arithmetic
    t = np.subtract(x, low, dtype=np.float32)
    t = np.multiply(t, np.float32(1.0 / (high - low)), out=t if t.ndim else None)
    t = np.clip(t, 0.0, 1.0, out=t if t.ndim else None)
    bend = np.multiply(t, np.float32(-2.0))
    bend += np.float32(3.0)
    bend *= t
    bend *= t
    return np.asarray(bend)


def polygon(size: tuple[int, int], points: ArrayLike) -> Map:
    """Anti-aliased coverage of a polygon given in px."""
    mask = np.zeros((size[1], size[0]), np.uint8)
    fixed = np.round(np.asarray(points, np.float64) * 16).astype(np.int32)
    cv2.fillPoly(mask, [fixed.reshape(-1, 1, 2)], 255, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / 255.0


def grid(size: tuple[int, int]) -> tuple[Map, Map]:
    """x and y of pixel centres in units of the width, origin at the upper left."""
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return (x + 0.5) / width, (y + 0.5) / width
