"""What the camera sees of each owner's meshes: surfaces that a scene can shade and lay."""

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from .meshes import Mesh
from .rays import NONE, SUB, Hits, World
from .scene import Box, Map
from .solids import Surface
from .vectors import Floats, moved, scaled, unit
from .view import SceneView

MARGIN = 2


def owners(world: World, view: SceneView) -> list[str]:
    """Owners of the world's meshes, the nearest first."""
    near: dict[str, float] = {}
    for mesh in world.meshes:
        depth = float(np.median((mesh.vertices - np.asarray(view.position, np.float32)) @ view.axes[2]))
        near[mesh.owner] = min(near.get(mesh.owner, np.inf), depth)
    return sorted(near, key=lambda name: near[name])


def extent(meshes: list[Mesh], view: SceneView) -> Box | None:
    """The part of the picture that meshes may lie in."""
    width, height = view.size
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for mesh in meshes:
        placed = view.place(mesh.vertices[::3])
        placed = placed[placed[:, 2] > 0.05, :2] * width
        if len(placed):
            low, high = np.minimum(low, placed.min(axis=0)), np.maximum(high, placed.max(axis=0))
    if not np.isfinite(low).all():
        return None
    left, top = (max(0, int(v) - 8) for v in low)
    right, bottom = min(width, int(high[0]) + 8), min(height, int(high[1]) + 8)
    return (slice(top, bottom), slice(left, right)) if right - left > 8 and bottom - top > 8 else None


def surfaces(world: World, view: SceneView) -> list[tuple[str, Surface]]:
    """Of each owner what is seen, the nearest last.

    `Surface.body` numbers the meshes of the world. `Surface.more` holds "own x", "own y", "own z", every
    value of the meshes by its name, and "share STUFF", how much of the covered part of a pixel is of that stuff.
    """
    box = extent(world.meshes, view)
    if box is None:
        return []
    hits = world.hits(view, box)
    order = owners(world, view)
    # rank of each mesh's owner, nearest 0; what is nothing comes last
    rank = np.array([*(order.index(m.owner) for m in world.meshes), len(order)], np.int32)
    middle = rank[hits.mesh]
    beside = rank[hits.beside]
    places = ndimage.find_objects(middle + 1, max_label=len(order))
    out = []
    for k, name in enumerate(order):
        found = None if places[k] is None else _surface(world, view, hits, middle, beside, k, places[k])
        if found is not None:
            out.append((name, found))
    return out[::-1]


def _surface(
    world: World, view: SceneView, hits: Hits, middle: NDArray[np.int32], beside: NDArray[np.int32], k: int, place: Box
) -> Surface | None:
    """What is seen of the owner of rank k, whose pixels lie in `place`."""
    whole_height, whole_width = hits.mesh.shape
    part = (
        slice(max(0, place[0].start - MARGIN), min(whole_height, place[0].stop + MARGIN)),
        slice(max(0, place[1].start - MARGIN), min(whole_width, place[1].stop + MARGIN)),
    )
    if min(s.stop - s.start for s in part) < 4:
        return None
    own = middle[part] == k
    cover = own.astype(np.float32)
    # where several things meet: what is nearer covers this one later, so it goes on underneath
    y, x = np.divmod(hits.edge, whole_width)
    within = (y >= part[0].start) & (y < part[0].stop) & (x >= part[1].start) & (x < part[1].stop)
    at_edge = middle.ravel()[hits.edge]
    mine = within & ((beside == k).any(axis=1) | (at_edge == k))
    edge = hits.edge[mine]
    nearer = (beside[mine] <= k).sum(axis=1) + (at_edge[mine] <= k)
    cover[y[mine] - part[0].start, x[mine] - part[1].start] = nearer / np.float32(len(SUB) + 1)
    source = _sources(own, cover, part, whole_width)
    shape = source.shape
    chosen = np.flatnonzero(source >= 0)
    at = source.ravel()[chosen]
    mesh = np.full(shape, NONE, np.int32)
    mesh.ravel()[chosen] = hits.mesh.ravel()[at]
    maps = _interpolated(world.meshes, mesh, chosen, at, hits)
    depth = np.full(shape, np.inf, np.float32)
    depth.ravel()[chosen] = hits.depth.ravel()[at]
    whole = (
        slice(hits.box[0].start + part[0].start, hits.box[0].start + part[0].stop),
        slice(hits.box[1].start + part[1].start, hits.box[1].start + part[1].stop),
    )
    rays, _ = view.rays(whole)
    points = moved(scaled(rays, np.where(np.isfinite(depth), depth, np.float32(1.0))), view.position)
    normals = unit(np.stack([maps.pop(f"normal {n}") for n in range(3)], axis=2))
    body = np.maximum(mesh, 0)
    cover[source < 0] = 0.0
    more = maps | _shares(world, hits, mesh, edge, mine, part)
    return Surface(whole, cover, depth, points.astype(np.float32), normals, body, np.zeros(shape, np.float32), more)


