"""Lava lizard: a small lizard on a block of old lava, by a long lens in the late morning."""

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.interpolate import PchipInterpolator

from matiz.colour.illuminants import daylight

from ..ground import GroundPlane, Relief
from ..kept import keep_last
from ..kernels.lighting import bumped
from ..scene import Box, Map, Scene, box_of
from ..shading import Shaded, ambient, fbm3, from_sky, from_sun, lay, shine, sun_shadow
from ..solids import Solid, Surface, trace
from ..textures import cells, fbm, grid, smoothstep
from ..view import SceneView

SUN = (-0.60, 0.66, -0.46)
"""Toward the sun: left, up, behind the camera."""
SUN_LEVEL, SKY_LEVEL = 0.85, 0.20
PLACE_Z = 1.22
"""Distance of the animal, m."""

SPINE = np.array([
    [-0.1150, 0.0700, 0.0000, 0.0030], [-0.1110, 0.0712, 0.0000, 0.0048], [-0.1030, 0.0730, 0.0000, 0.0074],
    [-0.0930, 0.0735, 0.0005, 0.0098], [-0.0830, 0.0715, 0.0010, 0.0104], [-0.0720, 0.0650, 0.0020, 0.0096],
    [-0.0600, 0.0560, 0.0030, 0.0118], [-0.0450, 0.0465, 0.0045, 0.0152], [-0.0250, 0.0375, 0.0065, 0.0172],
    [-0.0020, 0.0300, 0.0090, 0.0178], [0.0200, 0.0240, 0.0120, 0.0160], [0.0380, 0.0200, 0.0150, 0.0125],
    [0.0560, 0.0165, 0.0180, 0.0094], [0.0850, 0.0125, 0.0200, 0.0070], [0.1200, 0.0100, 0.0160, 0.0053],
    [0.1550, 0.0085, 0.0060, 0.0040], [0.1850, 0.0085, -0.0080, 0.0030], [0.2120, 0.0100, -0.0220, 0.0020],
    [0.2360, 0.0140, -0.0330, 0.0009],
])  # fmt: skip
"""X, height over the rock, Z beside PLACE_Z, radius, m."""

EYE = np.array([-0.0985, 0.0760, -0.0064])
LIMBS = {
    "near arm": [[-0.052, 0.045, -0.008, 0.0076], [-0.064, 0.026, -0.021, 0.0056], [-0.047, 0.007, -0.027, 0.0036]],
    "far arm": [[-0.052, 0.045, 0.014, 0.0074], [-0.078, 0.026, 0.026, 0.0052], [-0.090, 0.006, 0.024, 0.0034]],
    "near leg": [[0.026, 0.022, -0.002, 0.0098], [0.004, 0.021, -0.024, 0.0078], [0.034, 0.007, -0.030, 0.0046]],
}
TOES = {
    "near arm": [(-1.0, 0.010), (-0.75, 0.013), (-0.40, 0.013), (0.0, 0.011), (0.5, 0.008)],
    "far arm": [(-1.1, 0.010), (-0.7, 0.012), (-0.3, 0.012), (0.2, 0.010)],
    "near leg": [(-1.15, 0.012), (-0.95, 0.019), (-0.75, 0.022), (-0.45, 0.016), (0.1, 0.010)],
}
"""Of each foot: the way the toe points (radians from straight toward the camera, to the left negative), length."""


def lava_lizard(size: tuple[int, int], view: int = 0, seed: int = 23) -> Scene:
    """view counts the frames of a burst: the head turns, rises and sinks a little."""
    stage = _stage(size, seed)
    scene = stage.scene.copy()
    animal, eye, line = _animal(stage.relief, view)
    balls = animal.spheres(least_m=0.0012)
    sun, sky = scene.irradiance["sun"][stage.box], scene.irradiance["sky"][stage.box]
    sun *= sun_shadow(stage.points, SUN, balls)
    sky *= ambient(stage.points, stage.normals, balls)
    surface = trace(stage.camera, animal)
    if surface is not None:
        _skin(scene, stage.camera, surface, line, balls, seed)
    ball = trace(stage.camera, eye)
    if ball is not None:
        _eye(scene, stage.camera, ball)
    return scene


