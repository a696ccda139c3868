"""The grain hall itself: its light, walls, timber, windows, and the long table."""

from functools import lru_cache, partial

import numpy as np

from ...colour.illuminants import black_body, daylight
from ..kernels.lighting import bumped, sky_shadow
from ..planes import beam_surfaces, facet
from ..scene import Map, Scene
from ..shading import Shaded, enlarged, fbm3, from_lamps, lay
from ..solids import Surface
from ..textures import smoothstep
from ..view import View

LANTERNS = ((-0.42, 2.02, 2.95), (0.40, 2.10, 3.90), (-0.34, 2.06, 5.00), (0.36, 2.12, 6.30))
LANTERN_R = 0.115
LANTERN_LEVEL = 0.40
"""Irradiance 1 m from each lantern."""
WINDOW_LIGHTS = (((-2.2, 1.75, 4.15), 0.75), ((-2.2, 1.75, 6.2), 0.75), ((-1.4, 1.9, 8.3), 0.35))
"""What comes through each window, as a soft lamp within the wall: place, irradiance 1 m away."""
HALL = {"left": -2.35, "right": 2.45, "back": 9.0, "top": 3.25}
TABLE = {"left": -0.46, "right": 0.46, "near": 1.75, "far": 6.40, "top": 0.76, "drop": 0.30}


LIGHTS = ("lanterns", "window")


@lru_cache(maxsize=1)
def empty_hall(camera: View, seed: int) -> Scene:
    """The room without people; kept, since several pictures are taken from one place."""
    dark = np.zeros((camera.size[1], camera.size[0]), np.float32)
    lights = {"lanterns": black_body(2250.0), "window": daylight(7000.0)}
    scene = Scene(camera.size, lights, {"lanterns": dark, "window": dark.copy()},
                  glows={"outside": daylight(7400.0), "flame": black_body(1950.0)})  # fmt: skip
    _shell(scene, camera, HallLight(None), seed)
    return scene


class HallLight:
    """What falls on a surface in the hall."""

    def __init__(self, balls: np.ndarray | None) -> None:
        self.balls = balls

    def on(self, points: Map, normals: Map, *, wrap: float = 0.0) -> dict[str, Map]:
        lamps = [[*lamp, LANTERN_R, LANTERN_LEVEL, wrap, 0.0] for lamp in LANTERNS]
        lamps += [[*place, 0.55, level, max(wrap, 0.15), 1.0] for place, level in WINDOW_LIGHTS]
        direct = from_lamps(points, normals, np.array(lamps, np.float32), self.balls)
        around = self._around(points, normals) * (0.75 + 0.25 * normals[..., 1])
        table = np.clip(0.7 - normals[..., 1], 0.0, 1.2)
        warm = direct[..., 0] + around * (0.026 + 0.030 * table)
        cool = direct[..., 1] + around * np.float32(0.012)
        return {"lanterns": warm.astype(np.float32), "window": cool.astype(np.float32)}

    def _around(self, points: Map, normals: Map) -> Map:
        """Light that the walls send back: less in corners and between people."""
        few, facing = (np.ascontiguousarray(m[::4, ::4]) for m in (points, normals))
        x, y, z = few[..., 0], few[..., 1], few[..., 2]
        walls = np.maximum(np.minimum(x - HALL["left"], HALL["right"] - x), 0.0)
        nook = 1.0 - 0.55 * np.exp(-walls / 0.18)
        nook *= 1.0 - 0.6 * np.exp(-np.maximum(y, 0.0) / 0.30)
        nook *= 1.0 - 0.5 * np.exp(-np.maximum(HALL["back"] - z, 0.0) / 0.25)
        if min(few.shape[:2]) < 2:
            return np.full(points.shape[:2], np.float32(nook.mean()))
        if self.balls is not None:
            nook = nook * sky_shadow(few, facing, self.balls)
        return enlarged(nook.astype(np.float32), points.shape, 4)


def pixel_of(camera: View, s: Surface) -> Map:
    return s.depth * np.float32(camera.pixel)


