"""Things made of triangles: turned on a lathe, cut as boxes, grown as ribbons of hair."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .quads import Numbers, triangles

Floats = NDArray[np.float32]


@dataclass
class Mesh:
    """One thing of one kind of stuff."""

    stuff: str
    vertices: Floats
    """(n, 3), m."""
    faces: NDArray[np.int32]
    """(m, 3)."""
    normals: Floats
    """(n, 3); for hair the direction of its strands."""
    own: Floats
    """(n, 3) places in the thing's own directions, m, which stay when it moves: patterns are drawn there."""
    values: dict[str, Floats] = field(default_factory=dict)
    """(n,) each: what the stuff is like there."""
    owner: str = ""
    """Whose it is: "guest 3", "tableware"."""
    seed: int = 0

    @property
    def table(self) -> Floats:
        """(n, 6 + values) normals, places of their own, and the values, side by side."""
        return np.concatenate([self.normals, self.own, *(v[:, None] for v in self.values.values())], axis=1)


def turned(
    stuff: str, profile: ArrayLike, *, steps: int = 48, squash: float = 1.0, owner: str = "", seed: int = 0
) -> Mesh:
    """A profile (n, 2) of radius and height, from the bottom up or round, turned about the upright axis."""
    radius, height = np.asarray(profile, np.float64).T
    angle = np.linspace(0.0, 2.0 * np.pi, steps, endpoint=False)
    ring = np.stack([np.cos(angle), np.zeros(steps), np.sin(angle)], axis=1)
    places = radius[:, None, None] * ring + np.stack([0 * height, height, 0 * height], axis=1)[:, None, :]
    places[..., 2] *= squash
    across = np.gradient(np.stack([radius, height], axis=1), axis=0)
    outward = across[:, 1][:, None, None] * ring - across[:, 0][:, None, None] * np.array([0.0, 1.0, 0.0])
    n = np.arange(len(radius) * steps).reshape(-1, steps)
    right = np.roll(n, -1, axis=1)
    quads = np.stack([n[:-1], right[:-1], right[1:], n[1:]], axis=2).reshape(-1, 4)
    flat = places.reshape(-1, 3).astype(np.float32)
    return Mesh(stuff, flat, faces_of(quads), unit(outward.reshape(-1, 3)), flat, {}, owner, seed)


def ball(stuff: str, radius: float, *, steps: int = 20, squash: float = 1.0, owner: str = "", seed: int = 0) -> Mesh:
    """An upright ellipsoid of revolution about the origin; squash is its height over its width."""
    up = np.linspace(-np.pi / 2, np.pi / 2, steps)
    profile = np.stack([radius * np.cos(up) + 1e-5, radius * squash * np.sin(up)], axis=1)
    return turned(stuff, profile, steps=2 * steps, owner=owner, seed=seed)


def box(stuff: str, low: ArrayLike, high: ArrayLike, *, owner: str = "") -> Mesh:
    """An upright box between two corners."""
    a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
    corners = np.array([[x, y, z] for x in (a[0], b[0]) for y in (a[1], b[1]) for z in (a[2], b[2])])
    sides = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))
    vertices = np.concatenate([corners[list(side)] for side in sides])
    normals = np.repeat(np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]]), 4, axis=0)
    quads = np.arange(24).reshape(6, 4)
    flat = vertices.astype(np.float32)
    return Mesh(stuff, flat, faces_of(quads), normals.astype(np.float32), flat, {}, owner)


def ribbons(stuff: str, strands: Floats, middle: ArrayLike, width_m: float, random: np.random.Generator, *,
            copies: int = 1, spread_m: float = 0.002, owner: str = "", seed: int = 0) -> Mesh:  # fmt: skip
    """Strands (n, points, 3) as narrow bands that face away from `middle`; each is given `copies` times.

    Values: "tone" differs from strand to strand, "tip" runs from root (0) to tip (1).
    """
    lines = np.repeat(strands.astype(np.float32), copies, axis=0)
    n, points = lines.shape[:2]
    along = np.linspace(0.0, 1.0, points, dtype=np.float32)
    aside = random.normal(0.0, spread_m, (n, 1, 3)).astype(np.float32)
    aside[::copies] = 0.0
    lines = lines + aside * (0.4 + along[None, :, None])
    # a strand that stands still hangs down
    steps = np.gradient(lines, axis=1) - np.array([0.0, 1e-7, 0.0], np.float32)
    tangent = unit(steps.reshape(-1, 3)).reshape(lines.shape)
    out = unit((lines - np.asarray(middle, np.float32)).reshape(-1, 3)).reshape(lines.shape)
    out = unit((out + random.normal(0, 0.35, (n, 1, 3)).astype(np.float32)).reshape(-1, 3)).reshape(lines.shape)
    flat = unit(np.cross(tangent, out).reshape(-1, 3)).reshape(lines.shape)
    half = 0.5 * width_m * (1.0 - 0.8 * along**2)[None, :, None] * random.uniform(0.6, 1.3, (n, 1, 1))
    both = np.stack([lines - flat * half, lines + flat * half], axis=2).reshape(-1, 3).astype(np.float32)
    first = (np.arange(n)[:, None] * points + np.arange(points - 1)[None, :]).ravel() * 2
    quads = np.stack([first, first + 1, first + 3, first + 2], axis=1)
    tone = np.repeat(random.normal(0.0, 1.0, n), points * 2).astype(np.float32)
    tip = np.tile(np.repeat(along, 2), n)
    directions = np.repeat(tangent.reshape(-1, 3), 2, axis=0)
    return Mesh(stuff, both, faces_of(quads), directions, both, {"tone": tone, "tip": tip}, owner,
                seed)  # fmt: skip


def moved(mesh: Mesh, place: ArrayLike, *, turn_degrees: float = 0.0, tip_degrees: float = 0.0) -> Mesh:
    """A mesh turned about its upright axis, tipped over to the right, and put somewhere."""
    a, t = np.radians(turn_degrees), np.radians(tip_degrees)
    tip = np.array([[np.cos(t), np.sin(t), 0.0], [-np.sin(t), np.cos(t), 0.0], [0.0, 0.0, 1.0]])
    turn = np.array([[np.cos(a), 0.0, np.sin(a)], [0.0, 1.0, 0.0], [-np.sin(a), 0.0, np.cos(a)]])
    both = (turn @ tip).astype(np.float32)
    return Mesh(
        mesh.stuff, mesh.vertices @ both.T + np.asarray(place, np.float32), mesh.faces, mesh.normals @ both.T,
        mesh.own, mesh.values, mesh.owner, mesh.seed,
    )  # fmt: skip


def unit(vectors: ArrayLike) -> Floats:
    """Vectors (n, 3) made 1 long."""
    v = np.asarray(vectors, np.float32)
    return np.asarray(v / np.maximum(np.sqrt(np.einsum("...i,...i->...", v, v))[..., None], 1e-12), np.float32)


def faces_of(quads: Numbers) -> NDArray[np.int32]:
    return triangles(quads).astype(np.int32)
