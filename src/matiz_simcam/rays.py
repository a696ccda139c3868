"""Rays in a world of meshes: what the camera sees first, and how much of a lamp or of the room a point sees.

Intersections are those of Embree, by the package `embreex`.
"""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from .meshes import Mesh
from .scene import Box, Map
from .shading import enlarged
from .vectors import Floats, dot, moved, scaled, unit
from .view import SceneView

Wanted = NDArray[np.bool_] | None
NONE = -1
ROWS = 64
LIFT_M = 0.0015
"""How far rays start off a surface, so that it does not shade itself."""
SUB = ((-0.25, -0.38), (0.38, -0.25), (-0.38, 0.25), (0.25, 0.38))
"""Places within a pixel at which edges are looked at again, from its middle."""


@dataclass(frozen=True)
class Hits:
    """What the pixels of a part of the picture see; maps are (height, width)."""

    box: Box
    mesh: NDArray[np.int32]
    """Number of the mesh that is nearest, `NONE` for nothing."""
    face: NDArray[np.int32]
    u: Map
    v: Map
    depth: Map
    """Along the camera's axis, m."""
    edge: NDArray[np.int64]
    """Flat numbers of pixels in which more than one thing is seen, (n,)."""
    beside: NDArray[np.int32]
    """(n, 4) meshes that the other places within these pixels see."""


class World:
    """Meshes among which rays are traced. Meshes of `unseen` cast shadows but are drawn by other means."""

    def __init__(self, meshes: list[Mesh], unseen: list[Mesh] | None = None) -> None:
        self.meshes = meshes
        self._all = [*meshes, *(unseen or [])]

    @property
    def holds_any(self) -> bool:
        return bool(self._all)

    @cached_property
    def _scene(self) -> rtcore_scene.EmbreeScene:
        scene = rtcore_scene.EmbreeScene()
        for mesh in self._all:
            TriangleMesh(scene, np.ascontiguousarray(mesh.vertices, np.float32), np.ascontiguousarray(mesh.faces))
        return scene

    def hits(self, view: SceneView, box: Box) -> Hits:
        """What the camera sees first; edges are looked at more closely."""
        height, width = (s.stop - s.start for s in box)
        found = {name: np.zeros((height, width), np.float32) for name in ("u", "v", "tfar")}
        mesh = np.full((height, width), NONE, np.int32)
        face = np.zeros((height, width), np.int32)
        if not self.holds_any:
            return Hits(box, mesh, face, found["u"], found["v"], found["tfar"], np.zeros(0, np.int64),
                        np.zeros((0, 4), np.int32))  # fmt: skip
        for top in range(0, height, ROWS):
            rows = slice(top, min(height, top + ROWS))
            directions, _ = view.rays((slice(box[0].start + top, box[0].start + rows.stop), box[1]))
            seen = self._first(view, directions.reshape(-1, 3))
            shape = directions.shape[:2]
            mesh[rows], face[rows] = seen["geomID"].reshape(shape), seen["primID"].reshape(shape)
            for name, values in found.items():
                values[rows] = seen[name].reshape(shape)
        mesh[mesh >= len(self.meshes)] = NONE
        low = cv2.erode(mesh.astype(np.float32), np.ones((3, 3), np.uint8))
        high = cv2.dilate(mesh.astype(np.float32), np.ones((3, 3), np.uint8))
        edge = np.flatnonzero(low != high)
        beside = np.empty((len(edge), len(SUB)), np.int32)
        first, across, down = view.ray_table(box)[1:]
        y, x = np.divmod(edge, width)
        for n, (dx, dy) in enumerate(SUB):
            directions = first + (x + dx)[:, None] * across + (y + dy)[:, None] * down
            beside[:, n] = self._first(view, directions.astype(np.float32))["geomID"]
        beside[beside >= len(self.meshes)] = NONE
        return Hits(box, mesh, face, found["u"], found["v"], found["tfar"], edge, beside)

    def _first(self, view: SceneView, directions: Floats) -> dict[str, NDArray]:  # type: ignore[type-arg]
        if len(directions) == 0:
            return {"geomID": np.zeros(0, np.int32)}
        origin = np.broadcast_to(np.asarray(view.position, np.float32), directions.shape)
        return dict(self._scene.run(np.ascontiguousarray(origin), directions, query="INTERSECT", output=True))

    def _free(self, origins: Floats, directions: Floats, far: Floats | None) -> NDArray[np.bool_]:
        """Which rays meet nothing within their length."""
        more = {} if far is None else {"dists": far}
        return np.asarray(self._scene.run(origins, directions, query="OCCLUDED", **more) != 0)

    def of_lamp(
        self, points: Map, normals: Map, lamp: Floats, *, samples: int = 3, every_side: bool = False,
        wanted: Wanted = None,
    ) -> Map:  # fmt: skip
        """Share of a round lamp (x, y, z, radius) that points (height, width, 3) see, (height, width).

        Neighbours look at different places of the lamp: they want averaging.
        """
        if not self.holds_any:
            return np.ones(points.shape[:2], np.float32)
        radius = float(lamp[3])
        starts = (points + normals * np.float32(LIFT_M)).reshape(-1, 3)
        span = moved(-starts, lamp[:3])
        facing = dot(span, normals.reshape(-1, 3)) > -radius
        lit = np.flatnonzero((facing | every_side) if wanted is None else (facing | every_side) & wanted.ravel())
        total = np.zeros(len(starts), np.float32)
        if lit.size:
            starts, span = starts[lit], span[lit]
            toward = unit(span)
            one = unit(np.cross(toward, np.array([0.31, 0.9, 0.17], np.float32)))
            two = np.cross(toward, one)
            turn = _dither(points.shape[:2]).reshape(-1)[lit]
            # a second number that goes with the first as little as can be
            out = np.mod(turn * np.float32(37.0), np.float32(1.0))
            for k in range(samples):
                r = radius * np.sqrt((k + out) / np.float32(samples))
                a = np.float32(2.0 * np.pi) * (turn + np.float32(k * 0.381966))
                ray = span + scaled(one, r * np.cos(a)) + scaled(two, r * np.sin(a))
                # a ray is as long as its direction; the lamp's own body stays out
                total[lit] += self._free(starts, ray, np.full(len(lit), 0.999, np.float32))
        return (total / samples).reshape(points.shape[:2])

    def openness(
        self, points: Map, normals: Map, *, samples: int = 3, reach_m: float = 0.9, wanted: Wanted = None
    ) -> Map:
        """Share of the half-space over a surface that is free within `reach_m`, weighted by its slant, 0..1."""
        if not self.holds_any:
            return np.ones(points.shape[:2], np.float32)
        shape = points.shape[:2]
        chosen = np.arange(shape[0] * shape[1]) if wanted is None else np.flatnonzero(wanted)
        if chosen.size == 0:
            return np.ones(shape, np.float32)
        n = normals.reshape(-1, 3)[chosen]
        starts = points.reshape(-1, 3)[chosen] + n * np.float32(2.0 * LIFT_M)
        turn = _dither(shape).reshape(-1)[chosen]
        total = np.zeros(len(starts), np.float32)
        far = np.full(len(starts), reach_m, np.float32)
        for k in range(samples):
            z = 1.0 - 2.0 * (k + 0.5) / samples
            a = 2.0 * np.pi * (turn + k * 0.381966)
            flat = np.sqrt(1.0 - z * z)
            ball = np.stack([flat * np.cos(a), np.full_like(a, z), flat * np.sin(a)], axis=1).astype(np.float32)
            # a point of the unit ball on top of the normal: directions weighted by their slant (Lambert)
            total += self._free(starts, unit(n + 0.98 * ball), far)
        share = np.ones(shape, np.float32)
        share.ravel()[chosen] = total / samples
        return _averaged(share[None], points)[0]