def _shell(scene: Scene, camera: View, room: HallLight, seed: int) -> None:
    """Floor, lime-washed walls, a plank wall at the back, windows, posts and beams."""
    left, right, back, top = (HALL[k] for k in ("left", "right", "back", "top"))
    floor = facet(camera, [(left, 0, 0.2), (right, 0, 0.2), (right, 0, back), (left, 0, back)])
    roof = facet(camera, [(left, top, 0.2), (right, top, 0.2), (right, top, back), (left, top, back)])
    for s, lengthwise in ((floor, 5.5), (roof, 7.0)):
        if s is not None:
            dim = 0.8 if s is floor else 0.5
            lay(scene, s, partial(_boards, camera=camera, room=room, per_m=lengthwise, seed=seed, dim=dim))
    for x in (left, right):
        s = facet(camera, [(x, 0, 0.2), (x, top, 0.2), (x, top, back), (x, 0, back)])
        if s is not None:
            lay(scene, s, lambda s: _plaster(s, camera, room, seed))
    s = facet(camera, [(left, 0, back), (right, 0, back), (right, top, back), (left, top, back)])
    if s is not None:
        lay(scene, s, partial(_boards, camera=camera, room=room, per_m=6.0, seed=seed + 3))
    for low, high, flat in (((left, 1.05, 5.55), (left, 2.45, 6.85), 0), ((left, 1.05, 3.5), (left, 2.45, 4.8), 0),
                            ((-1.75, 1.20, back), (-0.85, 2.55, back), 2)):  # fmt: skip
        _window(scene, camera, room, np.array(low), np.array(high), flat, seed)
    benches = [((x - 0.15, 0.40, 2.1), (x + 0.15, 0.45, 5.3)) for x in (-0.98, 0.98)]
    timber = [((x - 0.09, 0.0, z - 0.09), (x + 0.09, top, z + 0.09)) for z in (8.6, 5.2, 3.1) for x in (left, right)]
    timber += benches
    timber += [((left, top - 0.62, z - 0.10), (right, top - 0.40, z + 0.10)) for z in (8.6, 5.2, 3.1)]
    for n, (low, high) in enumerate(timber):
        run = (
            (3.0, 60.0, 60.0)
            if high[0] - low[0] > 1.0
            else (60.0, 60.0, 3.0)
            if high[2] - low[2] > 1.0
            else (60.0, 3.0, 60.0)
        )
        for s in beam_surfaces(camera, low, high):
            lay(scene, s, partial(_timber, camera=camera, room=room, run=run, seed=seed + n))


def _timber(s: Surface, camera: View, room: HallLight, run: tuple[float, float, float], seed: int) -> Shaded:
    """Rough-sawn oak with checks along the grain."""
    grain = fbm3(s.points, run, seed=seed, octaves=5, pixel_m=pixel_of(camera, s))
    checks = smoothstep(0.30, 0.45, fbm3(s.points, np.array(run) * 0.4, seed=seed + 40, octaves=4))
    normals = bumped(s.points, s.normals, (0.0030 * grain - 0.004 * checks).astype(np.float32))
    tone = np.clip(0.85 + 0.55 * grain - 0.7 * checks, 0.1, 1.8)
    return {"old_wood": tone * 0.9}, room.on(s.points, normals)


def _boards(s: Surface, camera: View, room: HallLight, per_m: float, seed: int, dim: float = 1.0) -> Shaded:
    """Boards side by side, each with its own tone, with gaps, grain and knots."""
    across = s.points[..., 0] * np.float32(per_m)
    board = np.floor(across)
    inside = np.abs(across - board - np.float32(0.5))
    pixel = pixel_of(camera, s)
    gap = smoothstep(0.48, 0.5, inside)
    own = np.mod(np.sin(board * 91.7) * 4375.5, 1.0)
    stretch = (90.0, 4.0, 4.0)
    moved = s.points + (own * 7.0)[..., None] * np.float32(0.37)
    grain = fbm3(moved.astype(np.float32), stretch, seed=seed, octaves=5, pixel_m=pixel)
    stains = fbm3(s.points, 1.3, seed=seed + 1, octaves=5)
    tone = np.clip((0.60 + 0.55 * own + 0.45 * grain + 0.25 * stains) * (1.0 - 0.85 * gap), 0.03, 1.8)
    parts = {"old_wood": tone * np.float32(0.62 * dim), "wood": tone * np.float32(0.24 * dim)}
    return parts, room.on(s.points, s.normals)


def _plaster(s: Surface, camera: View, room: HallLight, seed: int) -> Shaded:
    """Lime wash over stone: uneven, stained, darker near the floor."""
    pixel = pixel_of(camera, s)
    stones = fbm3(s.points, (3.0, 5.0, 3.0), seed=seed + 5, octaves=3, pixel_m=pixel)
    rough = fbm3(s.points, 24.0, seed=seed + 6, octaves=6, pixel_m=pixel, roughness=0.6)
    stains = fbm3(s.points, (0.8, 0.5, 0.8), seed=seed + 8, octaves=5)
    normals = bumped(s.points, s.normals, (0.016 * stones + 0.0022 * rough).astype(np.float32))
    bare = 0.6 * smoothstep(0.25, 0.75, stains + 0.12 * rough) + 0.6 * smoothstep(
        0.6, 0.0, s.points[..., 1] + 0.2 * stains
    )
    wash = np.clip(0.66 + 0.05 * rough + 0.16 * stains, 0.2, 1.0)
    parts = {"plaster": wash * (1.0 - 0.6 * np.clip(bare, 0, 1)), "sand": 0.45 * np.clip(bare, 0, 1)}
    return parts, room.on(s.points, normals)