@dataclass(frozen=True)
class _Stage:
    """What stays the same through a burst: the camera on its rest, the rock, the ground beyond."""

    camera: SceneView
    scene: Scene
    relief: Relief
    box: Box
    """The part of the picture in which rock is, and its places and normals."""
    points: Map
    normals: Map


@keep_last
def _stage(size: tuple[int, int], seed: int) -> _Stage:
    camera = SceneView(size, 98.0 / 36.0, (0.002, 0.300, 0.0), horizon=-0.268)
    # what is behind is far out of focus: half the size shows all that will be seen of it
    half = (size[0] // 2, size[1] // 2)
    x, y = grid(half)
    lights = {"sun": daylight(5200.0), "sky": daylight(10_500.0)}
    scene = Scene(half, lights, {"sun": np.full_like(x, SUN_LEVEL), "sky": np.full_like(x, SKY_LEVEL)})
    scene.depth_m = np.full_like(x, 9.0)
    _distance(scene, x, y, seed)
    scene = scene.enlarged(size)
    relief = _rock_heights(camera, seed)
    return _Stage(camera, scene, relief, *_rock(scene, camera, relief, seed))


def _distance(scene: Scene, x: Map, y: Map, seed: int) -> None:
    """Dry ground and scrub some metres behind; the lens makes discs of its bright spots."""
    depth = 0.55 / (y + 0.12)
    u, v = (x - 0.5) * depth * 5.0, depth * 9.0
    ground = fbm(u * 1.2, v * 0.7, seed=seed, octaves=5)
    bushes = smoothstep(0.02, 0.45, fbm(u * 0.9 + 3.0, v * 0.5, seed=seed + 3, octaves=4))
    leaf = fbm(u * 14.0, v * 9.0, seed=seed + 4, octaves=4)
    bright, value = cells(u * 11.0, v * 8.0, seed=seed + 5)
    pebbles = smoothstep(0.25, 0.5, bright) * (value > 0.90)
    tone = np.clip(0.50 + 0.50 * ground, 0.05, 1.4)
    glints = bushes * (leaf > 0.42) * (value > 0.75) * 2.6
    scene.shade((1.0 - 0.72 * bushes * smoothstep(0.3, -0.3, leaf)).astype(np.float32), ("sun",))
    scene.put_mix(np.ones_like(x), {
        "sand": tone * (1.0 - bushes) * 0.8 + 0.1 + 0.30 * bushes, "earth": tone * 0.5 * (1.0 - bushes) + 0.2 * bushes,
        "leaves": bushes * (0.35 + 0.35 * leaf + 0.5 * glints), "basalt": (1.0 - bushes) * 0.4,
        "salt": 0.6 * pebbles * (1.0 - bushes) + 0.25 * glints,
    })  # fmt: skip


def _rock_heights(camera: SceneView, seed: int) -> Relief:
    """A ridge across the picture that falls away before and behind the animal."""
    plane = GroundPlane(camera, camera.focal * camera.position[1] / 1.52, 0.667 - camera.middle + 0.10)
    X, Z = plane.X, plane.Z
    near, far = (Z - PLACE_Z + 0.02), (Z - PLACE_Z - 0.05)
    base = -0.17 * smoothstep(0.05, -0.30, near) - 0.30 * smoothstep(0.0, 0.24, far)
    base += 0.030 * smoothstep(0.02, -0.24, X) - 0.035 * smoothstep(0.06, 0.26, X)
    foot = plane.pixel_deep
    broad = fbm(X * 8.0, Z * 8.0, seed=seed + 9, octaves=3, footprint=foot * 8.0)
    ridged = 1.0 - 2.0 * np.abs(fbm(X * 22.0, Z * 22.0, seed=seed + 11, octaves=3, footprint=foot * 22.0))
    rough = fbm(X * 90.0, Z * 90.0, seed=seed + 14, octaves=5, footprint=foot * 90.0, roughness=0.5)
    holes = np.zeros_like(X)
    for n, often in enumerate((95.0, 210.0)):
        pits, kind = cells(X * often + 0.3 * rough, Z * often + 0.3 * rough, seed=seed + 16 + n)
        holes += smoothstep(0.15, 0.65, pits) * (kind > 0.5) / often
    height = base + 0.011 * broad + 0.0048 * ridged + 0.0013 * rough - 0.30 * holes * smoothstep(-0.3, 0.4, broad)
    return Relief(plane, height.astype(np.float32), there=Z < 1.50)


def _rock(scene: Scene, camera: SceneView, relief: Relief, seed: int) -> tuple[Box, Map, Map]:
    """Rough basalt with rust and lichen; returns where it is, its points and its normals."""
    plane = relief.plane
    depth = relief.seen(plane.Z) - np.float32(camera.position[2])
    points = np.dstack([relief.seen(plane.X), relief.seen(relief.height_m), depth])
    normals = np.ascontiguousarray(relief.seen(relief.normals))
    box = box_of(relief.cover)
    zero = np.zeros(depth.shape, np.float32)
    s = Surface(camera.whole, relief.cover, depth, points, normals, zero.astype(np.int32), zero)
    s.more["sun"] = relief.seen(relief.sun(SUN, width=0.02, first_step=0.0006))
    s.more["sky"] = relief.seen(relief.hollows(61, 0.014) * relief.hollows(15, 0.004))
    s = s.part(box)
    lay(scene, s, lambda s: _basalt(s, camera, seed), mask="rock")
    return box, s.points, s.normals


def _basalt(s: Surface, camera: SceneView, seed: int) -> Shaded:
    points, smooth, pixel = s.points, s.normals, s.depth * np.float32(camera.pixel)
    patches = fbm3(points, 16.0, seed=seed + 18, octaves=5, pixel_m=pixel)
    fine = fbm3(points, 330.0, seed=seed + 20, octaves=4, pixel_m=pixel, roughness=0.6)
    spots = fbm3(points, 46.0, seed=seed + 19, octaves=6, pixel_m=pixel, roughness=0.6)
    grain = fbm3(points, 700.0, seed=seed + 21, octaves=3, pixel_m=pixel, roughness=0.7)
    rust = smoothstep(0.0, 0.7, patches + 0.3 * fine)
    lichen = smoothstep(0.36, 0.43, spots) * smoothstep(0.35, 0.8, smooth[..., 1])
    crust = smoothstep(0.40, 0.46, fbm3(points, (60.0, 60.0, 61.0), seed=seed + 23, octaves=5, pixel_m=pixel))
    grey = np.clip(1.10 + 0.65 * fine + 0.45 * patches, 0.3, 2.2)
    bare = (1.0 - lichen) * (1.0 - 0.8 * crust)
    parts = {
        "basalt": grey * (1.0 - 0.45 * rust) * bare, "rust": 0.16 * rust * grey * bare,
        "lichen": lichen * (0.40 + 0.22 * fine), "plaster": 0.30 * crust * (1.0 - lichen) * (0.8 + 0.4 * fine),
    }  # fmt: skip
    normals = bumped(points, smooth, (0.00055 * fine + 0.00030 * grain).astype(np.float32))
    turned = np.maximum(normals @ _unit_sun(), 0.0) / np.maximum(smooth @ _unit_sun(), 0.05)
    light = {
        "sun": SUN_LEVEL * s.more["sun"] * turned, "sky": SKY_LEVEL * s.more["sky"] * (0.55 + 0.45 * normals[..., 1]),
    }  # fmt: skip
    return parts, light


def _animal(relief: Relief, view: int) -> tuple[Solid, Solid, np.ndarray]:
    """The body, the eye, and the smooth line of the back (n, 4) that the scales follow."""
    nod = 0.0022 * np.sin(1.3 * view)
    spine = SPINE.copy()
    head = smoothstep(-0.055, -0.085, spine[:, 0])
    spine[:, 1] += nod * head
    spine[:, 2] -= 0.004 * np.sin(0.9 * view) * head * (0.2 + (-0.085 - spine[:, 0]) * 30.0)
    ground = np.array([relief.height_at(float(p[0]), PLACE_Z + float(p[2])) for p in spine])
    spine[:, 1] += cv2.GaussianBlur(ground.astype(np.float32).reshape(-1, 1), (1, 7), 2.0).ravel()
    spine[:, 2] += PLACE_Z
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(spine[:, :3], axis=0), axis=1))])
    line = PchipInterpolator(lengths, spine, axis=0)(np.linspace(0.0, lengths[-1], 56))
    body = Solid()
    body.chain(line, blend=0.003, flat=((0.0, 1.0, 0.12), 1.10))
    at_head = spine[3, :3] - SPINE[3, :3]
    for side in (-1.0, 1.0):
        # brow, cheek and the muscle behind the jaw
        body.add(at_head + (-0.1045, 0.0775, side * 0.0050), 0.0022, at_head + (-0.0925, 0.0800, side * 0.0066), 0.0026,
                 blend=0.003)  # fmt: skip
        body.add(at_head + (-0.0850, 0.0690, side * 0.0062), 0.0060, blend=0.006)
        body.add(at_head + (-0.0985, 0.0760, side * 0.0052), 0.0036, blend=0.0015)
    body.add(at_head + (-0.1110, 0.0672, 0.0), 0.0028, at_head + (-0.0880, 0.0655, 0.0), 0.0068, blend=0.003)
    body.add(at_head + (-0.0840, 0.0600, 0.0), 0.0066, at_head + (-0.0660, 0.0490, 0.002), 0.0088, blend=0.006)
    for name, limb in LIMBS.items():
        joints = np.array(limb)
        joints[:, 1] += [relief.height_at(float(j[0]), PLACE_Z + float(j[2])) for j in joints]
        joints[0, 1] = limb[0][1] + relief.height_at(limb[0][0], PLACE_Z)
        joints[:, 2] += PLACE_Z
        body.chain(joints, blend=0.006)
        wrist = joints[-1]
        for angle, length in TOES[name]:
            reach = np.array([np.sin(angle), 0.0, -np.cos(angle)]) * length
            tip = wrist[:3] + reach
            tip[1] = relief.height_at(float(tip[0]), float(tip[2])) + 0.0014
            middle = wrist[:3] + reach * 0.5
            middle[1] = max(relief.height_at(float(middle[0]), float(middle[2])) + 0.0034, (wrist[1] + tip[1]) / 2)
            body.chain([[*wrist[:3], 0.0020], [*middle, 0.0015], [*tip, 0.0010]], blend=0.0022)
    ridge = line[(line[:, 0] > -0.08) & (line[:, 0] < 0.03)]
    for n, (px, py, pz, r) in enumerate(np.repeat(ridge, 2, axis=0)):
        root = np.array([px + 0.0012 * (n % 2), py + 0.86 * r, pz])
        body.add(root, 0.0007, root + (0.0011, 0.0016, 0.0), 0.0002, blend=0.0006)
    eye = Solid()
    eye.add(at_head + EYE, 0.0034)
    return body, eye, line


