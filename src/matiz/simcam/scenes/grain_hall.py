"""Lantern supper in the grain hall: warm lanterns over a long table, blue evening in the window."""

import numpy as np

from ...colour.illuminants import black_body, daylight
from ..scene import Box, Map, Scene, box_of
from ..textures import cells, fbm, grid, polygon, slope_light, smoothstep

LANTERNS = ((0.40, 0.105, 0.018), (0.58, 0.130, 0.015), (0.73, 0.100, 0.019), (0.90, 0.125, 0.015))
"""x, y, radius."""
WINDOW = np.array([[0.055, 0.060], [0.205, 0.085], [0.203, 0.335], [0.050, 0.350]])
TABLE_TOP, TABLE_BOTTOM = 0.395, 0.70


def grain_hall(size: tuple[int, int], view: int = 0, seed: int = 37) -> Scene:
    """view 0 shows the grey card before supper; 1, 2, ... the guests."""
    x, y = grid(size)
    lights = {"lanterns": black_body(2150.0), "window": daylight(7600.0)}
    lanterns = 0.16 + np.sum(
        [0.0105 / ((x - cx) ** 2 + 1.3 * (y - cy - 0.06) ** 2 + 0.014) for cx, cy, _ in LANTERNS], axis=0
    )
    window = 0.42 * np.exp(-np.maximum(x - 0.13, 0.0) / 0.24) * np.exp(-(((y - 0.33) / 0.40) ** 2)) + 0.022
    light = {"lanterns": (0.21 * lanterns).astype(np.float32), "window": window.astype(np.float32)}
    scene = Scene(size, lights, light, glows={"outside": daylight(8600.0), "flame": black_body(1950.0)})
    _walls(scene, x, y, seed)
    _window(scene, x, y)
    if view > 0:
        for n, guest in enumerate(FAR_GUESTS):
            _guest(scene, x, y, *guest, seed=seed + 5 * n + view, toward=True)
    _table(scene, x, y, seed)
    if view > 0:
        focus = np.zeros_like(x)
        focus += smoothstep(0.50, 0.60, y) * 5.0 * (size[0] / 3000.0)
        scene.defocus_px = focus
        shift = 0.012 * (view - 1)
        for n, (cx, cy, scale, cloth) in enumerate(NEAR_GUESTS):
            _guest(scene, x, y, cx + shift * (-1) ** n, cy, scale, cloth, seed=seed + 50 + n, toward=False)
    else:
        _grey_card(scene)
    _lanterns(scene, x, y)
    return scene


FAR_GUESTS = (
    (0.345, 0.322, 0.034, "cloth_green"), (0.470, 0.330, 0.032, "cloth_ochre"), (0.610, 0.322, 0.034, "cloth_red"),
    (0.770, 0.328, 0.033, "cloth_blue"),
)  # fmt: skip
NEAR_GUESTS = (
    (0.265, 0.520, 0.062, "cloth_blue"),
    (0.590, 0.545, 0.066, "cloth_ochre"),
    (0.880, 0.515, 0.064, "cloth_red"),
)
"""x and y of the head's centre, half-width of the head, cloth."""


def _walls(scene: Scene, x: Map, y: Map, seed: int) -> None:
    """Plank wall with posts that converge upward a little, dark roof above, floor below."""
    leaning = (x - 0.5) * (1.0 + 0.10 * (0.33 - y)) + 0.5
    plank = leaning * 26.0
    groove = smoothstep(0.06, 0.015, np.abs(plank - np.round(plank)))
    each = fbm(np.floor(plank + 0.5) * 3.7, y * 0.0, seed=seed, octaves=1)
    grain = fbm(
        leaning * 260.0, y * 9.0 + np.floor(plank + 0.5) * 5.0, seed=seed + 2, octaves=5, footprint=260.0 / x.shape[1]
    )
    knots = smoothstep(0.50, 0.75, fbm(leaning * 40.0, y * 22.0, seed=seed + 4, octaves=2))
    tone = np.clip((0.72 + 0.40 * each + 0.35 * grain - 0.35 * knots) * (1.0 - 0.78 * groove), 0.04, 1.6)
    everywhere = np.ones_like(x)
    scene.put_mix(everywhere, {"wood": tone * 0.62, "old_wood": tone * 0.55})
    post = smoothstep(0.022, 0.020, np.abs((leaning * 3.6 + 0.15) - np.round(leaning * 3.6 + 0.15)) / 3.6)
    beam = smoothstep(0.030, 0.034, y) * smoothstep(0.064, 0.060, y)
    frame = np.maximum(post, beam)
    round_post = 0.75 + 0.25 * np.cos(((leaning * 3.6 + 0.15) % 1.0 - 0.5) * 6.0)
    scene.put_mix(frame, {"old_wood": (0.80 + 0.45 * grain) * round_post})
    roof = smoothstep(0.034, 0.028, y)
    scene.shade((1.0 - 0.80 * roof).astype(np.float32))


