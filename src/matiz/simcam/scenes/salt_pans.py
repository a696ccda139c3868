"""Salt pans at dawn: pools between earth banks, crust in the foreground, ridges in the haze."""

import cv2
import numpy as np

from ...colour.illuminants import black_body, daylight
from ..scene import Map, Scene
from ..textures import blurred, cells, fbm, grid, polygon, slope_light, smoothstep

HORIZON = 0.26
"""Height of the horizon, in picture widths from the top."""
SUN_X = 0.74
GLOWS = {
    "warm": black_body(2900.0),
    "pale": daylight(5200.0),
    "blue": daylight(14_000.0),
    "haze_warm": black_body(3400.0),
    "haze_blue": daylight(9000.0),
}


def salt_pans(size: tuple[int, int], view: int = 0, seed: int = 11) -> Scene:
    """view moves the camera along the pans: 0, 1, 2, ..."""
    x, y = grid(size)
    lights = {"sun": black_body(3300.0), "sky": daylight(11_000.0)}
    scene = Scene(size, lights, {"sun": np.full_like(x, 0.55), "sky": np.full_like(x, 0.28)}, glows=GLOWS)
    _above(scene, x, y, view, seed)
    mirrored = {name: amount.copy() for name, amount in scene.emission.items()}
    below = (slice(int((HORIZON - 0.002) * size[0]), size[1]), slice(0, size[0]))
    _ground(scene.window(below), x[below], y[below], mirrored, view, seed)
    _plank(scene, x, y)
    return scene


def _above(scene: Scene, x: Map, y: Map, view: int, seed: int) -> None:
    """Sky and hills; below the horizon only what the blur of the lens can reach is filled."""
    rows = slice(0, int((HORIZON + 0.01) * x.shape[1]))
    for name, amount in zip(GLOWS, _sky(x[rows], y[rows], view, seed), strict=False):
        full = np.zeros_like(x)
        full[rows] = amount
        scene.glow(name, full)
    _ridges(scene, x, y, view, seed)


def _sky(x: Map, y: Map, view: int, seed: int) -> tuple[Map, Map, Map]:
    """Amounts of warm, pale and blue light: a glow at the horizon, cloud banks lit from below."""
    up = np.abs(HORIZON - y) / HORIZON
    toward_sun = np.exp(-(((x - SUN_X) / 0.30) ** 2))
    low = np.exp(-up * 3.2)
    warm = low * (0.20 + 0.95 * toward_sun) + 0.9 * np.exp(-(((x - SUN_X) / 0.07) ** 2)) * np.exp(-up * 9.0)
    pale = 0.34 * np.exp(-up * 1.6) + 0.05
    blue = 0.10 + 0.24 * (1.0 - np.exp(-up * 2.0))

    # a layer of cloud seen from below: far cloud is small and dense
    depth = 0.16 / (up * HORIZON + 0.035)
    u, v = (x - 0.5) * depth * 6.0 + view * 1.7, depth * 5.0
    footprint = depth**2 * 0.010
    body = fbm(u, v, seed=seed + 1, octaves=6, footprint=footprint)
    body += 0.5 * fbm(u * 0.4 + 9.0, v * 0.4, seed=seed + 8, octaves=3)
    cover = smoothstep(0.02, 0.62, body) * smoothstep(0.04, 0.30, up) * (1.0 - 0.25 * up)
    thickness = smoothstep(0.15, 0.95, body)
    lit = (0.40 + 0.75 * toward_sun) * (1.0 - 0.75 * thickness) * np.exp(-up * 0.9)
    warm = warm * (1.0 - 0.55 * cover) + cover * lit * 0.78
    pale = pale * (1.0 - 0.55 * cover) + cover * (0.16 * lit + 0.04)
    blue = blue * (1.0 - 0.72 * cover) + cover * 0.10 * (0.6 + 0.4 * thickness)
    return warm.astype(np.float32), pale.astype(np.float32), blue.astype(np.float32)


