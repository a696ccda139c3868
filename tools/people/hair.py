"""Hair as strands: where it grows, which way it is combed, and how it falls over the head."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from .source import Array

POINTS = 8
"""Points of a strand, root and tip among them."""
LONG_POINTS = 14
"""Points of one that falls."""
LEAN_M = 0.0007
"""How far tips of lashes lean toward their neighbours."""


@dataclass(frozen=True)
class Style:
    """How hair is worn. Lengths in m."""

    length: float
    strands: int = 3200
    combed: tuple[float, float, float] = (0.0, 0.0, -1.0)
    """Which way it is combed near the skin; x away from the parting."""
    weight: float = 0.5
    """How soon it falls, 0..1."""
    lift: float = 0.25
    """How far it stands off the skin at its root, 0..1."""
    curl_m: float = 0.0
    """Radius of its curls."""
    clump: float = 0.35
    parting_m: float = 0.03
    """How far left of the middle it is parted."""
    bald: float = 0.0
    """0 full, 1 only a fringe round the back and sides."""
    knot: bool = False
    """Bound behind the head."""


@dataclass(frozen=True)
class Head:
    """What hair has to know of a head: its skin, and some places on it."""

    skin: Array
    normals: Array
    eyes: Array
    """(3,) between the eyes."""
    ear_z: float
    down: Array
    """(3,) where things fall."""


def scalp(head: Head, ears: Array, bald: float = 0.0) -> Array:
    """(n,) 0..1: where hair grows on the skin; ears (n,) is where they are."""
    dy = head.skin[:, 1] - head.eyes[1]
    dz = head.skin[:, 2] - head.ear_z
    line = np.interp(dz, [-0.09, -0.05, -0.025, 0.0, 0.016, 0.03, 0.055, 0.085, 0.12],
                     [-0.100, -0.090, -0.050, 0.012, 0.004, 0.030, 0.052, 0.064, 0.070])  # fmt: skip
    line = line + 0.012 * np.exp(-(((np.abs(head.skin[:, 0]) - 0.045) / 0.015) ** 2)) * (dz > 0.03)
    grows = np.clip((dy - line) / 0.010 + 0.5, 0.0, 1.0) * np.clip(1.0 - 2.5 * ears, 0.0, 1.0)
    if bald > 0.0:
        crown = np.clip((dy - 0.035 - 0.05 * (1.0 - bald)) / 0.02, 0.0, 1.0) * np.clip((dz + 0.085) / 0.03, 0.0, 1.0)
        grows *= 1.0 - crown
    return np.asarray(grows)


def on_skin(
    weight: Array, skin: Array, normals: Array, faces: Array, count: int, random: np.random.Generator
) -> tuple[Array, Array]:
    """Places (count, 3) and normals, spread by weight (n,) over triangles."""
    a, b, c = (skin[faces[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1) * weight[faces].min(axis=1)
    chosen = random.choice(len(faces), count, p=area / area.sum())
    u, v = random.uniform(0, 1, (2, count))
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    shares = np.stack([1.0 - u - v, u, v], axis=1)[:, :, None]
    return (skin[faces[chosen]] * shares).sum(axis=1), (normals[faces[chosen]] * shares).sum(axis=1)


def grown(roots: Array, outward: Array, style: Style, head: Head, around: Array, around_normals: Array,
          random: np.random.Generator) -> Array:  # fmt: skip
    """(n, points, 3) strands from roots (n, 3). around: everything they may not enter, (m, 3), with its normals."""
    n = len(roots)
    tree = cKDTree(around)
    points = POINTS if style.length < 0.10 else LONG_POINTS
    step = style.length / (points - 1) * random.uniform(0.62, 1.1, (n, 1))
    # strands near each other bend alike
    seeds = random.choice(n, max(n // 26, 1), replace=False)
    _, lock = cKDTree(roots[seeds]).query(roots)
    own = random.normal(0, 1, (len(seeds), 3))[lock] * style.clump + random.normal(0, 0.10, (n, 3))
    side = np.sign(roots[:, 0] - style.parting_m)
    combed = np.stack([style.combed[0] * side, np.full(n, style.combed[1]), np.full(n, style.combed[2])], axis=1)
    if style.knot:
        knot = head.eyes + (0.0, 0.045, head.ear_z - head.eyes[2] - 0.105)
        combed = (knot - roots) / np.linalg.norm(knot - roots, axis=1, keepdims=True)
    phase = random.uniform(0, 6.3, len(seeds))[lock] + random.normal(0, 0.3, n)
    thick = random.uniform(0, 1, n)
    line = [roots]
    at = roots
    toward = outward * style.lift + _along(combed, outward) * (1.0 - style.lift)
    for k in range(1, points):
        if style.knot:
            pull = knot - at
            far = np.linalg.norm(pull, axis=1, keepdims=True)
            toward = 0.4 * toward + 0.6 * pull / np.maximum(far, 1e-3)
            step = np.minimum(step, far * 0.6 + 0.002)
        else:
            # combed near the root, falling further out
            gone = style.length * k / (points - 1)
            wanted = combed * np.exp(-gone / 0.05) + head.down * 2.5 * style.weight * (1.0 - np.exp(-gone / 0.035))
            wanted = wanted + own * min(0.45, 8.0 * gone)
            toward = 0.45 * toward + 0.55 * wanted
        toward = toward / np.maximum(np.linalg.norm(toward, axis=1, keepdims=True), 1e-9)
        at = at + toward * step
        if style.curl_m:
            aside = np.cross(toward, outward)
            turn = (phase + 2.4 * k)[:, None]
            at = at + style.curl_m * (np.cos(turn) * aside + np.sin(turn) * outward)
        distance, near = tree.query(at)
        normal = around_normals[near]
        height = ((at - around[near]) * normal).sum(axis=1)
        clear = 0.002 + 0.012 * style.lift * min(1.0, 2.0 * k / points) + 0.006 * thick
        close = distance < 0.06
        at = at + np.where(close, np.maximum(clear - height, 0.0), 0.0)[:, None] * normal
        # kept out of the face
        before = (at[:, 1] < head.eyes[1] + 0.035) & (at[:, 2] > head.ear_z + 0.025)
        room = np.where(before, np.maximum(0.066 - np.abs(at[:, 0]), 0.0), 0.0)
        at[:, 0] += room * np.where(roots[:, 0] < style.parting_m, -1.0, 1.0)
        flat = toward - normal * np.minimum((toward * normal).sum(axis=1), 0.0)[:, None]
        toward = np.where((close & (height < 1.5 * clear))[:, None], flat, toward)
        line.append(at)
    return np.stack(line, axis=1)


def knot_of(head: Head, strands: int, points: int, random: np.random.Generator) -> Array:
    """(n, points, 3) strands wound into a knot behind the head."""
    middle = head.eyes + (0.0, 0.045, head.ear_z - head.eyes[2] - 0.118)
    start = random.uniform(0, 6.3, strands)
    tilt = random.normal(0, 0.5, strands)
    radius = 0.036 * random.uniform(0.75, 1.0, strands)
    turn = start[:, None] + np.linspace(0, 2.0, points)
    ring = np.stack([np.cos(turn), np.sin(turn) * np.cos(tilt)[:, None], np.sin(turn) * np.sin(tilt)[:, None]], axis=2)
    return np.asarray(middle + ring * radius[:, None, None] * (1.1, 1.0, 0.9))


def short(roots: Array, outward: Array, toward: Array, length_m: float, random: np.random.Generator) -> Array:
    """(n, POINTS, 3) brows and beards: short hairs that lie one way, near the skin."""
    n = len(roots)
    way = _along(toward + random.normal(0, 0.10, (n, 3)), outward) * 0.95 + outward * 0.18
    span = length_m * random.uniform(0.45, 1.1, (n, 1, 1)) * np.linspace(0, 1, POINTS)[None, :, None]
    bend = np.linspace(0, 1, POINTS)[None, :, None] ** 2 * outward[:, None, :] * -0.15 * length_m
    return np.asarray(roots[:, None, :] + way[:, None, :] * span + bend)


def fringe(strip: Array, count: int, random: np.random.Generator) -> Array:
    """(count, POINTS, 3) lashes along the edge of a lid; strip (columns, rows, 3) is where they stand, roots first."""
    columns, rows = strip.shape[:2]
    # none at its very ends
    along = np.sort(random.uniform(0.06, 0.94, count)) * (columns - 1)
    left = np.minimum(along.astype(int), columns - 2)
    share = (along - left)[:, None, None]
    lines = strip[left] * (1.0 - share) + strip[left + 1] * share
    length = random.uniform(0.62, 1.0, count)
    at = np.linspace(0.0, 1.0, POINTS)[None, :] * length[:, None] * (rows - 1)
    low = np.minimum(at.astype(int), rows - 2)
    share = (at - low)[..., None]
    each = np.arange(count)[:, None]
    lines = lines[each, low] * (1.0 - share) + lines[each, low + 1] * share
    aside = (strip[-1, 0] - strip[0, 0]) / np.linalg.norm(strip[-1, 0] - strip[0, 0])
    lean = random.normal(0.0, LEAN_M, count)[:, None, None] * np.linspace(0.0, 1.0, POINTS)[None, :, None] ** 1.5
    return np.asarray(lines + lean * aside)


def _along(vectors: Array, normals: Array) -> Array:
    """The part of vectors that lies in the surface, 1 long."""
    flat = vectors - normals * (vectors * normals).sum(axis=1, keepdims=True)
    return np.asarray(flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-6))
