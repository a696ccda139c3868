"""What stands on the table: plates with food, cups, glasses with wine, bread, fruit, bottles, napkins, crumbs."""

from collections.abc import Iterable

import numpy as np

from .kernels.noise import fractal_noise_in_space
from .meshes import Mesh, ball, box, faces_of, moved, turned
from .quads import normals_of

OWNER = "tableware"

PLATE = [(0.0, 0.004), (0.055, 0.004), (0.060, 0.0), (0.068, 0.0), (0.072, 0.005), (0.105, 0.014), (0.132, 0.019),
         (0.134, 0.021), (0.131, 0.023), (0.104, 0.018), (0.078, 0.011), (0.0, 0.010)]  # fmt: skip
CUP = [(0.0, 0.0), (0.026, 0.0), (0.033, 0.006), (0.038, 0.03), (0.040, 0.075), (0.0405, 0.082), (0.039, 0.084),
       (0.0375, 0.082), (0.0365, 0.06), (0.034, 0.02), (0.0, 0.012)]  # fmt: skip
BOTTLE = [(0.0, 0.0), (0.034, 0.0), (0.038, 0.005), (0.0385, 0.175), (0.036, 0.195), (0.022, 0.222), (0.0145, 0.245),
          (0.0135, 0.298), (0.016, 0.300), (0.016, 0.306), (0.0, 0.306)]  # fmt: skip
GLASS = [(0.0, 0.0), (0.033, 0.001), (0.032, 0.003), (0.006, 0.008), (0.0042, 0.02), (0.0040, 0.075), (0.008, 0.084),
         (0.027, 0.100), (0.037, 0.125), (0.0375, 0.150), (0.034, 0.178), (0.0332, 0.178), (0.0365, 0.150),
         (0.0358, 0.125), (0.026, 0.102), (0.0, 0.088)]  # fmt: skip
WINE = [(0.0, 0.0895), (0.025, 0.103), (0.0345, 0.125), (0.0350, 0.136), (0.0, 0.136)]
BOWL = [(0.0, 0.0), (0.05, 0.0), (0.06, 0.006), (0.095, 0.03), (0.125, 0.062), (0.132, 0.078), (0.129, 0.080),
        (0.12, 0.066), (0.09, 0.036), (0.05, 0.014), (0.0, 0.012)]  # fmt: skip


def _round(profile: list[tuple[float, float]], each: int = 3) -> np.ndarray:
    """A profile with its corners a little rounded."""
    given = np.array(profile)
    t = np.linspace(0, len(given) - 1, (len(given) - 1) * each + 1)
    dense = np.stack([np.interp(t, np.arange(len(given)), given[:, n]) for n in (0, 1)], axis=1)
    smooth = dense.copy()
    smooth[1:-1] = 0.25 * dense[:-2] + 0.5 * dense[1:-1] + 0.25 * dense[2:]
    return smooth


def _lumpy(mesh: Mesh, depth_m: float, per_m: float, seed: int) -> Mesh:
    """A mesh whose surface is uneven."""
    points = mesh.vertices.reshape(-1, 1, 3) * np.float32(per_m)
    points = np.ascontiguousarray(np.concatenate([points, points], axis=1))
    size = np.zeros(points.shape[:2], np.float32)
    rise = fractal_noise_in_space(points, size, seed=seed, octaves=4, roughness=0.5)[:, 0]
    vertices = mesh.vertices + mesh.normals * (rise * depth_m)[:, None]
    quads = np.concatenate([mesh.faces, mesh.faces[:, 2:3]], axis=1).astype(np.int64)
    normals = normals_of(vertices.astype(np.float64), quads).astype(np.float32)
    normals *= np.sign((normals * mesh.normals).sum(axis=1, keepdims=True))
    return Mesh(mesh.stuff, vertices.astype(np.float32), mesh.faces, normals, mesh.own, mesh.values, mesh.owner, seed)


def loaf(seed: int, long: bool) -> Mesh:
    """Bread: an uneven crust with cuts across."""
    out = ball("crust", 0.085 if long else 0.075, steps=28, squash=0.62, owner=OWNER, seed=seed)
    if long:
        out.vertices[:, 0] *= 1.9
    cut = np.cos(out.vertices[:, 0] * 95.0 + out.vertices[:, 2] * 30.0)
    deep = np.clip((cut - 0.80) / 0.15, 0.0, 1.0) * (out.vertices[:, 1] > 0.02)
    out.values["cut"] = deep.astype(np.float32)
    out.vertices[:, 1] -= 0.006 * out.values["cut"]
    return _lumpy(out, 0.010, 14.0, seed)


