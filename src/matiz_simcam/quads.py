"""Meshes of quads: parts, borders, normals, and a smoother mesh of the same form."""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix, vstack

Array = NDArray[np.float64]
Numbers = NDArray[np.int64]


def part(quads: Numbers) -> tuple[Numbers, Numbers]:
    """The vertices that some quads use, (n,), and the quads numbered among them."""
    used, renumbered = np.unique(quads, return_inverse=True)
    return used, renumbered.reshape(quads.shape)


def edges_of(quads: Numbers) -> tuple[Numbers, Numbers, Numbers]:
    """Edges (m, 2), how many quads meet at each (m,), and which edge each side of each quad is, (n, 4)."""
    sides = np.stack([quads, np.roll(quads, -1, axis=1)], axis=2).reshape(-1, 2)
    edges, which, count = np.unique(np.sort(sides, axis=1), axis=0, return_inverse=True, return_counts=True)
    return edges, count, which.reshape(quads.shape)


def border(quads: Numbers) -> Numbers:
    """Edges (m, 2) of the border, each in the direction in which its quad goes round."""
    _, count, which = edges_of(quads)
    face, side = np.nonzero(count[which] == 1)
    return np.stack([quads[face, side], quads[face, (side + 1) % 4]], axis=1)


def smoother(quads: Numbers, n: int) -> tuple[csr_matrix, Numbers]:
    """One step of Catmull and Clark (1978): what makes the new vertices of the n old ones, and the new quads."""
    edges, count, which = edges_of(quads)
    f, e = len(quads), len(edges)
    face = csr_matrix((np.full(4 * f, 0.25), (np.repeat(np.arange(f), 4), quads.ravel())), (f, n))
    middle = csr_matrix((np.full(2 * e, 0.5), (np.repeat(np.arange(e), 2), edges.ravel())), (e, n))
    beside = csr_matrix((np.ones(4 * f), (which.ravel(), np.repeat(np.arange(f), 4))), (e, f))
    inner = (count == 2).astype(np.float64)
    keep = csr_matrix((1.0 - 0.5 * inner, (np.arange(e), np.arange(e))), (e, e))
    half = csr_matrix((0.25 * inner, (np.arange(e), np.arange(e))), (e, e))
    edge = keep @ middle + half @ beside @ face
    # old vertices: (F + 2 R + (k - 3) P) / k inside, (1, 6, 1) / 8 along the border
    of_face = csr_matrix((np.ones(4 * f), (quads.ravel(), np.repeat(np.arange(f), 4))), (n, f))
    of_edge = csr_matrix((np.ones(2 * e), (edges.ravel(), np.repeat(np.arange(e), 2))), (n, e))
    k = np.maximum(np.asarray(of_edge.sum(axis=1)).ravel(), 1.0)
    on_border = np.zeros(n, bool)
    on_border[edges[count == 1].ravel()] = True

    def rows(values: Array) -> csr_matrix:
        return csr_matrix((values, (np.arange(n), np.arange(n))), (n, n))

    free = np.where(on_border, 0.0, 1.0)
    faces = np.maximum(np.asarray(of_face.sum(axis=1)).ravel(), 1.0)
    old = rows(free / (k * faces)) @ of_face @ face + rows(2.0 * free / k**2) @ of_edge @ middle
    old = old + rows(np.where(on_border, 0.5, free * (k - 3.0) / k))
    rim = csr_matrix(((count == 1).astype(np.float64), (np.arange(e), np.arange(e))), (e, e))
    old = old + rows(0.25 * (1.0 - free)) @ of_edge @ rim @ middle
    corner = np.stack([quads, n + which, np.repeat(n + e + np.arange(f)[:, None], 4, axis=1),
                       n + np.roll(which, 1, axis=1)], axis=2)  # fmt: skip
    return vstack([old, edge, face]).tocsr(), corner.reshape(-1, 4)


def normals_of(vertices: Array, quads: Numbers) -> Array:
    """(n, 3) unit normals, outward where quads go round against the clock."""
    out = np.zeros_like(vertices)
    across = np.cross(vertices[quads[:, 2]] - vertices[quads[:, 0]], vertices[quads[:, 3]] - vertices[quads[:, 1]])
    for corner in range(4):
        np.add.at(out, quads[:, corner], across)
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12))


def triangles(quads: Numbers) -> Numbers:
    return np.concatenate([quads[:, :3], quads[:, [0, 2, 3]]])