def _window(
    scene: Scene, camera: View, room: HallLight, low: np.ndarray, high: np.ndarray, flat: int, seed: int
) -> None:
    """Panes full of evening sky, far brighter than the hall, with a frame and bars."""
    side = 2 if flat == 0 else 0
    inward = 1.0 if flat == 0 else -1.0

    def corners(a: float, b: float, bottom: float, top: float, off: float) -> list[np.ndarray]:
        out = []
        for u, y in ((a, bottom), (b, bottom), (b, top), (a, top)):
            corner = np.array([0.0, y, 0.0])
            corner[flat], corner[side] = low[flat] + inward * off, u
            out.append(corner)
        return out

    s = facet(camera, corners(low[side], high[side], low[1], high[1], 0.01))
    if s is None:
        return
    dark: Shaded = ({"cloth_dark": np.float32(0.3)}, dict.fromkeys(LIGHTS, np.float32(0.0)))
    lay(scene, s, lambda _: dark, mask="window")
    height = (s.points[..., 1] - low[1]) / (high[1] - low[1])
    across = s.points[..., side]
    hills = smoothstep(0.02, -0.01, height - 0.30 - 0.06 * np.sin(across * 2.1 + 1.0) - 0.03 * np.sin(across * 5.3))
    cloud = fbm3(s.points, (1.6, 5.0, 1.6), seed=seed + 21, octaves=4)
    sky = 3.4 + 1.6 * height + 0.9 * cloud
    glow = np.zeros((scene.size[1], scene.size[0]), np.float32)
    glow[s.box] = scene.masks["window"][s.box] * s.cover * (sky * (1.0 - 0.94 * hills))
    scene.glow("outside", glow)
    bars = []
    w, h, t = high[side] - low[side], high[1] - low[1], 0.018
    for n in range(4):
        u = low[side] + w * n / 3
        bars.append((u - t, u + t, low[1], high[1]))
    for n in range(4):
        y = low[1] + h * n / 3
        bars.append((low[side], high[side], y - t, y + t))
    wide = 0.09
    for y in (low[1] - wide, high[1]):
        bars.append((low[side] - wide, high[side] + wide, y, y + wide))
    for u in (low[side] - wide, high[side]):
        bars.append((u, u + wide, low[1], high[1]))
    for a, b, bottom, top in bars:
        s = facet(camera, corners(a, b, bottom, top, 0.04))
        if s is not None:
            lay(scene, s, lambda s: _bar(s, room, seed))


def _bar(s: Surface, room: HallLight, seed: int) -> Shaded:
    """Painted wood before the bright sky, which lights it round its edges."""
    light = room.on(s.points, s.normals)
    light["window"] = light["window"] + np.float32(0.10)
    return {"old_wood": 0.9 + 0.4 * fbm3(s.points, 40.0, seed=seed + 9, octaves=4)}, light


def lay_table(scene: Scene, camera: View, room: HallLight, seed: int) -> None:
    """A white cloth with ironed creases, hanging in folds."""
    left, right, near, far, top = (TABLE[k] for k in ("left", "right", "near", "far", "top"))
    drop = TABLE["drop"]
    sides = (
        [(left, top - drop, near), (right, top - drop, near), (right, top, near), (left, top, near)],
        [(left, top - drop, near), (left, top - drop, far), (left, top, far), (left, top, near)],
        [(right, top - drop, near), (right, top - drop, far), (right, top, far), (right, top, near)],
        [(left, top, near), (right, top, near), (right, top, far), (left, top, far)],
    )
    for n, corners in enumerate(sides):
        s = facet(camera, corners)
        if s is not None:
            lay(scene, s, partial(_linen, camera=camera, room=room, side=n, seed=seed), mask="cloth")


def _linen(s: Surface, camera: View, room: HallLight, side: int, seed: int) -> Shaded:
    """side 0 hangs before the table, 1 and 2 beside it, 3 lies on top."""
    pixel = pixel_of(camera, s)
    x, z = s.points[..., 0], s.points[..., 2]
    weave = fbm3(s.points, 700.0, seed=seed + 12, octaves=2, pixel_m=pixel)
    soft = fbm3(s.points, 5.0, seed=seed + 13, octaves=4, pixel_m=pixel)
    if side < 3:
        run = x if side == 0 else z
        waves = np.sin(run * 31.0 + 2.0 * fbm3(s.points, 2.0, seed=seed + 14, octaves=2))
        raised = 0.012 * waves * smoothstep(TABLE["top"], TABLE["top"] - TABLE["drop"], s.points[..., 1]) + 0.004 * soft
    else:
        creases = np.exp(-((np.abs(np.mod(z * 1.15, 1.0) - 0.5) / 0.010) ** 2)) + np.exp(-((np.abs(x) / 0.010) ** 2))
        ridges = 1.0 - np.abs(fbm3(s.points, 3.2, seed=seed + 15, octaves=4, pixel_m=pixel)) * 2.0
        raised = 0.0016 * creases + 0.0050 * soft + 0.0035 * np.maximum(ridges - 0.55, 0.0)
    normals = bumped(s.points, s.normals, raised.astype(np.float32))
    return {"linen": 1.0 + 0.07 * weave}, room.on(s.points, normals, wrap=0.12)
