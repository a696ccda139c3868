"""Clothes that hang: a shell over the body whose threads keep their length while the body sits down.

Positions are moved until every constraint holds (position-based dynamics; Müller and others 2007),
without speeds: the cloth rests at each step.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_matrix
from scipy.spatial import cKDTree

from matiz_simcam.quads import edges_of

from .source import Array, Numbers

STEPS = 48
SETTLE = 30
ROUNDS = 40
CLEAR_M = 0.007
"""Distance kept from the skin."""
SAG_M = 0.0005
"""How far cloth falls in a step before its threads hold it."""


@dataclass(frozen=True)
class _Threads:
    """Pairs that keep their distance: (m,), (m,), lengths (m,), and how firmly (m,)."""

    a: Numbers
    b: Numbers
    length: Array
    firm: Array
    spread: csr_matrix

    @staticmethod
    def of(quads: Numbers, rest: Array, room: Array) -> "_Threads":
        edges, count, which = edges_of(quads)
        across = np.concatenate([quads[:, [0, 2]], quads[:, [1, 3]]])
        # sides of quads on either hand of an inner edge: bending is felt over two quads
        bends = []
        owner: dict[int, list[tuple[int, int]]] = {}
        for face, row in enumerate(which):
            for side, edge in enumerate(row):
                owner.setdefault(int(edge), []).append((face, side))
        for edge, users in owner.items():
            if count[edge] == 2:
                (f, i), (g, j) = users
                a, b = edges[edge]
                for v in (a, b):
                    far_f = quads[f, (i - 1) % 4] if quads[f, i] == v else quads[f, (i + 2) % 4]
                    far_g = quads[g, (j - 1) % 4] if quads[g, j] == v else quads[g, (j + 2) % 4]
                    bends.append((far_f, far_g))
        bent = np.unique(np.sort(np.array(bends), axis=1), axis=0)
        pairs = np.concatenate([edges, across, bent])
        firm = np.concatenate([np.full(len(edges), 1.0), np.full(len(across), 0.45), np.full(len(bent), 0.03)])
        a, b = pairs[:, 0], pairs[:, 1]
        length = np.linalg.norm(rest[a] - rest[b], axis=1) * 0.5 * (room[a] + room[b])
        rows = np.arange(len(pairs))
        spread = csr_matrix(
            (np.concatenate([firm, -firm]), (np.concatenate([a, b]), np.concatenate([rows, rows]))),
            (len(rest), len(pairs)),
        )
        weight = np.asarray(abs(spread).sum(axis=1)).ravel()
        scaled = csr_matrix((1.5 / np.maximum(weight, 1e-9), (np.arange(len(rest)),) * 2)) @ spread
        return _Threads(a, b, length, firm, scaled)

    def hold(self, x: Array, free: Array) -> None:
        span = x[self.b] - x[self.a]
        now = np.linalg.norm(span, axis=1)
        error = 0.5 * (now - self.length) / np.maximum(now, 1e-9)
        x += free[:, None] * (self.spread @ (span * error[:, None]))


def hung(
    shell: Array,
    quads: Numbers,
    room: Array,
    held: Array,
    shell_at: Callable[[float], Array],
    body_at: Callable[[float], tuple[Array, Array]],
) -> Array:
    """(n, 3) a garment on a body that has sat down.

    shell: the garment on the body as it was modelled. room: how much longer its threads are than the
    shell. held: 0..1 how firmly a vertex stays where the body takes it. shell_at, body_at: the shell,
    and the body's vertices with their normals, when the body is on its way, 0..1.
    """
    threads = _Threads.of(quads, shell, room)
    free = 1.0 - held
    before = shell_at(0.0)
    x = before.copy()
    for step in range(1, STEPS + SETTLE + 1):
        part = min(step / STEPS, 1.0)
        carried = shell_at(part) if step <= STEPS else before
        x += carried - before
        before = carried
        x[:, 1] -= SAG_M * free
        body, outward = body_at(part)
        tree = cKDTree(body)
        for turn in range(ROUNDS):
            threads.hold(x, free)
            x += held[:, None] * 0.5 * (carried - x)
            if turn % 6 == 5:
                _keep_out(x, tree, outward)
        _keep_out(x, tree, outward)
    return x


def _keep_out(x: Array, tree: cKDTree, outward: Array) -> None:
    """Push what has come under the skin back over it."""
    _, near = tree.query(x, k=3)
    inside = np.zeros(len(x))
    push = np.zeros_like(x)
    for column in range(3):
        n = outward[near[:, column]]
        height = ((x - tree.data[near[:, column]]) * n).sum(axis=1)
        push += np.maximum(CLEAR_M - height, 0.0)[:, None] * n / 3.0
        inside += height < CLEAR_M
    x += np.where(inside[:, None] > 0, push, 0.0)


def bordered(x: Array, quads: Numbers, edge: Numbers, normals: Array, thick_m: float) -> tuple[Array, Numbers]:
    """A garment whose border (edges `edge`) is turned in, so that it is seen to have thickness."""
    used, renumbered = np.unique(edge, return_inverse=True)
    rim = renumbered.reshape(edge.shape) + len(x)
    turned = x[used] - normals[used] * thick_m
    more = np.stack([edge[:, 1], edge[:, 0], rim[:, 0], rim[:, 1]], axis=1)
    return np.concatenate([x, turned]), np.concatenate([quads, more])
