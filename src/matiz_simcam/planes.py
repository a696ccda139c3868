"""Flat four-sided things in a scene: walls, tables, posts, panes, with soft exact edges."""

import numpy as np
from numpy.typing import ArrayLike

from matiz.colour.types import Array

from .scene import Box
from .solids import Surface
from .textures import polygon
from .vectors import moved, scaled
from .view import SceneView

NEAR_M = 0.08


def facet(view: SceneView, corners: ArrayLike) -> Surface | None:
    """The surface of a flat quadrilateral, (4, 3) corners in order; `along` is 0. None when out of sight.

    Its normal faces the camera.
    """
    given = np.asarray(corners, np.float64)
    points = _in_front(view, given)
    if len(points) < 3:
        return None
    placed = view.place(points)[:, :2]
    box = _pixels(view, placed)
    if box is None:
        return None
    rows, columns = box
    size = (columns.stop - columns.start, rows.stop - rows.start)
    at_px = placed * view.size[0] - (columns.start + 0.5, rows.start + 0.5)
    # grown by half a pixel, so that nothing shows through between two faces that meet
    outward = at_px - at_px.mean(axis=0)
    outward /= np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-6)
    cover = polygon(size, at_px + 0.7 * outward)
    normal = np.cross(given[1] - given[0], given[3] - given[0])
    normal /= np.linalg.norm(normal)
    eye = np.asarray(view.position)
    if normal @ (eye - given[0]) < 0:
        normal = -normal
    rays, _ = view.rays(box)
    slope = rays @ normal.astype(np.float32)
    slope = np.where(np.abs(slope) < 1e-5, np.float32(-1e-5), slope)
    depth = np.clip(float(normal @ (given[0] - eye)) / slope, 0.0, 1e4).astype(np.float32)
    hit = moved(scaled(rays, depth), eye)
    normals = np.broadcast_to(normal.astype(np.float32), hit.shape)
    zero = np.zeros(depth.shape, np.float32)
    return Surface(box, cover, depth, hit, np.ascontiguousarray(normals), zero.astype(np.int32), zero)


def _beam(low: ArrayLike, high: ArrayLike) -> list[Array]:
    """The six faces of an upright box between two corners, each (4, 3)."""
    a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
    faces: list[Array] = []
    for axis in range(3):
        one, two = [i for i in range(3) if i != axis]
        for end in (a, b):
            face = []
            for first, second in ((a, a), (b, a), (b, b), (a, b)):
                corner = np.empty(3)
                corner[axis], corner[one], corner[two] = end[axis], first[one], second[two]
                face.append(corner)
            faces.append(np.array(face))
    return faces


def beam_surfaces(view: SceneView, low: ArrayLike, high: ArrayLike) -> list[Surface]:
    """The faces of an upright box that the camera sees, the far ones first."""
    eye = np.asarray(view.position)
    a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
    seen = []
    for n, face in enumerate(_beam(low, high)):
        axis, far_end = divmod(n, 2)
        if (eye[axis] > b[axis]) if far_end else (eye[axis] < a[axis]):
            surface = facet(view, face)
            if surface is not None:
                seen.append((float(np.linalg.norm(face.mean(axis=0) - eye)), surface))
    return [surface for _, surface in sorted(seen, key=lambda pair: -pair[0])]


def _in_front(view: SceneView, corners: Array) -> Array:
    """The part of a polygon before the camera (Sutherland and Hodgman 1974, one plane)."""
    depth = (corners - view.position) @ view.axes[2]
    out = []
    for n in range(len(corners)):
        a, b, da, db = corners[n - 1], corners[n], depth[n - 1], depth[n]
        if (da > NEAR_M) != (db > NEAR_M):
            out.append(a + (b - a) * (NEAR_M - da) / (db - da))
        if db > NEAR_M:
            out.append(b)
    return np.array(out)


def _pixels(view: SceneView, placed: Array) -> Box | None:
    width, height = view.size
    low, high = placed.min(axis=0) * width, placed.max(axis=0) * width
    left, right = max(0, int(np.floor(low[0])) - 1), min(width, int(np.ceil(high[0])) + 1)
    top, bottom = max(0, int(np.floor(low[1])) - 1), min(height, int(np.ceil(high[1])) + 1)
    return (slice(top, bottom), slice(left, right)) if right - left > 1 and bottom - top > 1 else None