def lamp_shares(
    world: World, points: Map, normals: Map, lamps: Floats, *, step: int, every_side: bool = False,
    wanted: Wanted = None,
) -> Floats:  # fmt: skip
    """(n, rows, columns) shares of lamps that every `step`-th point sees; lamps behind the surface too, when asked.

    wanted: (height, width) points that matter; rays are spared elsewhere.
    """
    few, facing = (np.ascontiguousarray(m[::step, ::step]) for m in (points, normals))
    here = _thinned(wanted, step)
    seen = np.stack([
        world.of_lamp(few, facing, lamp, samples=1 if lamp[3] < 0.3 else 2, every_side=every_side, wanted=here)
        for lamp in lamps
    ])  # fmt: skip
    return _averaged(seen, few) if world.holds_any else seen


def open_share(world: World, points: Map, normals: Map, *, step: int, wanted: Wanted = None) -> Map:
    """`World.openness` at every `step`-th point, spread over all."""
    few, facing = (np.ascontiguousarray(m[::step, ::step]) for m in (points, normals))
    return enlarged(world.openness(few, facing, wanted=_thinned(wanted, step)), points.shape, step)


def _thinned(wanted: Wanted, step: int) -> Wanted:
    """Every `step`-th point that is wanted or has one beside it that is."""
    if wanted is None:
        return None
    near = cv2.dilate(wanted.astype(np.uint8), np.ones((2 * step + 1, 2 * step + 1), np.uint8))
    return np.asarray(near[::step, ::step] > 0)


def _dither(shape: tuple[int, ...]) -> Floats:
    """0..1, as unlike its neighbours as can be (interleaved gradient noise; Jimenez 2014)."""
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    return np.asarray(np.mod(52.9829189 * np.mod(0.06711056 * x + 0.00583715 * y, 1.0), 1.0), np.float32)


def _averaged(shares: Floats, points: Map) -> Floats:
    """Means of shares (n, height, width) over 5x5 neighbours that lie on the same surface."""
    if min(points.shape[:2]) < 3:
        return shares
    out, weight = shares.copy(), np.ones(points.shape[:2], np.float32)
    beside = points[:, 1:] - points[:, :-1]
    near = 6.0 * float(np.sqrt(np.median(dot(beside, beside)))) + 1.5e-3
    padded = np.pad(shares, ((0, 0), (2, 2), (2, 2)), mode="edge")
    places = np.pad(points, ((2, 2), (2, 2), (0, 0)), mode="edge")
    h, w = points.shape[:2]
    for dy, dx in ((dy, dx) for dy in range(-2, 3) for dx in range(-2, 3) if dy or dx):
        part = (slice(2 + dy, 2 + dy + h), slice(2 + dx, 2 + dx + w))
        span = places[part] - points
        alike = np.maximum(1.0 - dot(span, span) * np.float32(1.0 / near**2), np.float32(0.0))
        out += alike * padded[:, part[0], part[1]]
        weight += alike
    return np.asarray(out / weight, np.float32)
