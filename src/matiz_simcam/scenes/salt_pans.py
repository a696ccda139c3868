"""Salt pans at dawn: pools between earth banks, heaps of raked salt, a crust of plates, hills in the haze."""

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from matiz.colour.illuminants import black_body, daylight

from ..ground import GroundPlane, Relief
from ..kernels.lighting import bumped
from ..planes import facet
from ..scene import Box, Map, Scene, box_of
from ..shading import STRIP_ROWS, Shaded, ambient, fbm3, lay, sun_shadow
from ..solids import Surface
from ..textures import cells, fbm, grid, smoothstep
from ..vectors import dot
from ..view import SceneView

GLOWS = {
    "warm": black_body(2900.0),
    "pale": daylight(5200.0),
    "blue": daylight(14_000.0),
    "haze_warm": black_body(3400.0),
    "haze_blue": daylight(9000.0),
}
SUN_LEVEL, SKY_LEVEL = 0.62, 0.26
FOCAL = 24.0 / 36.0
FAR_M = 900.0
"""Where the plane ends and the hills begin."""
PAN_X, PAN_Z = 15.0, 11.0
"""Size of a pan, m."""


@dataclass(frozen=True)
class PansStandpoint:
    """Where the photographer stands among the pans."""

    x: float
    z: float
    height: float
    horizon: float
    """Row of the horizon in picture widths."""
    sun_x: float
    """Column of the rising sun, which lies behind the hills."""
    focus_m: float = 6.0
    plank: bool = True


STANDPOINTS = (
    PansStandpoint(2.0, 0.0, 1.55, 0.235, 0.74),
    PansStandpoint(9.5, 3.5, 1.70, 0.200, 0.66, plank=False),
    PansStandpoint(-6.5, 6.5, 0.80, 0.290, 0.78, plank=False),
    PansStandpoint(26.0, 1.0, 2.60, 0.180, 0.30),
    PansStandpoint(-20.5, 2.0, 1.20, 0.330, 0.55, plank=False),
    PansStandpoint(40.0, 4.0, 1.45, 0.255, 0.70),
    PansStandpoint(-34.0, 1.5, 0.55, 0.240, 0.62, focus_m=0.95, plank=False),
)


def salt_pans(size: tuple[int, int], view: int = 0, seed: int = 11) -> Scene:
    """view moves the camera along the pans: 0, 1, 2, ..."""
    stand = STANDPOINTS[view % len(STANDPOINTS)]
    x, y = grid(size)
    camera = SceneView(size, FOCAL, (stand.x, stand.height, stand.z), horizon=stand.horizon)
    lights = {"sun": black_body(3300.0), "sky": daylight(11_000.0)}
    scene = Scene(size, lights, {"sun": np.full_like(x, SUN_LEVEL), "sky": np.full_like(x, SKY_LEVEL)}, glows=GLOWS)
    scene.depth_m = np.full_like(x, 1e4)
    rows = slice(0, int((stand.horizon + 0.01) * size[0]))
    # clouds have no edges: half the size shows all there is of them
    half_x, half_y = (
        np.ascontiguousarray(cv2.resize(m[rows], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)) for m in (x, y)
    )
    upper = scene.window((rows, slice(0, size[0])))
    for name, amount in _sky(half_x, half_y, stand, seed).items():
        upper.glow(name, cv2.resize(amount, (size[0], rows.stop), interpolation=cv2.INTER_LINEAR))
    _hills(scene, x, y, stand, seed)
    mirrored = _mirrored_half(scene, stand, seed)
    _ground(scene, camera, stand, x, y, mirrored, seed)
    if stand.plank:
        _plank(scene, camera, stand)
    return scene


def _toward_sun(stand: PansStandpoint) -> tuple[float, float, float]:
    """The sun: low, beyond the pans."""
    return ((stand.sun_x - 0.5) / FOCAL + 0.25, 0.115, 0.62)


def _padded(amount: Map, rows: int, top: int = 0) -> Map:
    """A map of some rows of the picture, with nothing above and below it."""
    return np.pad(amount, ((top, rows - top - amount.shape[0]), (0, 0))).astype(np.float32)