def slice_of_bread(seed: int) -> Mesh:
    """A slice that lies flat: crumb within, crust round it."""
    out = turned("slice", _round([(0.0, 0.0), (0.048, 0.0), (0.052, 0.005), (0.048, 0.013), (0.0, 0.013)]),
                 squash=0.72, owner=OWNER, seed=seed)  # fmt: skip
    out.values["cut"] = (np.hypot(out.vertices[:, 0], out.vertices[:, 2] / 0.72) < 0.046).astype(np.float32)
    return _lumpy(out, 0.003, 50.0, seed)


def napkin(seed: int) -> Mesh:
    """Folded linen, three layers that do not lie quite on each other, nor quite flat."""
    layers = [moved(_cloth(0.054, 0.088, seed + 31 * n), (0.002 * n, 0.0022 * n, 0.0015 * n), turn_degrees=1.5 * n)
              for n in range(3)]  # fmt: skip
    return joined(layers, seed)


def _cloth(half_x: float, half_z: float, seed: int) -> Mesh:
    """A piece of cloth that lies on a table: waved, its corners and edges soft."""
    u, v = np.meshgrid(np.linspace(-1, 1, 30), np.linspace(-1, 1, 44))
    # corners are rounded, and points lie closer at the edge, where it turns down
    u, v = np.sin(0.5 * np.pi * u) * np.sqrt(1 - 0.03 * v**6), np.sin(0.5 * np.pi * v) * np.sqrt(1 - 0.03 * u**6)
    flat = np.stack([u * half_x, np.zeros_like(u), v * half_z], axis=2)
    waves = fractal_noise_in_space(
        np.ascontiguousarray(flat * 22.0 + seed, np.float32), np.zeros(u.shape, np.float32), seed=seed, octaves=3,
        roughness=0.5,
    )  # fmt: skip
    inside = np.minimum((1 - np.abs(u)) * half_x, (1 - np.abs(v)) * half_z)
    at = flat.copy()
    at[..., 1] = 0.0020 * np.sqrt(np.clip(inside / 0.002, 0.0, 1.0)) + 0.0011 * (waves + 0.4) * np.clip(
        inside / 0.03, 0.2, 1.0
    )
    n = np.arange(u.size).reshape(u.shape)
    quads = np.stack([n[:-1, :-1], n[1:, :-1], n[1:, 1:], n[:-1, 1:]], axis=2).reshape(-1, 4)
    points = at.reshape(-1, 3)
    return Mesh("napkin", points.astype(np.float32), faces_of(quads), normals_of(points, quads).astype(np.float32),
                flat.reshape(-1, 3).astype(np.float32), {}, OWNER)  # fmt: skip


def joined(parts: list[Mesh], seed: int = 0) -> Mesh:
    """Meshes of one stuff as one."""
    counts = np.cumsum([0, *(len(p.vertices) for p in parts[:-1])])
    names = parts[0].values
    return Mesh(
        parts[0].stuff, np.concatenate([p.vertices for p in parts]),
        np.concatenate([p.faces + n for p, n in zip(parts, counts, strict=True)]).astype(np.int32),
        np.concatenate([p.normals for p in parts]), np.concatenate([p.own for p in parts]),
        {name: np.concatenate([p.values[name] for p in parts]) for name in names}, parts[0].owner, seed,
    )  # fmt: skip


def raised(hand: np.ndarray) -> tuple[Mesh, Mesh]:
    """A glass held at its stem by a hand above the table, and the wine in it."""
    low = (float(hand[0]), float(hand[1]) - 0.055, float(hand[2]))
    glass, wine = (
        turned(s, _round(p), steps=48, owner=o) for s, p, o in (("glass", GLASS, "glass"), ("wine", WINE, OWNER))
    )
    return moved(glass, low), moved(wine, low)