def _window(scene: Scene, x: Map, y: Map) -> None:
    """Panes full of evening sky, far brighter than the hall, with bars between."""
    width = scene.size[0]
    pane = polygon(scene.size, WINDOW * width)
    frame = polygon(scene.size, (WINDOW + [[-0.012, -0.012], [0.012, -0.011], [0.012, 0.013], [-0.012, 0.014]]) * width)
    scene.put_mix(frame, {"old_wood": np.full_like(x, 0.8)})
    across, down = (x - 0.052) / 0.152, (y - 0.070 - 0.11 * (x - 0.05)) / 0.272
    bars = np.maximum(
        smoothstep(0.030, 0.018, np.abs(across - np.round(across * 2.0) / 2.0)),
        smoothstep(0.018, 0.011, np.abs(down - np.round(down * 3.0) / 3.0)),
    )
    glass = pane * (1.0 - bars)
    scene.put_mix(pane, {"old_wood": np.full_like(x, 0.5)})
    outside = (2.6 + 1.2 * (0.30 - y) / 0.2 + 0.5 * fbm(x * 9.0, y * 12.0, seed=3, octaves=4)) * smoothstep(
        0.36, 0.26, y + 0.02
    )
    hills = smoothstep(0.262, 0.270, y - 0.012 * fbm(x * 22.0, y * 0.0, seed=5, octaves=5))
    scene.glow("outside", (glass * np.maximum(outside * (1.0 - 0.80 * hills), 0.15)).astype(np.float32))
    scene.masks["window"] = glass


def _table(scene: Scene, x: Map, y: Map, seed: int) -> None:
    """A long cloth with folds over its edge; bowls, bread, cups."""
    width = scene.size[0]
    top = polygon(scene.size, np.array([[0.235, TABLE_TOP], [0.935, TABLE_TOP], [1.08, 0.56], [0.10, 0.56]]) * width)
    side = polygon(
        scene.size, np.array([[0.10, 0.559], [1.08, 0.559], [1.08, TABLE_BOTTOM], [0.10, TABLE_BOTTOM]]) * width
    )
    creases = (
        fbm(x * 5.0, y * 34.0, seed=seed + 7, octaves=5) * 0.010
        + fbm(x * 26.0, y * 70.0, seed=seed + 8, octaves=4) * 0.003
    )
    weave = 0.04 * fbm(x * 700.0, y * 900.0, seed=seed + 9, octaves=2, footprint=700.0 / width)
    flat = slope_light((creases * width).astype(np.float32), (0.2, -0.9, 0.9), 0.10)
    scene.light_on(top, 0.75 + 0.85 * flat, ("lanterns",))
    scene.light_on(top, 0.9, ("window",))
    scene.put_mix(top, {"linen": 1.0 + weave})
    folds = np.sin(x * 95.0 + 3.0 * fbm(x * 6.0, y * 3.0, seed=seed + 11, octaves=3)) * 0.010
    hanging = slope_light((folds * width).astype(np.float32), (-0.5, -0.6, 1.2), 0.07)
    scene.light_on(side, hanging * 0.45, ("lanterns",))
    scene.light_on(side, hanging * 0.75, ("window",))
    scene.put_mix(side, {"linen": 1.0 + weave})
    for cx, cy, r, stuff in (
        (0.42, 0.425, 0.028, "lichen"), (0.55, 0.455, 0.036, "rust"), (0.69, 0.420, 0.027, "cloth_ochre"),
        (0.40, 0.510, 0.044, "cloth_ochre"), (0.73, 0.505, 0.046, "leaves"), (0.87, 0.460, 0.034, "wood"),
        (0.30, 0.470, 0.034, "wood"), (0.93, 0.520, 0.040, "rust"),
    ):  # fmt: skip
        _bowl(scene, x, y, cx, cy, r, stuff, seed)


def box_near(x: Map, low: tuple[float, float], high: tuple[float, float]) -> Box:
    """(rows, columns) of a rectangle given in picture widths, within the picture."""
    height, width = x.shape
    rows = slice(max(0, int(low[1] * width)), max(1, min(height, int(high[1] * width))))
    return rows, slice(max(0, int(low[0] * width)), max(1, min(width, int(high[0] * width))))