def _mirrored_half(scene: Scene, stand: PansStandpoint, seed: int) -> dict[str, Map]:
    """What water shows: the picture above the horizon, and as much sky above the frame as lies below."""
    width, height = scene.size
    frame = int(stand.horizon * width)
    more = max(height - 2 * frame, 4) // 4 * 4 + 40
    # the sky above the frame is only ever seen broken by ripples: a quarter of the size does
    x = (np.arange(0, width, 4, dtype=np.float32)[None, :] + 2.0) / width
    y = (np.arange(-more, 0, 4, dtype=np.float32)[:, None] + 2.0) / width
    shape = (len(y), x.shape[1])
    x, y = (np.ascontiguousarray(np.broadcast_to(a, shape)) for a in (x, y))
    out = {}
    high = _sky(x, y, stand, seed)
    for name, amount in scene.emission.items():
        upper = high.get(name, np.zeros(shape, np.float32))
        out[name] = np.concatenate([cv2.resize(upper, (width, more), interpolation=cv2.INTER_LINEAR), amount[:frame]])
    return out


def _sky(x: Map, y: Map, stand: PansStandpoint, seed: int) -> dict[str, Map]:
    """A glow over the hills, blue above; two layers of cloud lit from below."""
    height = np.maximum(stand.horizon - y, 0.0) / FOCAL
    side = (x - stand.sun_x) / FOCAL
    near_sun = np.exp(-((side / 0.42) ** 2))
    low = np.exp(-height / 0.115)
    disc = np.exp(-np.hypot(side, (height - 0.055) * 1.2) / 0.065)
    warm = low * (0.16 + 0.62 * near_sun) + 0.85 * disc
    pale = 0.30 * np.exp(-height / 0.22) * (0.75 + 0.4 * near_sun) + 0.05 + 0.35 * disc
    blue = 0.075 + 0.215 * (1.0 - np.exp(-height / 0.10))

    for layer, (ceiling, grain, amount) in enumerate(((0.40, 1.0, 0.85), (1.00, 0.5, 0.50))):
        # a layer seen from below: far cloud is small and dense
        distance = ceiling / (height + 0.050)
        u, v = (x - 0.5) * distance / FOCAL * 1.25 + stand.x * 0.043, distance * 0.95 + stand.z * 0.01
        footprint = distance**2 * np.float32(0.9 / x.shape[1])
        warp = 0.45 * fbm(u * 0.8, v * 0.5, seed=seed + 3 + layer, octaves=3, footprint=footprint * 0.8)
        body = fbm(u * 0.9 + warp, v * 1.9 + warp, seed=seed + 1 + 10 * layer, octaves=7, footprint=footprint * 1.9)
        broad = fbm(u * 0.28, v * 0.40 + 3.0, seed=seed + 8 + layer, octaves=3)
        ripple = fbm(u * 5.5 * grain, v * 11.0 * grain, seed=seed + 5 + layer, octaves=4, footprint=footprint * 11.0)
        density = body + 0.9 * broad + 0.30 * ripple - 0.02
        cover = amount * smoothstep(0.10, 0.75, density) * smoothstep(0.015, 0.10, height)
        thick = smoothstep(0.25, 1.15, density)
        # the side toward the sun, from the change of density that way
        edge = cv2.GaussianBlur(np.gradient(density, axis=1) * np.sign(-side), (0, 0), 2.0 * x.shape[1] / 3000.0 + 0.5)
        edge *= x.shape[1] / 300.0
        lit = (0.30 + 0.80 * np.exp(-((side / 0.75) ** 2))) * (1.0 - 0.72 * thick) + 0.18 * np.clip(edge, -0.6, 1.0)
        lit = np.maximum(lit, 0.02) * np.exp(-height * 0.9)
        warm = warm * (1.0 - 0.75 * cover) + cover * lit * 0.60
        pale = pale * (1.0 - 0.70 * cover) + cover * (0.20 * lit + 0.030)
        blue = blue * (1.0 - 0.62 * cover) + cover * (0.085 + 0.03 * (1.0 - thick))
    return {name: amount.astype(np.float32) for name, amount in (("warm", warm), ("pale", pale), ("blue", blue))}