def laid(places: Iterable[tuple[float, float]], top_m: float, seed: int) -> tuple[list[Mesh], list[Mesh]]:
    """What is on the table before guests whose plates are at `places` (x, z), and the glasses, apart since
    one sees through them."""
    random = np.random.default_rng(seed)
    groups: dict[tuple[str, int], list[Mesh]] = {}
    glasses: list[Mesh] = []

    def put(mesh: Mesh, x: float, y: float, z: float, turn: float = 0.0, tip: float = 0.0) -> None:
        groups.setdefault((mesh.stuff, mesh.seed), []).append(
            moved(mesh, (x, top_m + y, z), turn_degrees=turn, tip_degrees=tip)
        )

    plate, cup = (turned(s, _round(p), steps=64, owner=OWNER) for s, p in (("glaze", PLATE), ("clay", CUP)))
    glass = turned("glass", _round(GLASS), steps=48, owner="glass")
    wine = turned("wine", _round(WINE), steps=40, owner=OWNER)
    food = [
        _lumpy(ball(f"stew {k}", 0.020, steps=12, squash=0.7, owner=OWNER, seed=k), 0.006, 60.0, k) for k in range(3)
    ]
    for n, (x, z) in enumerate(places):
        side = np.sign(x) or 1.0
        put(plate, x, 0.0, z)
        for _ in range(14):
            a, r = random.uniform(0, 6.3), 0.062 * random.uniform(0, 1) ** 0.5
            put(food[int(random.integers(0, 3))], x + r * np.cos(a), 0.017, z + r * np.sin(a), random.uniform(0, 360))
        if n % 3 == 2:
            put(cup, x - side * 0.12, 0.0, z + 0.12)
        else:
            at = (x - side * random.uniform(0.12, 0.16), z + random.uniform(0.08, 0.15))
            glasses.append(moved(glass, (at[0], top_m, at[1])))
            put(wine, at[0], 0.0, at[1])
        put(napkin(n), x + side * 0.01, 0.001, z - 0.21, random.uniform(-14, 14))
        for _ in range(9):
            crumb = ball("crumb", float(random.uniform(0.0012, 0.0036)), steps=6, squash=0.8, owner=OWNER)
            put(crumb, x - side * random.uniform(-0.02, 0.25), 0.001, z + random.normal(0, 0.16))
    bowl, bottle = (turned(s, _round(p), steps=64, owner=OWNER) for s, p in (("bowl", BOWL), ("bottle", BOTTLE)))
    fruit = [_lumpy(ball(f"fruit {k}", 0.033, steps=22, squash=0.92, owner=OWNER, seed=k), 0.003, 22.0, 9 + k)
             for k in range(3)]  # fmt: skip
    far = max((z for _, z in places), default=6.0)
    for n, z in enumerate(np.arange(2.05, far, 0.46)):
        x = 0.055 * np.sin(n * 2.0)
        kind = n % 4
        if kind == 0:
            put(bowl, x, 0.0, z)
            for k in range(14):
                a = k * 2.39996
                r = 0.075 * ((k % 7 + 0.4) / 7.0) ** 0.5
                put(fruit[int(random.integers(0, 3))], x + r * np.cos(a), 0.060 + 0.036 * (k // 7) - 1.6 * r * r,
                    z + r * np.sin(a), random.uniform(0, 360), random.uniform(-25, 25))  # fmt: skip
        elif kind == 1:
            put(bottle, x, 0.0, z)
            put(loaf(n, False), x - 0.02, 0.046, z + 0.20, random.uniform(0, 180))
        elif kind == 2:
            put(box("board", (-0.19, 0.0, -0.11), (0.19, 0.016, 0.11), owner=OWNER), x, 0.0, z, 20.0)
            put(loaf(n, True), x - 0.02, 0.062, z + 0.02, 15.0)
            for k in range(3):
                put(slice_of_bread(k), x + 0.10 + 0.012 * k, 0.019 + 0.013 * k, z - 0.07 + 0.03 * k, 40.0 * k, 6.0 * k)
        else:
            put(bowl, x, 0.0, z)
            for _ in range(30):
                a, r = random.uniform(0, 6.3), 0.10 * random.uniform(0, 1) ** 0.5
                put(food[0], x + r * np.cos(a), 0.062 + random.uniform(0, 0.012) - 1.5 * r * r, z + r * np.sin(a))
    return [joined(parts, key[1]) for key, parts in groups.items()], glasses