def _bowl(scene: Scene, x: Map, y: Map, cx: float, cy: float, r: float, stuff: str, seed: int) -> None:
    """A glazed bowl seen from a low angle, with food heaped in it."""
    box = box_near(x, (cx - 2 * r, cy - 1.2 * r), (cx + 2 * r, cy + 1.4 * r))
    scene, x, y = scene.window(box), x[box], y[box]
    shadow = smoothstep(1.35, 0.55, np.hypot((x - cx - 0.15 * r) / r, (y - cy - 0.32 * r) / (0.55 * r)))
    scene.shade(1.0 - 0.55 * shadow)
    wall_y = (y - cy) / r
    narrowing = 1.0 - 0.35 * np.clip(wall_y / 0.5, 0.0, 1.0)
    wall = (
        smoothstep(1.0, 0.97, np.abs(x - cx) / (r * narrowing))
        * smoothstep(-0.02, 0.02, wall_y)
        * smoothstep(0.52, 0.46, wall_y)
    )
    rim = smoothstep(1.0, 0.96, np.hypot((x - cx) / r, (y - cy) / (0.36 * r)))
    round_light = np.clip(0.95 - 0.55 * ((x - cx) / r + 0.25) ** 2, 0.1, 1.2)
    cover = np.maximum(wall, rim)
    scene.light_on(cover, 0.9)
    scene.light_on(wall, round_light * 0.60)
    scene.put_mix(cover, {"plaster": np.full_like(x, 0.85), "cloth_blue": np.full_like(x, 0.20)})
    heap = smoothstep(0.88, 0.80, np.hypot((x - cx) / r, (y - cy + 0.10 * r) / (0.34 * r)))
    gap, value = cells(x * 150.0, y * 230.0, seed=seed + 13)
    lumps = 0.45 + 0.75 * smoothstep(0.0, 0.5, gap) * (0.6 + 0.7 * value)
    scene.put_mix(heap, {stuff: lumps, "cloth_dark": np.full_like(x, 0.1)})
    shine = smoothstep(0.020, 0.008, np.hypot((x - cx + 0.55 * r) / r, (y - cy - 0.18 * r) / r) - 0.03)
    scene.glow("flame", (0.35 * wall * shine).astype(np.float32))