def _hills(scene: Scene, x: Map, y: Map, stand: PansStandpoint, seed: int) -> None:
    """Four ranges with ridges and gullies, each nearer, darker and clearer."""
    base = stand.horizon + 0.0015
    last = int((stand.horizon + 0.004) * x.shape[1])
    full_x, full_y = x, y
    ranges = (
        (0.070, 0.060, 0.09, 2.3),
        (0.050, 0.046, 0.17, 3.2),
        (0.028, 0.032, 0.32, 4.6),
        (0.008, 0.014, 0.58, 8.0),
    )
    sky = scene.masks["sky"] = np.zeros_like(full_x)
    sky[:last] = y[:last] < base
    for n, (height, rough, clear, often) in enumerate(ranges):
        moved = stand.x * 0.011 * (n + 1) + n * 5.0
        at = full_x[:2] * often + moved
        line = fbm(at, at * 0.0 + n, seed=seed + 20 + n, octaves=9, roughness=0.52)[:1]
        line = line + 0.35 * (1.0 - 2.0 * np.abs(fbm(at * 1.7, at * 0.0, seed=seed + 25 + n, octaves=6)[:1]))
        crest = base - height - rough * line
        rows = slice(max(0, int((crest.min() - 0.002) * full_x.shape[1])), last)
        x, y = full_x[rows], full_y[rows]
        at = x * often + moved
        cover = smoothstep(-0.0005, 0.0005, y - crest) * (y < base)
        sky[rows] *= 1.0 - cover
        down = (y - crest) / np.maximum(base - crest, 1e-3)
        # gullies run down from the crest and fan out
        fan = at * 5.0 + 0.9 * fbm(at * 3.0, down * 2.5, seed=seed + 28 + n, octaves=4)
        gully = 1.0 - 2.0 * np.abs(fbm(fan, down * 1.6 + 0.1 * n, seed=seed + 30 + n, octaves=6))
        fine = fbm(x * 90.0, y * 140.0, seed=seed + 33 + n, octaves=5)
        away = np.sign(x - stand.sun_x)
        face = np.gradient(gully, axis=1) * x.shape[1] / 220.0 * -away
        shade = np.clip(0.38 + 0.30 * gully + 0.26 * np.clip(face, -1.2, 1.2) + 0.18 * fine, 0.05, 1.4).astype(
            np.float32
        )
        near_sun = np.exp(-(((x - stand.sun_x) / 0.30) ** 2))
        mist = (1.0 - clear) * (0.72 + 0.55 * smoothstep(0.15, 1.0, down) * (0.6 + 0.4 * near_sun))

        part = scene.window((rows, slice(0, scene.size[0])))
        rock = {"basalt": shade * clear * 0.75, "earth": shade * clear * 0.42, "leaves": 0.14 * clear * shade}
        part.put_mix(cover, rock)
        part.glow("haze_warm", cover * mist * (0.15 + 0.40 * near_sun) * (0.62 + 0.06 * shade))
        part.glow("haze_blue", cover * mist * np.float32(0.155))


@dataclass
class _Pans:
    """What lies where on the plane: maps of its lines and columns."""

    height: Map
    water: Map
    crust: Map
    heap: Map
    shore: Map


def _pans(plane: GroundPlane, seed: int) -> _Pans:
    """The whole plane, a few lines at a time."""
    strips = [slice(top, min(plane.rows, top + STRIP_ROWS)) for top in range(0, plane.rows, STRIP_ROWS)]
    if strips[-1].stop - strips[-1].start < 2:
        strips[-2:] = [slice(strips[-2].start, strips[-1].stop)]
    done = [_some_pans(plane.X[rows], plane.Z[rows], plane.pixel_deep[rows], seed) for rows in strips]
    return _Pans(*(np.concatenate(maps) for maps in zip(*done, strict=True)))


