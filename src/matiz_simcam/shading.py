"""Light on surfaces: bumps, lamps, the sky, and the shadows that rounded bodies cast."""

from collections.abc import Callable, Mapping
from typing import Any

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from .kernels.lighting import lamp_shadow, sky_shadow
from .kernels.noise import fractal_noise_in_space
from .scene import Map, Scene
from .solids import Surface
from .vectors import dot, moved, unit

FAR_M = 1.0e4
Spheres = NDArray[np.float32]


Shaded = tuple[Mapping[str, Any], Mapping[str, Any]]
"""Shares of materials, and irradiance by light: maps (height, width), or one number for all of it."""
Shader = Callable[[Surface], Shaded]

STRIP_ROWS = 96
STRIP_MARGIN = 12
"""Rows on either side that a shader may look at. Both are multiples of the steps at which soft
shadows are worked out, so that strips meet without a seam."""


def lay(scene: Scene, surface: Surface, shade: Shader, *, mask: str = "") -> None:
    """Shade a surface and put it into the scene, strip by strip: what the arithmetic needs meanwhile
    stays in the processor's cache, which halves its time."""
    height, width = surface.cover.shape
    for top in range(0, height, STRIP_ROWS):
        rows = min(STRIP_ROWS, height - top)
        used = np.flatnonzero(surface.cover[top : top + rows].any(axis=0))
        if used.size == 0:
            continue
        above, left = min(STRIP_MARGIN, top), max(0, (int(used[0]) - STRIP_MARGIN) // STRIP_MARGIN * STRIP_MARGIN)
        wide = slice(left, min(width, int(used[-1]) + 2 + STRIP_MARGIN))
        part = surface.part((slice(top - above, min(height, top + rows + STRIP_MARGIN)), wide))
        parts, light = shade(part)
        inner = slice(above, above + rows)
        box = (slice(part.box[0].start + above, part.box[0].start + above + rows), part.box[1])
        shape = part.cover.shape

        def cut(maps: Mapping[str, Any], shape: tuple[int, ...] = shape, inner: slice = inner) -> dict[str, Map]:
            return {name: np.broadcast_to(np.asarray(m, np.float32), shape)[inner] for name, m in maps.items()}

        scene.lay(box, part.cover[inner], part.depth[inner], cut(parts), cut(light), mask=mask)


def fbm3(points: Map, scale: ArrayLike, *, seed: int, octaves: int = 5, pixel_m: ArrayLike = 0.0,
         roughness: float = 0.5) -> Map:  # fmt: skip
    """Fractal noise about 0 of points (height, width, 3) times `scale` (one factor, or one per axis);
    pixel_m is how much of the scene a pixel covers."""
    factor = np.broadcast_to(np.asarray(scale, np.float32), (3,))
    shape = points.shape[:2]
    size = np.ascontiguousarray(np.broadcast_to(np.asarray(pixel_m, np.float32) * factor.max(), shape))
    scaled = np.ascontiguousarray(points * factor)
    return fractal_noise_in_space(scaled, size, seed=seed, octaves=octaves, roughness=roughness)


def from_sun(points: Map, normals: Map, toward: ArrayLike, spheres: Spheres | None, *, width: float = 0.005,
             wrap: float = 0.0) -> Map:  # fmt: skip
    """Irradiance from a far disc of half-width `width` in radians, 1 for a surface that faces it.
    wrap: how far light creeps round, for what is translucent or furry."""
    direction = np.asarray(toward, np.float64) / np.linalg.norm(toward)
    facing = _wrapped((normals @ direction.astype(np.float32)), wrap)
    return facing if spheres is None else facing * sun_shadow(points, toward, spheres, width=width)


def sun_shadow(points: Map, toward: ArrayLike, spheres: Spheres, *, width: float = 0.005) -> Map:
    """Share of a far disc that points see past the spheres."""
    direction = np.asarray(toward, np.float64) / np.linalg.norm(toward)
    return _shadow_of_lamp(points, spheres, direction * FAR_M, FAR_M * width)


def from_sky(points: Map, normals: Map, spheres: Spheres | None, *, up: float = 0.7) -> Map:
    """Light from all round, more from above: 1 on a surface that faces up, 1 - up on one that faces down."""
    openness = 1.0 - up * 0.5 * (1.0 - normals[..., 1])
    if spheres is None:
        return openness
    return openness * ambient(points, normals, spheres)


def ambient(points: Map, normals: Map, spheres: Spheres) -> Map:
    """Share of light from all round that the spheres leave, (height, width); at a quarter of the size."""
    few = [np.ascontiguousarray(m[::4, ::4]) for m in (points, normals)]
    if min(few[0].shape[:2]) < 2:
        return sky_shadow(np.ascontiguousarray(points), np.ascontiguousarray(normals), spheres)
    return enlarged(sky_shadow(few[0], few[1], spheres), points.shape, 4)


def shine(points: Map, normals: Map, eye: ArrayLike, toward: ArrayLike, hardness: float) -> Map:
    """Blinn's highlight, 1 in its middle; `toward` is a direction, or directions (height, width, 3)."""
    light = unit(np.broadcast_to(np.asarray(toward, np.float32), points.shape))
    half = unit(light + unit(moved(-points, eye)))
    return np.asarray(np.maximum(dot(half, normals), 0.0) ** hardness, np.float32)


def _shadow_of_lamp(points: Map, spheres: Spheres, place: ArrayLike, radius_m: float) -> Map:
    lamp = np.array([*np.asarray(place, np.float64), radius_m], np.float32)
    few = np.ascontiguousarray(points[::2, ::2])
    if min(few.shape[:2]) < 2:
        return lamp_shadow(np.ascontiguousarray(points), spheres, lamp)
    return enlarged(lamp_shadow(few, spheres, lamp), points.shape, 2)


def enlarged(small: Map, shape: tuple[int, ...], by: int) -> Map:
    """Samples of every `by`-th pixel, from the first on, spread over all again."""
    to = np.array([[1.0 / by, 0.0, 0.0], [0.0, 1.0 / by, 0.0]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(small, to, shape[1::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE))


def _wrapped(facing: Map, wrap: float) -> Map:
    return np.asarray(np.maximum((facing + wrap) / (1.0 + wrap), 0.0), np.float32)
