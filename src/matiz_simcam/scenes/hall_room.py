"""The grain hall itself: its light, walls, timber, windows, and the long table."""

from dataclasses import replace
from functools import partial

import numpy as np

from matiz.colour.illuminants import black_body, daylight

from ..kept import keep_last
from ..kernels.lighting import bumped
from ..planes import beam_surfaces, facet
from ..scene import Map, Scene
from ..shading import Shaded, fbm3, lay
from ..solids import Surface
from ..textures import smoothstep
from ..view import SceneView
from .hall_light import HALL, HallLight

LIGHTS = ("lanterns", "window")
LEAST_HALVED_PX = 600


def empty_hall(camera: SceneView, seed: int, blurred: bool = False) -> Scene:
    """The room without people, with maps of its own.

    blurred: it is far out of focus, and half the size shows all that will be seen of it.
    """
    if not blurred or min(camera.size) <= LEAST_HALVED_PX:
        return _lit_hall(camera, seed).copy()
    half = replace(camera, size=(camera.size[0] // 2, camera.size[1] // 2))
    return _lit_hall(half, seed).enlarged(camera.size)


@keep_last
def _lit_hall(camera: SceneView, seed: int) -> Scene:
    """Kept, since several pictures are taken from one place."""
    dark = np.zeros((camera.size[1], camera.size[0]), np.float32)
    lights = {"lanterns": black_body(2250.0), "window": daylight(7000.0)}
    scene = Scene(camera.size, lights, {"lanterns": dark, "window": dark.copy()},
                  glows={"outside": daylight(7400.0), "flame": black_body(1950.0)})  # fmt: skip
    _shell(scene, camera, HallLight(), seed)
    return scene


def pixel_of(camera: SceneView, s: Surface) -> Map:
    return s.depth * np.float32(camera.pixel)


def _shell(scene: Scene, camera: SceneView, room: HallLight, seed: int) -> None:
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
    benches = [((x - 0.16, 0.40, 2.2), (x + 0.16, 0.45, 5.75)) for x in (-0.84, 0.84)]
    timber = [((x - 0.09, 0.0, z - 0.09), (x + 0.09, top, z + 0.09)) for z in (8.6, 5.2, 3.1) for x in (left, right)]
    timber += benches
    timber += [((left, top - 0.62, z - 0.10), (right, top - 0.40, z + 0.10)) for z in (8.6, 5.2, 3.1)]
    for n, (low, high) in enumerate(timber):
        along = int(np.argmax(np.subtract(high, low)))
        for s in beam_surfaces(camera, low, high):
            lay(scene, s, partial(_timber, camera=camera, room=room, along=along, seed=seed + n))


def _timber(s: Surface, camera: SceneView, room: HallLight, along: int, seed: int) -> Shaded:
    """Rough-sawn oak with checks along the grain."""
    pixel_m = pixel_of(camera, s)
    grain = fbm3(s.points, _run(along, 60.0, 3.0), seed=seed, octaves=5, pixel_m=pixel_m)
    cracks = fbm3(s.points, _run(along, 70.0, 1.1), seed=seed + 40, octaves=4, pixel_m=pixel_m)
    checks = smoothstep(0.36, 0.50, cracks)
    normals = bumped(s.points, s.normals, (0.0030 * grain - 0.004 * checks).astype(np.float32))
    tone = np.clip(0.85 + 0.45 * grain - 0.55 * checks, 0.1, 1.8)
    return {"old_wood": tone * 0.9}, room.on(s.points, normals)


def _run(along: int, across_per_m: float, along_per_m: float) -> Map:
    """How fast wood changes in each direction, whose grain lies along one of the three."""
    return np.where(np.arange(3) == along, along_per_m, across_per_m).astype(np.float32)


def _boards(s: Surface, camera: SceneView, room: HallLight, per_m: float, seed: int, dim: float = 1.0) -> Shaded:
    """Boards side by side, each with its own tone, with gaps, grain and knots."""
    across = s.points[..., 0] * np.float32(per_m)
    board = np.floor(across)
    inside = np.abs(across - board - np.float32(0.5))
    pixel = pixel_of(camera, s)
    gap = smoothstep(0.48, 0.5, inside)
    own = np.mod(np.sin(board * 91.7) * 4375.5, 1.0)
    stretch = (90.0, 4.0, 4.0)
    moved = s.points + (own * np.float32(7.0 * 0.37))[..., None]
    # boards lie along the depth or stand: whichever it is, the other is the same for all
    along = s.points[..., 1] + s.points[..., 2]
    knot, nail = _knots_and_nails(across - board - 0.5, along, own, per_m)
    grain = fbm3(moved.astype(np.float32), stretch, seed=seed, octaves=5, pixel_m=pixel)
    stains = fbm3(s.points, 1.3, seed=seed + 1, octaves=5)
    dust = fbm3(s.points, 260.0, seed=seed + 2, octaves=2, pixel_m=pixel)
    tone = (0.60 + 0.55 * own + 0.45 * grain + 0.25 * stains + 0.08 * dust) * (1.0 - 0.85 * gap)
    tone = np.clip(tone * (1.0 - 0.38 * knot) * (1.0 - 0.7 * nail), 0.03, 1.8)
    height = (-0.0030 * gap + 0.0006 * grain - 0.0010 * knot - 0.0012 * nail).astype(np.float32)
    parts = {"old_wood": tone * np.float32(0.62 * dim), "wood": tone * np.float32(0.24 * dim)}
    return parts, room.on(s.points, bumped(s.points, s.normals, height))


def _knots_and_nails(beside: Map, along: Map, own: Map, per_m: float) -> tuple[Map, Map]:
    """0..1 each: a knot here and there, with its rings; two nails across each board where a joist runs."""
    x = beside / np.float32(per_m)
    place = np.floor(along / 1.15 + own * 9.0)
    chance = np.mod(np.sin(place * 37.1 + own * 311.0) * 937.7, 1.0)
    centre = (place + 0.5 - own * 9.0) * 1.15 + 0.3 * (chance - 0.5)
    radius = np.hypot(x - (chance - 0.5) * 0.08, (along - centre) / 2.8)
    size = 0.012 + 0.016 * chance
    rings = 0.75 + 0.25 * np.cos(radius * 900.0)
    knot = smoothstep(1.0, 0.75, radius / size) * rings * (chance > 0.86)
    joist = np.mod(along + 0.2, 0.9) - 0.45
    nail = smoothstep(0.0055, 0.0035, np.hypot(np.abs(x) - 0.28 / per_m, joist))
    return np.asarray(knot, np.float32), np.asarray(nail, np.float32)


def _plaster(s: Surface, camera: SceneView, room: HallLight, seed: int) -> Shaded:
    """Lime wash over stone: uneven, stained, darker near the floor."""
    pixel = pixel_of(camera, s)
    stones = fbm3(s.points, (3.0, 5.0, 3.0), seed=seed + 5, octaves=3, pixel_m=pixel)
    rough = fbm3(s.points, 24.0, seed=seed + 6, octaves=6, pixel_m=pixel, roughness=0.6)
    stains = fbm3(s.points, (0.8, 0.5, 0.8), seed=seed + 8, octaves=5)
    normals = bumped(s.points, s.normals, (0.009 * stones + 0.0016 * rough).astype(np.float32))
    bare = 0.6 * smoothstep(0.25, 0.75, stains + 0.12 * rough) + 0.6 * smoothstep(
        0.6, 0.0, s.points[..., 1] + 0.2 * stains
    )
    wash = np.clip(0.66 + 0.05 * rough + 0.16 * stains, 0.2, 1.0)
    parts = {"plaster": wash * (1.0 - 0.6 * np.clip(bare, 0, 1)), "sand": 0.45 * np.clip(bare, 0, 1)}
    return parts, room.on(s.points, normals)


def _window(
    scene: Scene, camera: SceneView, room: HallLight, low: np.ndarray, high: np.ndarray, flat: int, seed: int
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
    glow = np.zeros((scene.size[1], scene.size[0]), np.float32)
    glow[s.box] = scene.masks["window"][s.box] * s.cover * _outside(s, camera, seed)
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
            along = side if b - a > top - bottom else 1
            lay(scene, s, partial(_bar, camera=camera, room=room, along=along, seed=seed))


def _outside(s: Surface, camera: SceneView, seed: int) -> Map:
    """What the panes show: ridges behind each other in haze below an evening sky, and trees before them."""
    toward = s.points - np.asarray(camera.position, np.float32)
    azimuth = np.arctan2(toward[..., 0], toward[..., 2])
    level = toward[..., 1] / np.hypot(toward[..., 0], toward[..., 2])
    here = np.ascontiguousarray(np.stack([azimuth, 3.0 * level, 0.0 * level], axis=2), np.float32)
    cloud = fbm3(here, (5.0, 9.0, 1.0), seed=seed + 21, octaves=6, roughness=0.55)
    out = 4.3 + 2.8 * np.exp(-np.clip(level, 0.0, 1.0) / 0.12) + 1.1 * cloud
    line = np.ascontiguousarray(np.stack([azimuth, 0.0 * level, 0.0 * level], axis=2), np.float32)
    ranges = ((0.050, 0.045, 0.26), (0.015, 0.040, 0.17), (-0.035, 0.030, 0.09), (-0.045, 0.16, 0.035))
    for n, (base, rough, light) in enumerate(ranges):
        ridge = base + rough * fbm3(line, 9.0 + 8.0 * n, seed=seed + 30 + n, octaves=7, roughness=0.55)
        slopes = fbm3(here, (60.0, 60.0, 1.0), seed=seed + 40 + n, octaves=5)
        below = np.clip((ridge - level) / 0.05, 0.0, 1.0)
        hill = light * (1.0 + 0.25 * slopes * (1.0 - 0.5 * below) + 0.3 * below)
        cover = smoothstep(-0.0015, 0.0015, ridge - level)
        out = out * (1.0 - cover) + hill * cover
    return np.asarray(np.maximum(out, 0.05), np.float32)


def _bar(s: Surface, camera: SceneView, room: HallLight, along: int, seed: int) -> Shaded:
    """Painted wood before the bright sky, which lights it round its edges."""
    light = room.on(s.points, s.normals)
    light["window"] = light["window"] + np.float32(0.10)
    grain = fbm3(s.points, _run(along, 90.0, 4.0), seed=seed + 9, octaves=4, pixel_m=pixel_of(camera, s))
    return {"old_wood": 0.9 + 0.3 * grain}, light
