"""Lantern supper in the grain hall: warm lanterns over a long table, blue evening in the windows."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from ..kernels.lighting import bumped
from ..people import Person, Pose, person
from ..planes import facet
from ..scene import Map, Scene
from ..shading import Shaded, fbm3, lay, shine
from ..solids import Solid, Surface, trace
from ..textures import smoothstep
from ..view import View
from .hall_room import HALL, LANTERN_R, LANTERNS, TABLE, HallLight, empty_hall, lay_table, pixel_of


@dataclass(frozen=True)
class Standpoint:
    """Where the photographer stands for one picture, and what is going on."""

    position: tuple[float, float, float]
    yaw: float
    pitch: float
    focal_mm: float
    focus_m: float
    guests: int = 7
    turn: float = 0.0
    toast: float = 0.0


STANDPOINTS = (
    Standpoint((0.05, 1.60, 0.00), 0.0, 7.0, 35.0, 3.3, guests=0),
    Standpoint((0.05, 1.60, 0.00), 0.0, 7.0, 35.0, 3.5),
    Standpoint((0.05, 1.60, 0.00), 0.0, 7.0, 35.0, 3.4, turn=-8.0, toast=1.0),
    Standpoint((0.08, 1.38, 0.90), -13.0, 2.0, 60.0, 2.9, turn=-12.0),
    Standpoint((0.08, 1.38, 0.90), -13.0, 2.0, 60.0, 2.9, turn=14.0),
    Standpoint((0.72, 1.46, 0.40), -15.0, 6.0, 35.0, 3.2, turn=18.0),
    Standpoint((0.72, 1.46, 0.40), -15.0, 6.0, 35.0, 3.2, turn=4.0, toast=0.7),
)
"""The grey card before supper, then the guests."""

SEATS = (
    (-0.86, 2.72, 86.0, "cloth_green"), (-0.84, 3.62, 74.0, "cloth_ochre"), (-0.86, 4.60, 88.0, "linen"),
    (0.86, 2.60, -84.0, "cloth_red"), (0.84, 3.50, -96.0, "cloth_blue"), (0.86, 4.50, -78.0, "cloth_dark"),
    (0.05, 6.95, 0.0, "cloth_ochre"),
)  # fmt: skip
"""x, z, which way the guest faces, cloth."""


def grain_hall(size: tuple[int, int], view: int = 0, seed: int = 37) -> Scene:
    """view 0 shows the grey card before supper; 1, 2, ... the guests, from different places."""
    stand = STANDPOINTS[view % len(STANDPOINTS)]
    camera = View(size, stand.focal_mm / 36.0, stand.position, stand.pitch, stand.yaw)
    scene = empty_hall(camera, seed).copy()
    people = [_guest(n, seat, stand, seed) for n, seat in enumerate(SEATS[: stand.guests])]
    balls = np.concatenate([p.solid.spheres(least_m=0.045) for p in people]) if people else np.zeros((2, 4), np.float32)
    room = HallLight(balls)
    ware = _tableware(seed)
    lay_table(scene, camera, HallLight(np.concatenate([balls, ware[0].spheres(least_m=0.02)])), seed)
    for n in sorted(range(len(people)), key=lambda n: -SEATS[n][1]):
        _person(scene, camera, room, people[n], f"guest {n + 1}", SEATS[n][3], seed + int(SEATS[n][1] * 10))
    _serve(scene, camera, room, *ware, seed)
    if view == 0:
        _grey_card(scene, camera, room)
    _lanterns(scene, camera)
    return scene


def _guest(n: int, seat: tuple[float, float, float, str], stand: Standpoint, seed: int) -> Person:
    x, z, facing, _ = seat
    turn = stand.turn * (-1.0) ** n + 7.0 * np.sin(n * 2.3 + stand.turn)
    # those at the sides look along the table a little, as people do who talk with their neighbours
    toward = -18.0 if facing > 0 else 18.0 if facing < 0 else 0.0
    return person(
        Pose(
            x,
            z,
            facing,
            head_turn=turn + toward * np.cos(n * 1.7 + stand.turn / 9.0),
            head_nod=-6.0 + 5.0 * np.sin(n * 3.1 + stand.turn),
            lean=0.05 + 0.04 * np.sin(n * 1.9),
            height=0.97 + 0.05 * np.cos(n * 2.7),
            raised=stand.toast * (n in (1, 3, 4, 6)),
            seed=seed + 11 * n,
        )
    )


def _person(scene: Scene, camera: View, room: HallLight, guest: Person, name: str, cloth: str, seed: int) -> None:
    s = trace(camera, guest.solid)
    if s is None:
        return
    # the hairline and the lips are softened before the picture is cut into strips
    soft_px = max(1.2, 0.006 / float(np.median(pixel_of(camera, s)[s.cover > 0.0])))
    names = np.array(guest.stuff)
    for stuff in ("hair", "lip"):
        s.more[stuff] = cv2.GaussianBlur((names == stuff)[s.body].astype(np.float32), (0, 0), soft_px)
    s.more["white"], s.more["dark"], s.more["brow"] = _face(s, camera, guest)
    lay(scene, s, lambda s: _flesh_and_cloth(s, camera, room, guest, cloth, seed), mask=name)


def _flesh_and_cloth(s: Surface, camera: View, room: HallLight, guest: Person, cloth: str, seed: int) -> Shaded:
    names = np.array(guest.stuff)
    is_cloth = (names == "cloth")[s.body].astype(np.float32)
    pixel = pixel_of(camera, s)
    folds = fbm3(s.points, (9.0, 3.2, 9.0), seed=seed, octaves=4, pixel_m=pixel)
    crinkle = 1.0 - 2.0 * np.abs(folds)
    weave = fbm3(s.points, 420.0, seed=seed + 2, octaves=2, pixel_m=pixel)
    strands = fbm3(s.points, (220.0, 16.0, 220.0), seed=seed + 3, octaves=4, pixel_m=pixel, roughness=0.62)
    pores = fbm3(s.points, 60.0, seed=seed + 5, octaves=4, pixel_m=pixel)
    # the hairline is ragged: strands lie over the skin
    hair = smoothstep(0.30, 0.62, s.more["hair"] + 0.45 * strands * (s.more["hair"] > 0.02)) * (1.0 - is_cloth)
    skin_share = (1.0 - is_cloth) * (1.0 - hair)
    raised = is_cloth * (0.0075 * folds + 0.0030 * crinkle + 0.0003 * weave)
    raised = raised + hair * 0.0042 * strands + skin_share * 0.00030 * pores
    normals = bumped(s.points, s.normals, raised.astype(np.float32))
    # people shade each other; points are lifted so that a body does not shade its own skin
    lifted = (s.points + s.normals * np.float32(0.035)).astype(np.float32)
    light = room.on(lifted, normals, wrap=0.18)
    hollow = np.clip(1.0 + 0.35 * crinkle * is_cloth, 0.5, 1.1)
    deep = seed % 3 == 0
    red = np.exp(-(((s.points - guest.face.astype(np.float32)) ** 2).sum(axis=2)) / 0.05**2)
    white, dark_of_eye, brow = s.more["white"], s.more["dark"], s.more["brow"]
    skin = skin_share * (1.0 - 0.75 * brow) * (1.0 - white) * (1.0 - dark_of_eye)
    pattern = _pattern(s, seed) * is_cloth
    tone = is_cloth * (0.86 + 0.16 * folds + 0.14 * weave)
    parts: dict[str, Map] = dict.fromkeys(
        ("skin", "skin_deep", "cloth_red", "hair", "rust", "white", "linen", "cloth_dark"), np.zeros_like(s.cover)
    )
    parts["skin_deep" if deep else "skin"] = skin * (0.86 + 0.16 * pores)
    parts["cloth_red"] = skin * (0.05 * red + 0.12 * s.more["lip"])
    parts["hair"] = hair * (1.0 + 1.2 * strands) + skin_share * (0.8 * brow + 0.35 * dark_of_eye)
    parts["rust"] = hair * 0.07 * (seed % 4) * (1.0 + strands)
    parts["white"] = 0.40 * white * skin_share
    # cloth is dyed unevenly and worn: never as pure as the dye
    for name, share in ((cloth, 0.50 * (1.0 - pattern)), ("cloth_dark", 0.35), ("linen", 0.045 + 0.30 * pattern)):
        parts[name] = parts.get(name, np.zeros_like(s.cover)) + tone * share
    return parts, {name: amount * hollow for name, amount in light.items()}


def _pattern(s: Surface, seed: int) -> Map:
    """0..1: plain, striped or checked cloth."""
    stripes = [smoothstep(0.55, 0.8, np.cos(s.points[..., axis] * 190.0 + 2.0)) for axis in (0, 1, 2)]
    kind = seed % 4
    if kind == 0:
        return np.asarray(0.5 * np.maximum(np.maximum(stripes[0], stripes[2]), stripes[1]), np.float32)
    return np.asarray(0.6 * stripes[1] if kind == 1 else np.zeros_like(s.cover), np.float32)


def _face(s: Surface, camera: View, guest: Person) -> tuple[Map, Map, Map]:
    """Painted on the face: the white of the eyes, their irises and lashes, the brows; 0..1 each."""
    white, dark, brow = (np.zeros_like(s.cover) for _ in range(3))
    centre = camera.place(guest.face)
    reach = camera.focal * 0.13 / max(float(centre[2]), 0.1) * camera.size[0]
    top, left = float(centre[1]) * camera.size[0] - s.box[0].start, float(centre[0]) * camera.size[0] - s.box[1].start
    part = (
        slice(max(0, int(top - reach)), max(0, int(top + reach))),
        slice(max(0, int(left - reach)), max(0, int(left + reach))),
    )
    points = s.points[part]
    if points.size == 0:
        return white, dark, brow
    up = np.array([0.0, 1.0, 0.0])
    side = np.cross(up, guest.gaze)
    for n, eye in enumerate(guest.eyes):
        d = points - eye.astype(np.float32)
        along, over = d @ side.astype(np.float32), d[..., 1]
        ahead = d @ guest.gaze.astype(np.float32)
        near = (ahead > -0.012) & (ahead < 0.045)
        outer = along * (-1.0 if n == 0 else 1.0)
        slit = over - 0.10 * outer + 9.0 * along**2
        open_ = smoothstep(0.0049, 0.0039, np.abs(slit)) * smoothstep(0.0150, 0.0130, np.abs(along)) * near
        iris = smoothstep(0.0064, 0.0056, np.hypot(along, over))
        lash = np.exp(-(((slit - 0.0050) / 0.0011) ** 2)) * smoothstep(0.0165, 0.0140, np.abs(along)) * near
        white[part] = np.maximum(white[part], open_ * (1.0 - iris))
        dark[part] = np.maximum(dark[part], np.maximum(open_ * iris, 0.8 * lash))
        arch = over - 0.0235 + 16.0 * (along - 0.002) ** 2
        hairs = np.exp(-((np.minimum(np.abs(along), 0.05) / 0.021) ** 6) - (arch / 0.0036) ** 2) * near
        brow[part] = np.maximum(brow[part], 0.9 * hairs)
    mouth = points - (guest.face + guest.gaze * 0.030 - up * 0.0430).astype(np.float32)
    along, over = mouth @ side.astype(np.float32), mouth[..., 1]
    line = np.exp(-(((over - 3.0 * along**2) / 0.0014) ** 2)) * smoothstep(0.026, 0.016, np.abs(along))
    dark[part] = np.maximum(dark[part], 0.40 * line * (mouth @ guest.gaze.astype(np.float32) > -0.03))
    return white, dark, brow


def _tableware(seed: int) -> tuple[Solid, list[str]]:
    """Plates and cups before the guests, bowls of food, bread and bottles along the middle."""
    random = np.random.default_rng(seed)
    top = TABLE["top"]
    solid, stuff = Solid(), []

    def add(name: str, *args: Any, **more: Any) -> None:
        solid.add(*args, **more)
        stuff.append(name)

    for x, z, _, _ in SEATS:
        px, pz = (0.30 if x > 0.3 else -0.30 if x < -0.3 else 0.0), z if abs(x) > 0.3 else 6.1
        add("cloth_blue", (px, top + 0.004, pz), 0.125, flat=((0, 1, 0), 14.0))
        add("plaster", (px, top + 0.008, pz), 0.105, flat=((0, 1, 0), 12.0))
        for _ in range(11):
            a, r = random.uniform(0, 6.3), 0.075 * random.uniform(0.0, 1.0) ** 0.5
            stew = str(random.choice(["rust", "cloth_ochre", "leaves"]))
            add(stew, (px + r * np.cos(a), top + 0.02, pz + r * np.sin(a)), float(random.uniform(0.012, 0.022)))
        cup = np.array([px - np.sign(px) * 0.10, top, pz + 0.14])
        add("rust", cup + (0, 0.012, 0), 0.028, cup + (0, 0.055, 0), 0.035)
        add("rust", cup + (0, 0.082, 0), 0.040, flat=((0, 1, 0), 6.0), blend=0.004)
        add("cloth_dark", cup + (0, 0.0868, 0), 0.034, flat=((0, 1, 0), 9.0))
    for n, z in enumerate(np.arange(2.15, 6.0, 0.52)):
        x = 0.06 * np.sin(n * 2.0)
        if n % 3 == 0:
            add("wood", (x, top + 0.050, z), 0.135, flat=((0, 1, 0), 2.3))
            for _ in range(26):
                a, r = random.uniform(0, 6.3), 0.11 * random.uniform(0, 1) ** 0.5
                fruit = str(random.choice(["cloth_ochre", "cloth_red", "leaves"]))
                add(fruit, (x + r * np.cos(a), top + 0.105 - 2.2 * r * r + random.uniform(0, 0.02), z + r * np.sin(a)),
                    float(random.uniform(0.024, 0.033)))  # fmt: skip
        elif n % 3 == 1:
            add("cloth_green", (x, top + 0.03, z), 0.037, (x, top + 0.19, z), 0.037)
            add("cloth_green", (x, top + 0.20, z), 0.034, (x, top + 0.245, z), 0.014, blend=0.03)
            add("cloth_green", (x, top + 0.245, z), 0.013, (x, top + 0.31, z), 0.013, blend=0.01)
        else:
            add("crust", (x - 0.10, top + 0.045, z - 0.03), 0.048, (x + 0.11, top + 0.045, z + 0.04), 0.046)
            add("crust", (x - 0.07, top + 0.042, z + 0.10), 0.044, (x + 0.13, top + 0.042, z + 0.14), 0.040)
    return solid, stuff


def _serve(scene: Scene, camera: View, room: HallLight, solid: Solid, stuff: list[str], seed: int) -> None:
    s = trace(camera, solid)
    if s is None:
        return
    s.more["gleam"] = np.zeros_like(s.cover)
    lay(scene, s, lambda s: _ware(s, camera, room, np.array(stuff), seed), mask="tableware")
    glow = np.zeros((scene.size[1], scene.size[0]), np.float32)
    glow[s.box] = s.cover * s.more["gleam"] * 0.55 * scene.masks["tableware"][s.box]
    scene.glow("flame", glow)


def _ware(s: Surface, camera: View, room: HallLight, names: np.ndarray, seed: int) -> Shaded:
    pixel = pixel_of(camera, s)
    baked = fbm3(s.points, 60.0, seed=seed + 50, octaves=4, pixel_m=pixel)
    grain = fbm3(s.points, (20.0, 160.0, 20.0), seed=seed + 51, octaves=3, pixel_m=pixel)
    is_bread = (names == "crust")[s.body]
    normals = bumped(s.points, s.normals, np.where(is_bread, 0.004 * baked, 0.0006 * grain).astype(np.float32))
    light = room.on((s.points + s.normals * np.float32(0.01)).astype(np.float32), normals, wrap=0.05)
    # things stand close: what is low is shaded by its neighbours
    low = np.clip(0.45 + (s.points[..., 1] - TABLE["top"]) / 0.06, 0.45, 1.0).astype(np.float32)
    light = {name: amount * low for name, amount in light.items()}
    gleam = sum(shine(s.points, normals, camera.position, np.array(lamp) - s.points, 160.0) for lamp in LANTERNS[:2])
    s.more["gleam"][...] = np.isin(names, ("plaster", "cloth_green", "rust"))[s.body] * gleam
    parts: dict[str, Map] = {
        name: (names == name)[s.body] * (0.9 + 0.15 * baked) for name in sorted({*names} - {"crust"})
    }
    floury = smoothstep(0.1, 0.5, baked)
    parts["wood"] = parts["wood"] * (0.8 + 0.5 * grain) + is_bread * (0.75 - 0.35 * floury)
    parts["rust"] = parts["rust"] + is_bread * 0.22 * (1.0 - floury)
    parts["sand"] = is_bread * 0.5 * floury
    return parts, light


def _lanterns(scene: Scene, camera: View) -> None:
    """Paper lanterns: a bright body with ribs, its cord and cap."""
    glow = np.zeros((scene.size[1], scene.size[0]), np.float32)
    none = {"lanterns": np.float32(0.05), "window": np.float32(0.01)}
    for lamp in sorted(LANTERNS, key=lambda p: -p[2]):
        x, y, z = lamp
        cord = Solid()
        cord.add((x, y + LANTERN_R * 0.8, z), 0.004, (x, HALL["top"], z), 0.004)
        cord.add((x, y + LANTERN_R * 0.86, z), 0.040, flat=((0, 1, 0), 3.0))
        body = Solid()
        body.add((x, y - 0.02, z), LANTERN_R, (x, y + 0.02, z), LANTERN_R)
        for solid, lit in ((cord, False), (body, True)):
            s = trace(camera, solid)
            if s is None:
                continue
            paper = {"plaster": np.float32(0.5 * lit), "cloth_dark": np.float32(0.6 * (not lit))}
            shaded = (paper, none)
            lay(scene, s, lambda _, shaded=shaded: shaded, mask="lanterns" if lit else "")  # type: ignore[misc]
            seen = s.cover * (s.depth <= scene.depth_m[s.box] + 1e-3)  # type: ignore[index]
            glow[s.box] *= 1.0 - seen
            if lit:
                up = (s.points[..., 1] - y) / LANTERN_R
                ribs = 0.80 + 0.20 * np.cos(up * 24.0)
                facing = np.clip(-s.normals[..., 2], 0.0, 1.0)
                glow[s.box] += seen * ribs * (1.6 + 5.2 * np.exp(-((up + 0.15) ** 2) / 0.18) * facing**1.5)
    scene.glow("flame", glow)


def _grey_card(scene: Scene, camera: View, room: HallLight) -> None:
    """A grey card propped up on the table where the guests will sit."""
    # leaning back, so that the lanterns light it as they will light the guests
    middle, lean = np.array([0.27, 0.92, 3.2]), np.array([0.0, 0.78, 0.62])
    corners = [
        middle + np.array([dx, 0.0, 0.0]) + lean * dy
        for dx, dy in ((-0.16, -0.13), (0.16, -0.13), (0.16, 0.13), (-0.16, 0.13))
    ]
    s = facet(camera, corners)
    if s is None:
        return
    lay(scene, s, lambda s: ({"grey": np.float32(1.0)}, room.on(s.points, s.normals)), mask="grey card")
    rows, columns = s.box
    h, w = rows.stop - rows.start, columns.stop - columns.start
    scene.areas["grey card"] = (columns.start + w // 5, rows.start + h // 5, w - 2 * (w // 5), h - 2 * (h // 5))