def _skin(scene: Scene, camera: SceneView, s: Surface, line: np.ndarray, balls: np.ndarray, seed: int) -> None:
    few = s.points[::8, ::8, None, :] - line[None, None, ::2, :3].astype(np.float32)
    near = np.argmin((few * few).sum(axis=3), axis=2).astype(np.float32) * 2.0
    near = cv2.resize(near, s.cover.shape[::-1], interpolation=cv2.INTER_LINEAR)
    limb = s.body >= len(line) - 1
    # evened out, since a place between two bodies jumps from the end of one to the start of the next
    weight = cv2.GaussianBlur(s.cover, (0, 0), 0.0022 * camera.size[0]) + np.float32(1e-4)
    on_body = cv2.GaussianBlur((s.body + s.along) * s.cover, (0, 0), 0.0022 * camera.size[0]) / weight
    s.more["near"] = np.where(limb, near, on_body)
    lay(scene, s, lambda s: _scales(s, camera, line, balls, seed), mask="subject")


def _scales(s: Surface, camera: SceneView, line: np.ndarray, balls: np.ndarray, seed: int) -> Shaded:
    """Keeled scales, a dark banded back, pale specks, a blue-green flank, a pale throat."""
    near, limb = s.more["near"], s.body >= len(line) - 1
    at = [np.interp(near, np.arange(len(line)), line[:, c]).astype(np.float32) for c in range(4)]
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line[:, :3], axis=0), axis=1))])
    along = np.interp(near, np.arange(len(line)), length).astype(np.float32)
    radius = np.maximum(at[3], 0.002)
    up, out = (s.points[..., 1] - at[1]) / radius, (at[2] - s.points[..., 2]) / radius
    around = np.arctan2(up, np.maximum(out, -0.2)).astype(np.float32)
    head = smoothstep(-0.074, -0.084, s.points[..., 0])

    jitter = fbm3(s.points, 420.0, seed=seed + 30, octaves=2)
    scale_m = (0.00105 + 0.0008 * head) * (0.75 + 0.25 * smoothstep(0.004, 0.014, radius))
    # on the body scales follow the back; on legs and head they lie as they come
    loose = np.maximum(limb.astype(np.float32), head) > 0.5
    u = np.where(loose, s.points[..., 0], along * 0.75) / scale_m + 0.25 * jitter
    v = np.where(loose, s.points[..., 1], around * radius) / scale_m
    gap, value = cells(u, v, seed=seed + 31, count=1024)
    plates = smoothstep(0.0, 0.45, gap)
    keel = np.where(loose, 0.0, 0.35 * np.sin(6.28 * v) * plates)
    relief = (plates * 1.1 + keel).astype(np.float32)
    folds = fbm3(s.points, (160.0, 90.0, 160.0), seed=seed + 33, octaves=4)
    raised = cv2.GaussianBlur(relief, (0, 0), 0.8) * 0.00011 + 0.00035 * folds
    normals = bumped(s.points, s.normals, raised.astype(np.float32))

    # other parts are looked for a little off the skin, so that a part does not shade itself
    sun = from_sun(s.points, normals, SUN, None) * np.sqrt(
        sun_shadow(s.points + s.normals * np.float32(0.004), SUN, balls)
    )
    sky = from_sky(s.points, normals, balls, up=0.75)
    bounce = 0.10 * np.clip(-normals[..., 1], 0.0, 1.0)
    glint = shine(s.points, normals, camera.position, SUN, 26.0) * (sun > 0.02)
    pale_rim = smoothstep(0.15, 0.75, relief)

    leg = limb & (along > 0.066)
    belly = smoothstep(0.0, -0.55, up)
    throat = smoothstep(0.15, -0.40, up) * smoothstep(0.075, 0.055, along) * smoothstep(0.006, 0.016, along) * ~leg
    flank = smoothstep(0.25, -0.35, up) * smoothstep(0.055, 0.085, along) * smoothstep(0.185, 0.140, along) * (~limb)
    band_at = along * 95.0 + 1.6 * fbm3(s.points, 55.0, seed=seed + 36, octaves=3)
    band = smoothstep(-0.25, 0.55, np.sin(band_at)) * smoothstep(0.05, 0.09, along)
    mottle = fbm3(s.points, 170.0, seed=seed + 38, octaves=4)
    speck = (
        smoothstep(0.80, 0.92, value) * smoothstep(0.0, 0.5, mottle + 0.3 * up) * (1.0 - throat) * (1.0 - 0.7 * head)
    )
    base = (0.78 + 0.40 * value + 0.30 * mottle) * (0.60 + 0.40 * pale_rim)
    mouth = _mouth(s, line)
    dark = np.clip((1.0 - throat) * (1.0 - 0.70 * flank) * (1.0 - speck), 0.0, 1.0)
    parts = {
        "scale_dark": base * dark * (1.55 - 0.95 * band) * (1.0 + 0.5 * head),
        "rust": base * dark * (0.05 + 0.14 * band + 0.10 * head) * (1.0 - 0.6 * belly),
        "sand": base * dark * (0.10 + 0.22 * band + 0.08 * head) + 0.30 * speck, "scale_teal": base * flank * 0.62,
        "scale_pale": base * (throat * 0.95 + 0.34 * speck + 0.10 * flank + 0.10 * belly * dark),
        "scale_red": base * throat * 0.12 + 0.10 * base * dark * head,
    }  # fmt: skip
    parts = {name: (share * mouth).astype(np.float32) for name, share in parts.items()}
    parts["white"] = (0.10 * glint).astype(np.float32)
    light = {"sun": SUN_LEVEL * (sun + bounce), "sky": SKY_LEVEL * (sky + bounce)}
    return parts, light