def _sources(own: NDArray[np.bool_], cover: Map, part: Box, whole_width: int) -> NDArray[np.int64]:
    """Number, in the whole, of the pixel that each pixel of a part takes its place on the surface from, -1 for
    none: itself, or at the outline a neighbour."""
    rows, columns = (np.arange(s.start, s.stop) for s in part)
    out = np.where(own, rows[:, None] * whole_width + columns, -1)
    padded = np.pad(out, MARGIN, constant_values=-1)
    missing = (out < 0) & (cover > 0.0)
    y, x = np.nonzero(missing)
    for dy, dx in sorted(
        ((a, b) for a in (-2, -1, 0, 1, 2) for b in (-2, -1, 0, 1, 2)), key=lambda s: s[0] ** 2 + s[1] ** 2
    ):
        beside = padded[y + dy + MARGIN, x + dx + MARGIN]
        take = (out[y, x] < 0) & (beside >= 0)
        out[y[take], x[take]] = beside[take]
    return out


def _interpolated(
    meshes: list[Mesh], mesh: NDArray[np.int32], chosen: NDArray[np.int64], at: NDArray[np.int64], hits: Hits
) -> dict[str, Map]:
    """Normals, places of their own and values between the corners of the faces that are seen."""
    which = mesh.ravel()[chosen]
    present = [int(n) for n in np.unique(which)]
    names = sorted({name for n in present for name in meshes[n].values})
    columns = [*(f"normal {n}" for n in range(3)), *(f"own {a}" for a in "xyz"), *names]
    maps = {name: np.zeros(mesh.shape, np.float32) for name in columns}
    for n in present:
        here = np.flatnonzero(which == n)
        from_px, to_px = at[here], chosen[here]
        thing = meshes[n]
        corners = thing.faces[hits.face.ravel()[from_px]]
        u, v = hits.u.ravel()[from_px][:, None], hits.v.ravel()[from_px][:, None]
        table: Floats = thing.table
        mixed = table[corners[:, 0]] * (1.0 - u - v) + table[corners[:, 1]] * u + table[corners[:, 2]] * v
        kept = [*columns[:6], *thing.values]
        for column, name in enumerate(kept):
            maps[name].ravel()[to_px] = mixed[:, column]
    return maps


def _shares(
    world: World, hits: Hits, mesh: NDArray[np.int32], edge: NDArray[np.int64], mine: NDArray[np.bool_], part: Box
) -> dict[str, Map]:
    """How much of the covered part of each pixel is of each stuff."""
    stuffs = sorted({world.meshes[int(n)].stuff for n in np.unique(mesh) if n >= 0})
    number = np.array([*(stuffs.index(m.stuff) if m.stuff in stuffs else -1 for m in world.meshes), -1])
    y, x = np.divmod(edge, hits.mesh.shape[1])
    y, x = y - part[0].start, x - part[1].start
    held = np.where(mesh >= 0, number[mesh], -1)
    others = number[hits.beside[mine]]
    out = {}
    middle = held[y, x]
    same = np.isin(hits.beside[mine], np.unique(mesh[mesh >= 0]))
    total = same.sum(axis=1) + (middle >= 0)
    for n, stuff in enumerate(stuffs):
        share = (held == n).astype(np.float32)
        counted = ((others == n) & same).sum(axis=1) + (middle == n)
        share[y, x] = np.where(total > 0, counted / np.maximum(total, 1), share[y, x])
        out[f"share {stuff}"] = share
    return out
