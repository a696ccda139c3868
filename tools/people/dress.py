"""Shirts and trousers: cut on the body as it was modelled, hung on it as it sits."""

import numpy as np
from scipy.spatial import cKDTree

from matiz_simcam.quads import border, normals_of, part, smoother

from . import cloth
from .body import Body
from .guests import Guest
from .pose import Bones, Sitting, sit
from .source import BODY_VERTICES, Array, Numbers

SEAT_M = 0.45
LINING_M = 0.008


def drawn_in(shell: Array, quads: Numbers, body: Array, outward: Array, held: Array) -> Array:
    """A shell that spans hollows of the body, as cloth does, instead of following them."""
    tree = cKDTree(body)
    ends = np.concatenate([quads, np.roll(quads, -1, axis=1)]).ravel()
    others = np.concatenate([np.roll(quads, -1, axis=1), quads]).ravel()
    count = np.bincount(ends, minlength=len(shell))[:, None]
    x = shell.copy()
    for _ in range(40):
        total = np.zeros_like(x)
        np.add.at(total, ends, x[others])
        x += (1.0 - held[:, None]) * 0.5 * (total / np.maximum(count, 1) - x)
        _, near = tree.query(x)
        height = ((x - body[near]) * outward[near]).sum(axis=1)
        x += np.maximum(LINING_M - height, 0.0)[:, None] * outward[near]
    return x


class Dresser:
    """The clothes of one guest, cut on the body as it was modelled and hung on it as it sits."""

    def __init__(self, body: Body, guest: Guest) -> None:
        self.body, self.guest = body, guest
        tights = body.source.faces["helper-tights"]
        hips = body.joints["upperleg01.L"][0][1]
        v = body.vertices.copy()
        middle = v[tights].mean(axis=1)
        arm = body.arm[tights].mean(axis=1)
        shirt = tights[(middle[:, 1] > hips - 0.10) & (body.neckline(middle) < 0.0) & (arm < guest.sleeve)]
        self.used, quads = part(shirt)
        cut = v[self.used]
        edge = np.unique(border(quads))
        self._snap(cut, edge)
        more, self.quads = smoother(quads, len(self.used))
        self.weights = more @ body.weights[self.used]
        skin, outward = body.vertices[:BODY_VERTICES], normals_of(body.vertices[:BODY_VERTICES], body.quads)
        shell = more @ cut
        shell += normals_of(shell, self.quads) * LINING_M
        self.held = np.zeros(len(shell))
        self.held[np.unique(border(self.quads))] = 0.6
        self.held[(self.held > 0) & (shell[:, 1] < hips)] = 0.0
        self.arm = more @ np.maximum(body.arm[self.used], 0.0)
        self.shell = drawn_in(shell, self.quads, skin, outward, np.maximum(self.held, self.arm > 0.1))
        self.legs_used, self.legs = part(tights[middle[:, 1] < hips + 0.06])

    def _snap(self, cut: Array, edge: Numbers) -> None:
        """Bring the border's vertices onto the neckline and the ends of the sleeves."""
        above = self.body.neckline(cut)
        arm = self.body.arm[self.used]
        for n in edge:
            if abs(above[n]) < 0.03 and arm[n] < 0.0:
                cut[n, 1] -= above[n]
            elif abs(arm[n] - self.guest.sleeve) < 0.12:
                side = "L" if cut[n, 0] > 0.0 else "R"
                low = self.guest.sleeve > 0.5
                a, b = ("lowerarm01", "wrist") if low else ("upperarm01", "lowerarm01")
                span = self.body.joints[f"{b}.{side}"][0] - self.body.joints[f"{a}.{side}"][0]
                cut[n] += span * 2.0 * (self.guest.sleeve - arm[n])

    def hung(self, sitting: Sitting) -> tuple[Array, Numbers, Array]:
        """Shirt (n, 3) with its quads, and where its vertices were before the body sat down."""
        body, guest = self.body, self.guest

        def bones(p: float) -> Bones:
            return sit(body.source, body.vertices, sitting, SEAT_M, p)

        def shell_at(p: float) -> Array:
            return bones(p).moved(self.weights, self.shell, body.names)

        def body_at(p: float) -> tuple[Array, Array]:
            x = bones(p).moved(body.weights, body.vertices, body.names)[:BODY_VERTICES]
            return x, normals_of(x, body.quads)

        random = np.random.default_rng(7)
        room = guest.room + 0.07 * np.clip(self.arm / 0.3, 0.0, 1.0)
        rough = self.shell + random.normal(0, 0.0012, self.shell.shape) * (1.0 - self.held[:, None])
        x = cloth.hung(rough, self.quads, room, self.held, shell_at, body_at)
        edge = border(self.quads)
        normals = normals_of(x, self.quads)
        out, quads = cloth.bordered(x, self.quads, edge, normals, 0.006)
        inner = np.unique(edge)
        return out, quads, np.concatenate([self.shell, self.shell[inner]])

    def trousers(self, sitting: Sitting) -> Array:
        body = self.body
        x = sit(body.source, body.vertices, sitting, SEAT_M).moved(
            body.weights[self.legs_used], body.vertices[self.legs_used], body.names
        )
        return np.asarray(x + normals_of(x, self.legs) * 0.010)