def _some_pans(X: Map, Z: Map, foot: Map, seed: int) -> tuple[Map, ...]:
    """Banks between pans, water or crust within, heaps of salt along some banks; see _Pans."""
    warp = fbm(X * 0.05, Z * 0.05, seed=seed + 40, octaves=3, footprint=foot * 0.05)
    a, b = X / PAN_X + 0.16 * warp, Z / PAN_Z + 0.13 * warp + 0.02 * X / PAN_X
    across, deep = np.abs(a - np.round(a)) * PAN_X, np.abs(b - np.round(b)) * PAN_Z
    ragged = 0.22 * fbm(X * 0.9, Z * 0.9, seed=seed + 45, octaves=6, footprint=foot * 0.9)
    bank = np.minimum(across, deep * 1.05) + ragged
    kind = np.mod(np.floor(a + 0.5) * 0.618 + np.floor(b + 0.5) * 0.382 + 0.29, 1.0).astype(np.float32)
    clods = fbm(X * 5.0, Z * 5.0, seed=seed + 47, octaves=6, footprint=foot * 5.0, roughness=0.55)
    mound = (0.22 + 0.020 * clods) * smoothstep(1.05, 0.30, bank) * np.clip(1.0 - foot / 6.0, 0.0, 1.0)
    dry = smoothstep(0.50, 0.515, kind)
    swell = fbm(X * 0.22, Z * 0.22, seed=seed + 48, octaves=3, footprint=foot * 0.22)
    lying_dry = smoothstep(-0.04, 0.10, swell - 0.10 + 0.5 * dry + 0.5 * smoothstep(0.9, 0.2, bank))
    crusted = np.maximum(lying_dry, dry * 0.0)

    gap, plate = cells(X * 1.35 + 0.10 * clods, Z * 1.35, seed=seed + 50)
    small, _ = cells(X * 6.0, Z * 6.0, seed=seed + 51)
    fade, fine = np.clip(1.5 - foot * 3.0, 0.0, 1.0), np.clip(1.5 - foot * 14.0, 0.0, 1.0)
    rim = np.exp(-((gap / 0.085) ** 2)) * (0.7 + 0.6 * clods) * fade
    grains = fbm(X * 38.0, Z * 38.0, seed=seed + 55, octaves=6, footprint=foot * 38.0, roughness=0.62)
    crust = crusted * (
        0.012 + 0.042 * rim + 0.010 * np.exp(-((small / 0.16) ** 2)) * fine + 0.0075 * grains + 0.012 * plate * fade
    )
    crust += crusted * 0.02 * swell

    # heaps: one every few metres beside the banks that run away from the camera
    row = np.round(Z / 3.4)
    hx = np.abs(np.abs(a - np.round(a)) * PAN_X - 2.0)
    offset = 0.35 * np.sin(row * 12.9) * np.float32(1.0)
    r = np.hypot(hx + offset * 0.4, Z - row * 3.4 + offset)
    wanted = (
        (np.mod(np.floor(a) * 0.381 + 0.1, 1.0) < 0.55) & (Z > 12.0) & (np.mod(np.sin(row * 78.2) * 437.5, 1.0) < 0.8)
    )
    size_of = 0.95 + 0.25 * np.sin(row * 5.1)
    lumps = fbm(X * 3.0, Z * 3.0, seed=seed + 58, octaves=5, footprint=foot * 3.0)
    cone = np.maximum(size_of * 0.80 - r * 0.72 + 0.05 * lumps, 0.0) * wanted
    cone = np.where(cone > 0, size_of * 0.62 * (1.0 - np.exp(-cone / (size_of * 0.55))) * 1.25, 0.0)
    height = np.maximum(np.maximum(mound, crust), cone)
    over = smoothstep(0.012, 0.030, height)
    water = (1.0 - over) * (1.0 - smoothstep(0.35, 0.75, crusted)) * smoothstep(0.80, 1.05, bank)
    maps = (height, water, crusted, smoothstep(0.03, 0.10, cone), smoothstep(1.7, 1.0, bank) * (1.0 - over))
    return tuple(m.astype(np.float32) for m in maps)