def _unit_sun() -> np.ndarray:
    return np.asarray(SUN, np.float32) / np.float32(np.linalg.norm(SUN))


def _mouth(s: Surface, line: np.ndarray) -> Map:
    """1 on skin, less in the line of the lips, the ear and the nostril."""
    x, y = s.points[..., 0] - line[0, 0], s.points[..., 1] - line[0, 1]
    lips = np.exp(-(((y + 0.0012 - 0.06 * x - 1.6 * x * x) / 0.00032) ** 2)) * smoothstep(0.0235, 0.0215, x)
    ear = smoothstep(1.0, 0.6, np.hypot((x - 0.0325) / 0.0019, (y + 0.0010) / 0.0026))
    nostril = smoothstep(1.0, 0.5, np.hypot((x - 0.0026) / 0.0006, (y - 0.0022) / 0.0005))
    return np.asarray(1.0 - 0.72 * np.maximum(np.maximum(lips, ear), nostril), np.float32)


def _eye(scene: Scene, camera: SceneView, s: Surface) -> None:
    """A dark pupil in a copper iris within scaly lids, with the sun in it."""
    centre = s.points.reshape(-1, 3)[np.argmax(s.cover)] if s.cover.max() > 0 else np.zeros(3)
    where = s.points[s.cover > 0.5]
    centre = where.mean(axis=0) if len(where) else centre
    r = np.hypot(s.points[..., 0] - centre[0], (s.points[..., 1] - centre[1]) * 1.12)
    lid = smoothstep(0.00235, 0.00250, r)
    iris = smoothstep(0.00215, 0.00200, r)
    pupil = smoothstep(0.00118, 0.00104, r)
    rays = fbm3(s.points, 1500.0, seed=3, octaves=3)
    parts = {
        "scale_dark": lid * 0.9 + 0.3 * (1.0 - iris) * (1.0 - lid), "scale_pale": 0.10 * lid,
        "rust": iris * (1.0 - pupil) * (0.75 + 0.5 * rays), "cloth_ochre": iris * (1.0 - pupil) * 0.4 * (1.0 + rays),
        "cloth_dark": pupil * 0.2,
    }  # fmt: skip
    parts = {name: np.asarray(share, np.float32) for name, share in parts.items()}
    sun = from_sun(s.points, s.normals, SUN, None) * (
        0.35 + 0.65 * smoothstep(0.0014, -0.0012, s.points[..., 1] - centre[1])
    )
    light = {"sun": SUN_LEVEL * sun, "sky": SKY_LEVEL * from_sky(s.points, s.normals, None)}
    scene.lay(s.box, s.cover, s.depth - np.float32(1e-4), parts, light, mask="eye")
    wet = (1.0 - lid) * s.cover
    glint = np.zeros((scene.size[1], scene.size[0]), np.float32)
    glint[s.box] = wet * (6.0 * shine(s.points, s.normals, camera.position, SUN, 900.0))
    scene.glow("sun", glint)
    sky = np.zeros_like(glint)
    sky[s.box] = wet * 0.10 * smoothstep(0.1, 0.9, s.normals[..., 1])
    scene.glow("sky", sky)