def _guest(
    scene: Scene, x: Map, y: Map, cx: float, cy: float, r: float, cloth: str, *, seed: int, toward: bool
) -> None:
    """Head, neck and shoulders as rounded bodies under both lights; hair all round, or a face."""
    box = box_near(x, (cx - 2.4 * r, cy - 1.4 * r), (cx + 2.4 * r, cy + 5.4 * r))
    whole, scene, x, y = scene, scene.window(box), x[box], y[box]
    random = np.random.default_rng(seed)
    lean = float(random.uniform(-0.10, 0.10))
    from_lantern, from_window = (0.15, -0.75, -0.35 if not toward else 0.55), (-0.92, -0.10, 0.25)

    def body(dx: float, dy: float, rx: float, ry: float, power: float = 2.0) -> tuple[Map, Map]:
        u, v = (x - cx - dx * r - lean * (cy - y)) / (rx * r), (y - cy - dy * r) / (ry * r)
        inside = 1.0 - np.abs(u) ** power - np.abs(v) ** power
        edge = 4.0 / (whole.size[0] * min(rx, ry) * r)
        return smoothstep(0.0, edge, inside), np.sqrt(np.maximum(inside, 0.0)).astype(np.float32) * np.float32(
            min(rx, ry) * r
        )

    def put(cover: Map, height: Map, parts: dict[str, Map], soft: float = 0.35) -> None:
        box = box_of(cover)
        part, relief = scene.window(box), np.ascontiguousarray(height[box] * whole.size[0])
        inside = cover[box]
        for light, direction in (("lanterns", from_lantern), ("window", from_window)):
            dx, dy = np.gradient(relief, axis=1), np.gradient(relief, axis=0)
            lx, ly, lz = np.array(direction) / np.linalg.norm(direction)
            lambert = np.maximum((-dx * lx - dy * ly + lz) / np.sqrt(dx**2 + dy**2 + 1.0), 0.0)
            part.light_on(inside, soft + (1.5 - soft) * lambert, (light,))
        part.put_mix(
            inside, {name: np.ascontiguousarray(np.broadcast_to(m, x.shape)[box]) for name, m in parts.items()}
        )

    fold = fbm(x * 30.0 / (r * 12), y * 14.0 / (r * 12), seed=seed, octaves=5)
    weave = 0.10 * fbm(x * 420.0, y * 420.0, seed=seed + 1, octaves=3, footprint=420.0 / whole.size[0])
    cover, height = body(0.0, 3.05, 2.05, 2.15, 2.6)
    put(cover, height + 0.10 * r * fold * cover, {cloth: 0.95 + 0.25 * fold + weave})
    skin = "skin" if seed % 3 else "skin_deep"
    cover, height = body(0.0, 0.85, 0.46, 0.62, 2.5)
    put(cover * (body(0.0, 3.05, 2.05, 2.15, 2.6)[0] < 0.5), height, {skin: np.full_like(x, 0.8)})
    cover, height = body(0.0, 0.0, 0.78, 1.04, 2.2) if toward else body(0.0, 0.0, 0.92, 1.12, 2.3)
    strands = fbm(
        (x - cx) * 90.0 / (r * 12), (y - cy) * 14.0 / (r * 12), seed=seed + 2, octaves=6, footprint=30.0 / whole.size[0]
    )
    if not toward:
        put(
            cover,
            height + 0.05 * r * strands * cover,
            {"hair": 1.0 + 0.9 * strands, "rust": np.full_like(x, 0.05 * (seed % 4))},
        )
        return
    ears = np.maximum(body(-0.80, 0.10, 0.14, 0.24)[0], body(0.80, 0.10, 0.14, 0.24)[0])
    put(ears, ears * np.float32(0.1 * r), {skin: np.full_like(x, 0.85)})
    u, v = (x - cx - lean * (cy - y)) / r, (y - cy) / r
    nose = np.exp(-((u / 0.10) ** 2) - ((v - 0.16) / 0.24) ** 2) * 0.14 * (v < 0.36)
    sockets = np.exp(-(((np.abs(u) - 0.30) / 0.15) ** 2) - ((v - 0.0) / 0.09) ** 2) * 0.10
    cheeks = np.exp(-(((np.abs(u) - 0.36) / 0.22) ** 2) - ((v - 0.34) / 0.22) ** 2) * 0.05
    relief = height + r * (nose - sockets + cheeks).astype(np.float32) * cover
    brows = np.exp(-(((np.abs(u) - 0.30) / 0.17) ** 2) - ((v + 0.13) / 0.035) ** 2)
    eyes = np.exp(-((((np.abs(u) - 0.30) / 0.085) ** 2 + ((v - 0.015) / 0.035) ** 2) ** 2))
    mouth = np.exp(-((u / 0.22) ** 4) - ((v - 0.55) / 0.045) ** 2)
    tone = (1.0 + 0.06 * fold) * (1.0 - 0.75 * np.maximum(brows, eyes)) * (1.0 - 0.30 * mouth)
    put(cover, relief, {skin: tone, "hair": 0.8 * np.maximum(brows, eyes), "cloth_red": 0.22 * mouth}, soft=0.30)
    cap = cover * smoothstep(-0.30, -0.42, v - 0.22 * u**2 + 0.05 * strands)
    put(cap, height + 0.05 * r * strands * cap, {"hair": 1.1 + 0.9 * strands})


def _lanterns(scene: Scene, x: Map, y: Map) -> None:
    """Paper lanterns: a bright body, ribs, a halo in the air, the cord."""
    bodies = np.zeros_like(x)
    scene.masks["lanterns"] = bodies
    for cx, cy, r in LANTERNS:
        box = box_near(x, (cx - 16 * r, 0.0), (cx + 16 * r, cy + 16 * r))
        part, px, py = scene.window(box), x[box], y[box]
        cord = smoothstep(0.0010, 0.0006, np.abs(px - cx)) * (py < cy)
        part.put_mix(cord, {"cloth_dark": np.full_like(px, 0.5)})
        distance = np.hypot(px - cx, (py - cy) * 0.82)
        body = smoothstep(r, r * 0.97, distance)
        ribs = 0.88 + 0.12 * np.cos((py - cy) / r * 26.0)
        hot = 2.2 + 5.0 * np.exp(-((distance / (0.55 * r)) ** 2))
        part.put("plaster", body)
        part.glow("flame", (body * hot * ribs).astype(np.float32))
        halo = 0.060 / (1.0 + (distance / (1.7 * r)) ** 3) * smoothstep(16 * r, 10 * r, distance)
        part.glow("flame", (halo * (1.0 - body)).astype(np.float32))
        bodies[box] = np.maximum(bodies[box], body)


def _grey_card(scene: Scene) -> None:
    """A grey card held up where the guests will sit."""
    width = scene.size[0]
    corners = np.array([[0.470, 0.285], [0.640, 0.280], [0.645, 0.398], [0.474, 0.404]])
    card = polygon(scene.size, corners * width)
    scene.put("grey", card)
    rows, columns = box_of((card > 0.99).astype(np.float32))
    inset = int(0.012 * width)
    scene.areas["grey card"] = (
        columns.start + inset,
        rows.start + inset,
        columns.stop - columns.start - 2 * inset,
        rows.stop - rows.start - 2 * inset,
    )
    scene.masks["grey card"] = card