def _ground(
    scene: Scene, camera: SceneView, stand: PansStandpoint, x: Map, y: Map, above: dict[str, Map], seed: int
) -> None:
    plane = GroundPlane(camera, FOCAL * stand.height / FAR_M, 0.667 - stand.horizon + 0.16)
    pans = _pans(plane, seed)
    relief = Relief(plane, pans.height)
    normals = relief.normals
    sun = relief.sun(_toward_sun(stand), width=0.06, first_step=0.004) / np.float32(0.21)
    box = box_of(relief.cover)
    whole = Surface(
        camera.whole, relief.cover, relief.seen(plane.Z) - np.float32(camera.position[2]),
        np.dstack([relief.seen(m) for m in (plane.X, pans.height, plane.Z)]), relief.seen(normals),
        np.zeros(relief.cover.shape, np.int32), x,
    )  # fmt: skip
    maps = {"sun": sun, "open": relief.hollows(0.012 * camera.size[0], 0.07)}
    maps |= {"crust": pans.crust, "heap": pans.heap, "water": pans.water, "shore": pans.shore}
    whole.more = {name: relief.seen(m) for name, m in maps.items()}
    whole.more["x"], whole.more["y"] = x, y
    for name in ("clear", "share", *above):
        whole.more[name] = np.zeros_like(x)
    surface = whole.part(box)
    lay(scene, surface, lambda s: _salt_and_soil(s, camera, stand, above, seed), mask="ground")
    near_sun = np.exp(-(((x[box] - stand.sun_x) / 0.33) ** 2))
    haze = (1.0 - surface.more["clear"]) * surface.cover
    glows = {name: surface.more[name] * surface.cover for name in above}
    glows["haze_warm"] = glows["haze_warm"] + haze * (0.13 + 0.30 * near_sun)
    glows["haze_blue"] = glows["haze_blue"] + haze * 0.13
    part = scene.window(box)
    for name, amount in glows.items():
        part.glow(name, amount)
    _mirrored_heaps(scene, camera, relief, box, surface.more["share"], surface.more["water"])
    scene.masks["water"] = _padded(surface.more["water"] * surface.cover, scene.size[1], box[0].start)