def _ridges(scene: Scene, x: Map, y: Map, view: int, seed: int) -> None:
    """Three ranges of hills, each nearer, darker and clearer."""
    rows = slice(0, int((HORIZON + 0.003) * x.shape[1]))
    full_x, x, y = x, x[rows], y[rows]
    for n, (height, rough, clear) in enumerate(((0.085, 0.050, 0.10), (0.052, 0.042, 0.28), (0.024, 0.030, 0.62))):
        line = fbm(x[:2] * (3.0 + n) + view * 0.4 + n * 5.0, x[:2] * 0.0, seed=seed + 20 + n, octaves=8)[:1]
        crest = HORIZON - height - rough * line
        cover = smoothstep(-0.0007, 0.0007, y - crest) * (y < HORIZON + 0.002)
        folds = fbm(x * 16.0 + n * 3.0, (y - crest) * 26.0 + x * 5.0, seed=seed + 30 + n, octaves=6)
        shade = np.clip(0.55 + 0.9 * folds + 0.35 * (x - SUN_X), 0.08, 1.6).astype(np.float32)
        mist = (1.0 - clear) * (0.78 + 0.30 * smoothstep(crest.min(), HORIZON, y))
        toward_sun = 0.22 + 0.50 * np.exp(-(((x - SUN_X) / 0.33) ** 2))

        def whole(amount: Map) -> Map:
            out = np.zeros_like(full_x)
            out[rows] = amount
            return out

        rock = {"basalt": shade * clear * 0.7, "earth": shade * clear * 0.5, "leaves": 0.18 * clear * shade}
        scene.put_mix(whole(cover), {name: whole(share) for name, share in rock.items()})
        scene.glow("haze_warm", whole(cover * mist * toward_sun * 0.62))
        scene.glow("haze_blue", whole(cover * mist * 0.17))


def _ground(scene: Scene, x: Map, y: Map, mirrored: dict[str, Map], view: int, seed: int) -> None:
    ground = smoothstep(-0.0006, 0.0006, y - HORIZON)
    below = np.maximum(y - HORIZON, 1e-4)
    distance = 0.11 / below
    X = (x - 0.5) * distance * 9.0 + view * 2.3
    Z = distance * 7.0
    footprint = Z / below / x.shape[1]  # depth that one pixel row covers

    # pools: a bent grid of banks, which melts into an even tone where it is finer than the pixels
    warp = fbm(X * 0.16, Z * 0.16, seed=seed + 40, octaves=3, footprint=footprint * 0.16)
    a, b = X * 0.30 + 0.55 * warp, Z * 0.16 + 0.22 * warp + 0.05 * X
    bank = np.minimum(np.abs(a - np.round(a)) * 3.0, np.abs(b - np.round(b)) * 5.6)
    ragged = 0.10 * fbm(X * 3.0, Z * 3.0, seed=seed + 45, octaves=5, footprint=footprint * 3.0)
    seen = np.clip(1.6 - footprint * 0.9, 0.0, 1.0).astype(np.float32)
    pool = smoothstep(0.15, 0.24, bank + ragged) * seen + 0.86 * (1.0 - seen)
    cell_value = np.mod(np.floor(a + 0.5) * 0.618 + np.floor(b + 0.5) * 0.382 + 0.13, 1.0)
    cell_value = (cell_value * seen + 0.3 * (1.0 - seen)).astype(np.float32)
    shore = smoothstep(0.20, 0.60, bank + ragged)
    near = smoothstep(1.15, 0.70, distance)
    crusted = np.maximum(smoothstep(0.62, 0.66, cell_value) * (0.45 + 0.55 * (1.0 - shore)), near)
    wet = (ground * pool * (1.0 - crusted)).astype(np.float32)

    bank_grain = fbm(X * 7.0, Z * 7.0, seed=seed + 60, octaves=9, roughness=0.6, footprint=footprint * 7.0)
    bank_light = np.clip(0.75 + 0.8 * bank_grain, 0.1, 2.0)
    frosted = np.clip(bank_grain + 0.45, 0, 1) * bank_light
    scene.put_mix(ground, {"earth": bank_light * 0.7, "wet_salt": 0.30 * frosted})
    scene.put_mix((ground * pool * crusted).astype(np.float32), _crust(X, Z, footprint, warp, near, seed))
    _water(scene, x, y, wet, X, Z, footprint, cell_value, mirrored, seed)


