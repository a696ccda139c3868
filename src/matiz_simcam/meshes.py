"""Things made of triangles: turned on a lathe, or cut as boxes."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .quads import Numbers, triangles
from .vectors import Floats, unit


@dataclass
class Mesh:
    """One thing of one kind of stuff."""

    stuff: str
    vertices: Floats
    """(n, 3), m."""
    faces: NDArray[np.int32]
    """(m, 3)."""
    normals: Floats
    """(n, 3)."""
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


def faces_of(quads: Numbers) -> NDArray[np.int32]:
    return triangles(quads).astype(np.int32)