def _salt_and_soil(s: Surface, camera: SceneView, stand: PansStandpoint, above: dict[str, Map], seed: int) -> Shaded:
    """What the ground is made of, the light on it, and what its water mirrors (kept in `more`)."""
    x, y, depth, more = s.more["x"], s.more["y"], s.depth, s.more
    ray = np.dstack([(x - 0.5) / FOCAL, (stand.horizon - y) / FOCAL, np.ones_like(depth)]).astype(np.float32)
    steep = np.abs(dot(s.normals, ray)) / np.sqrt(dot(ray, ray))
    # a pixel covers more ground the flatter it looks along it; the square root is between its two sides
    size_m = depth * np.float32(camera.pixel) / np.sqrt(np.maximum(steep, 0.01))

    def texture(often: float, n: int, octaves: int, roughness: float = 0.55) -> Map:
        return fbm3(s.points, often, seed=seed + n, octaves=octaves, pixel_m=size_m, roughness=roughness)

    height, crust, heap, water = s.points[..., 1], more["crust"], more["heap"], more["water"]
    soil, grains = texture(9.0, 60, 7, 0.6), texture(55.0, 62, 5, 0.68)
    frost = smoothstep(0.0, 0.5, texture(2.6, 61, 6) + 0.5 * more["shore"])
    damp, stain = smoothstep(-0.15, 0.55, texture(0.5, 63, 5)), smoothstep(0.05, 0.75, texture(0.35, 64, 5))
    is_salt = np.maximum(smoothstep(0.10, 0.40, crust) * (height < 0.11), heap)
    is_soil = (1.0 - is_salt) * (1.0 - water)
    raised = (0.006 + 0.010 * is_soil) * grains + 0.016 * is_soil * soil
    bumps = bumped(s.points, s.normals, raised.astype(np.float32))
    toward = _unit(_toward_sun(stand))
    # dawn: the glow round the sun lights from many sides, so slopes count for more than for a point
    broad = np.clip(0.55 + 1.9 * (s.normals[..., 0] * 0.25 + s.normals[..., 2] * 0.55), 0.0, 1.6)
    sun = np.clip(0.55 * np.minimum(more["sun"], 3.0) + 0.45 * broad, 0.0, 2.2)
    sun = sun * np.clip(1.0 + 1.1 * ((bumps - s.normals) @ toward), 0.25, 1.9)
    sky = more["open"] * (0.4 + 0.6 * s.normals[..., 1])

    salt_tone = np.clip(0.92 + 0.20 * grains, 0.3, 1.3)
    wetness = damp * (1.0 - heap)
    parts = {
        "salt": is_salt * salt_tone * (1.0 - 0.50 * wetness) + is_soil * 0.40 * frost * salt_tone,
        "wet_salt": is_salt * salt_tone * 0.42 * wetness + 0.10 * water,
        "rust": is_salt * salt_tone * 0.10 * stain * (1.0 - 0.9 * heap),
        "earth": is_soil * np.clip(0.55 + 0.45 * soil + 0.55 * grains, 0.06, 1.8) * (1.0 - 0.7 * frost),
        "basalt": is_soil * np.clip(0.55 + 0.5 * grains, 0.1, 1.4) * (1.0 - 0.7 * frost), "brine": water * 0.35,
    }  # fmt: skip
    # far off, the haze lies over the ground as over the hills
    clear = np.exp(-depth / np.float32(420.0))
    share, columns, rows = _mirror(camera, stand, s, next(iter(above.values())).shape[0], seed)
    more["clear"][...], more["share"][...] = clear, share
    for name, amount in above.items():
        mirrored = cv2.remap(amount, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        more[name][...] = share * mirrored * clear
    clear = clear * (1.0 - share)
    return {name: amount * clear for name, amount in parts.items()}, {"sun": SUN_LEVEL * sun, "sky": SKY_LEVEL * sky}


def _mirror(camera: SceneView, stand: PansStandpoint, s: Surface, rows_known: int, seed: int) -> tuple[Map, Map, Map]:
    """How much of the light from above water sends on, by Fresnel, and from which column and row it
    comes, broken by ripples."""
    width, depth = camera.size[0], s.depth
    foot = depth**2 * np.float32(camera.pixel / stand.height)
    ripple = fbm3(s.points, (3.2, 1.0, 1.5), seed=seed + 70, octaves=5, pixel_m=foot)
    calm = smoothstep(-0.1, 0.5, fbm3(s.points, 0.16, seed=seed + 75, octaves=3, pixel_m=foot))
    tilt = ripple * (0.0045 + 0.020 * calm) * np.clip(1.2 - foot * 0.6, 0.15, 1.0)
    above_frame = rows_known - int(stand.horizon * width)
    rows = (2.0 * stand.horizon - s.more["y"] + tilt * 0.8) * width - 0.5 + above_frame
    columns = np.clip(s.more["x"] + 0.25 * tilt, 0, 1) * width - 0.5
    # Schlick 1994: 2 % head on, all at grazing
    facing = np.clip(stand.height / np.hypot(depth, stand.height) - 1.5 * tilt, 0.0, 1.0)
    share = s.more["water"] * (0.02 + 0.98 * (1.0 - facing) ** 5)
    return share, columns.astype(np.float32), np.clip(rows, 0, rows_known - 1).astype(np.float32)


def _mirrored_heaps(scene: Scene, camera: SceneView, relief: Relief, box: Box, share: Map, water: Map) -> None:
    """Heaps and banks that stand behind water, upside down in it, column by column."""
    line = cv2.GaussianBlur(relief.seen(relief.height_m)[box], (0, 0), 1.5)
    raised = (line > 0.10) & (relief.seen(relief.plane.Z)[box] < 90.0 + camera.position[2])
    if not raised.any():
        return
    height, width = line.shape
    # walking down a column: the foot of what stands there, and how far below it a pixel lies
    index = np.arange(height, dtype=np.float32)[:, None]
    last = np.maximum.accumulate(np.where(raised, index, -1.0), axis=0)
    source = np.where(last >= 0, 2.0 * last - index, -1.0)
    inside = (source >= 0) & (share > 0.02) & (index - last < 0.02 * camera.size[0])
    columns = np.broadcast_to(np.arange(width, dtype=np.float32)[None, :], line.shape)
    at = (np.ascontiguousarray(columns), np.ascontiguousarray(np.maximum(source, 0.0).astype(np.float32)))
    there = cv2.remap(raised.astype(np.float32), *at, cv2.INTER_LINEAR) * inside * smoothstep(0.6, 0.95, water)
    part = scene.window(box)
    for amount in part.emission.values():
        amount *= 1.0 - there
    for amount in part.materials.values():
        amount += cv2.remap(np.ascontiguousarray(amount), *at, cv2.INTER_LINEAR) * there * share
    for here in part.irradiance.values():
        here += there * (cv2.remap(np.ascontiguousarray(here), *at, cv2.INTER_LINEAR) - here)


def _plank(scene: Scene, camera: SceneView, stand: PansStandpoint) -> None:
    """A weathered plank that leads in from the lower right border, brighter than it should be."""
    far = np.array([stand.x + 0.70 * stand.height, 0.13, stand.z + 3.05 * stand.height])
    near = np.array([stand.x + 1.85 * stand.height, 0.15, stand.z + 1.90 * stand.height])
    forward = (near - far) / np.linalg.norm(near - far)
    side = np.cross(forward, (0.0, 1.0, 0.0)) * 0.11
    up = np.array([0.0, 0.045, 0.0])
    places = [far + (near - far) * t + side * w for t in np.linspace(0, 1, 40) for w in (-0.8, 0.0, 0.8)]
    balls = np.array([[*place, 0.035] for place in places], np.float32)
    x, y = grid(scene.size)
    rows = slice(int((stand.horizon + 0.04) * scene.size[0]), scene.size[1])
    depth = scene.depth_m[rows]  # type: ignore[index]
    across = (x[rows] - 0.5) * depth / np.float32(FOCAL)
    down = (y[rows] - np.float32(stand.horizon)) * depth / np.float32(FOCAL)
    points = np.dstack([across + np.float32(stand.x), np.float32(stand.height) - down, depth + np.float32(stand.z)])
    scene.irradiance["sun"][rows] *= 0.35 + 0.65 * sun_shadow(points, _toward_sun(stand), balls, width=0.05)
    normals = np.zeros_like(points)
    normals[..., 1] = 1.0
    scene.irradiance["sky"][rows] *= ambient(points, normals, balls)
    faces = (
        [far - side, far + side, far + side + up, far - side + up],
        [far - side, near - side, near - side + up, far - side + up],
        [far - side + up, near - side + up, near + side + up, far + side + up],
    )
    for n, corners in enumerate(faces):
        s = facet(camera, corners)
        if s is None:
            continue
        axes = (forward, up / 0.045, side / 0.11)
        dim = 0.45 if n < 2 else 1.0
        lay(scene, s, partial(_old_wood, camera=camera, stand=stand, origin=far, axes=axes, dim=dim), mask="plank")


def _old_wood(
    s: Surface, camera: SceneView, stand: PansStandpoint, origin: np.ndarray, axes: tuple[np.ndarray, ...], dim: float
) -> Shaded:
    local = np.dstack([(s.points - origin.astype(np.float32)) @ axis.astype(np.float32) for axis in axes])
    pixel = s.depth * np.float32(camera.pixel)
    grain = fbm3(local, (6.0, 130.0, 130.0), seed=91, octaves=5, pixel_m=pixel)
    fine = fbm3(local, (30.0, 500.0, 500.0), seed=93, octaves=3, pixel_m=pixel)
    cracks = smoothstep(0.33, 0.50, fbm3(local, (1.6, 60.0, 60.0), seed=95, octaves=4, pixel_m=pixel))
    normals = bumped(s.points, s.normals, (0.0012 * grain + 0.0004 * fine - 0.003 * cracks).astype(np.float32))
    tone = np.clip(1.05 + 0.45 * grain + 0.25 * fine - 0.8 * cracks, 0.08, 1.8)
    facing = np.clip(0.45 + 0.9 * (normals @ _unit(_toward_sun(stand))), 0.05, 1.6)
    light = {"sun": SUN_LEVEL * 1.25 * dim * facing, "sky": np.float32(SKY_LEVEL)}
    return {"wood": tone * 0.62, "plaster": tone * 0.30}, light


def _unit(vector: tuple[float, float, float]) -> np.ndarray:
    return np.asarray(vector, np.float32) / np.float32(np.linalg.norm(vector))