def _crust(X: Map, Z: Map, footprint: Map, warp: Map, near: Map, seed: int) -> dict[str, Map]:
    """Salt plates with raised rims, grains on them, damp between."""
    gap, plate = cells(X * 1.1 + 0.3 * warp, Z * 1.1, seed=seed + 50)
    gap_small, _ = cells(X * 4.3, Z * 4.3, seed=seed + 51)
    fade = np.clip(1.4 - footprint * 2.2, 0.0, 1.0)
    fine = np.clip(1.4 - footprint * 8.0, 0.0, 1.0)
    grain = fbm(X * 9.0, Z * 9.0, seed=seed + 55, octaves=9, footprint=footprint * 9.0, roughness=0.66)
    rims = np.exp(-((gap / 0.09) ** 2)) * (0.8 + 0.5 * grain) * fade + 0.30 * np.exp(-((gap_small / 0.14) ** 2)) * fine
    swell = fbm(X * 0.9, Z * 0.9, seed=seed + 58, octaves=3, footprint=footprint)
    height = rims * 0.50 + 0.16 * grain * fade + 0.30 * swell * fade
    light = slope_light(height.astype(np.float32), (0.60, -0.45, 0.62), 2.6)
    shade = np.clip(0.38 + 0.62 * light, 0.10, 1.9)
    moist = np.clip(0.42 - rims * 0.8 + 0.5 * (plate - 0.5) * fade + 0.25 * grain, 0.0, 1.0) * (1.0 - 0.25 * near)
    rust = 0.10 * shade * moist * np.clip(swell + 0.4, 0, 1)
    return {"salt": shade * (1.0 - moist), "wet_salt": shade * moist * 0.9, "rust": rust}


def _water(
    scene: Scene,
    x: Map,
    y: Map,
    cover: Map,
    X: Map,
    Z: Map,
    footprint: Map,
    cell_value: Map,
    above: dict[str, Map],
    seed: int,
) -> None:
    """Shallow brine: the mirrored sky and hills through ripples, Fresnel, the floor below."""
    ripple = fbm(X * 2.6, Z * 1.1, seed=seed + 70, octaves=5, footprint=footprint * 2.0)
    ripple = ripple * np.clip(1.2 - footprint * 0.5, 0.10, 1.0)
    calm = smoothstep(-0.2, 0.5, fbm(X * 0.3, Z * 0.3, seed=seed + 75, octaves=3, footprint=footprint * 0.3))
    width = y.shape[1]
    mirrored = 2.0 * HORIZON - y + ripple * 0.010 * (0.2 + calm) - 0.002
    rows = np.clip(mirrored * width - 0.5, 0, HORIZON * width - 1).astype(np.float32)
    columns = (np.clip(x + 0.003 * ripple, 0, 1) * width - 0.5).astype(np.float32)
    grazing = np.clip(1.0 - (y - HORIZON) / 0.42, 0.0, 1.0)
    mirror = (0.06 + 0.86 * grazing**2.0).astype(np.float32)
    murk = 1.0 - mirror
    red = smoothstep(0.25, 0.45, cell_value) * (1 - smoothstep(0.50, 0.62, cell_value))
    scene.put_mix(cover, {"brine": murk * (0.35 + red), "wet_salt": murk * (0.55 - 0.4 * red), "water": murk})
    for name, amount in above.items():
        seen = cv2.remap(amount, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        scene.glow(name, cover * mirror * seen)


def _plank(scene: Scene, x: Map, y: Map) -> None:
    """A weathered plank that leads in from the lower right border, brighter than it should be."""
    width = scene.size[0]
    points = np.array([[1.01, 0.560], [1.01, 0.612], [0.735, 0.505], [0.742, 0.487]]) * width
    cover = polygon(scene.size, points)
    shadow = blurred(polygon(scene.size, points + np.array([-0.012, 0.012]) * width), 0.004 * width)
    scene.shade((1.0 - 0.72 * shadow * (1 - cover)).astype(np.float32), ("sun",))
    along, across = x * 0.94 + y * 0.36, y * 0.94 - x * 0.36
    grain = fbm(along * 22.0, across * 420.0, seed=91, octaves=5, footprint=420.0 / width)
    cracks = smoothstep(0.42, 0.75, fbm(along * 9.0, across * 260.0, seed=95, octaves=4))
    shade = np.clip(1.25 + 0.5 * grain - 0.9 * cracks, 0.08, 2.0).astype(np.float32)
    scene.put_mix(cover, {"wood": shade * 0.8, "plaster": shade * 0.38})
    scene.masks["plank"] = cover
