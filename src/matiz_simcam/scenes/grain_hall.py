"""Lantern supper in the grain hall: warm lanterns over a long table, blue evening in the windows."""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from ..meshes import Mesh, box
from ..people import COUNT, Guest, Seat, guest, sittings
from ..planes import facet
from ..rays import World
from ..scene import Map, Scene
from ..seen import surfaces
from ..shading import Shader, lay
from ..solids import Solid, Surface, trace
from ..strands import grown, seen
from ..view import SceneView
from ..ware import laid, raised
from .hall_guests import PERSONS, GuestLook
from .hall_hair import HairLook
from .hall_light import HALL, LAMPS_AT, LANTERN_R, LANTERNS, HallLight, shade_room
from .hall_room import empty_hall
from .hall_table import TABLE, WareLook, lay_table, pour_light, stand_glasses

FINE_M = 0.0011
"""Guests of whom a pixel shows less than this have smoother skin and clothes."""


@dataclass(frozen=True)
class HallStandpoint:
    """Where the photographer stands for one picture, and what is going on."""

    position: tuple[float, float, float]
    toward: tuple[float, float, float]
    """What is in the middle of the frame."""
    focal_mm: float
    focus_m: float
    guests: tuple[int, ...] = tuple(range(1, COUNT + 1))
    toast: bool = False
    heads: tuple[tuple[int, float, float], ...] = ()
    """Where guests look: number, head to their left and down, in degrees."""

    def camera(self, size: tuple[int, int]) -> SceneView:
        x, y, z = (b - a for a, b in zip(self.position, self.toward, strict=True))
        pitch, yaw = np.degrees([np.arctan2(-y, np.hypot(x, z)), np.arctan2(x, z)])
        return SceneView(size, self.focal_mm / 36.0, self.position, float(pitch), float(yaw))


END = ((0.05, 1.60, 0.0), (0.05, 1.18, 3.4))
"""At the end of the table."""
STANDPOINTS = (
    HallStandpoint(*END, 35.0, 3.3, guests=()),
    HallStandpoint(*END, 35.0, 3.4, heads=((1, -34.0, 2.0), (2, -20.0, 0.0), (3, -26.0, 0.0), (4, 26.0, 0.0),
                                       (5, 30.0, -2.0), (6, 14.0, 0.0), (7, 28.0, 0.0))),
    HallStandpoint(*END, 35.0, 3.2, toast=True, heads=((1, -44.0, 0.0), (2, -38.0, 0.0), (3, -40.0, 0.0),
                                                   (4, 40.0, 0.0),
                                                   (5, 34.0, 0.0), (6, 38.0, 0.0), (7, 40.0, 0.0))),
    HallStandpoint((-0.42, 1.30, 1.95), (0.74, 1.13, 3.95), 70.0, 1.74,
               heads=((4, 10.0, 0.0), (5, 34.0, -2.0), (6, 6.0, 0.0), (7, 30.0, 2.0))),
    HallStandpoint((-0.50, 1.28, 1.45), (0.66, 1.20, 2.62), 85.0, 1.53, heads=((4, 22.0, -2.0), (5, 20.0, 0.0))),
    HallStandpoint((-0.10, 1.46, 1.40), (0.06, 0.80, 2.72), 50.0, 1.45, heads=((1, -10.0, 6.0), (4, 10.0, 4.0))),
    HallStandpoint((1.36, 1.42, 2.05), (-0.62, 1.13, 2.95), 50.0, 2.05,
               heads=((1, 8.0, 0.0), (2, -22.0, -2.0), (3, -24.0, 0.0), (4, 0.0, 0.0))),
)  # fmt: skip
"""The grey card before supper; the table from its end, twice; a pair in talk; one guest; hands and bread; and
over a shoulder."""

SEATS = {
    1: Seat(-0.76, 2.72, 72.0), 2: Seat(-0.76, 3.60, 74.0), 3: Seat(-0.76, 4.50, 78.0),
    4: Seat(0.76, 2.62, -76.0), 5: Seat(0.76, 3.48, -80.0), 6: Seat(0.76, 4.36, -76.0),
    7: Seat(0.76, 5.22, -72.0), 8: Seat(0.05, 6.72, 0.0),
}  # fmt: skip
"""Where each guest sits."""


def grain_hall(size: tuple[int, int], view: int = 0, seed: int = 37) -> Scene:
    """view 0 shows the grey card before supper; 1, 2, ... the guests, from different places."""
    stand = STANDPOINTS[view % len(STANDPOINTS)]
    camera = stand.camera(size)
    scene = empty_hall(camera, seed, stand.focal_mm >= 50.0)
    people = {n: _guest(n, stand, camera) for n in stand.guests}
    things, glasses = (list(meshes) for meshes in _laid(seed))
    for person in people.values():
        if stand.toast and sittings(person.number) > 1:
            glass, wine = raised(person.hand)
            things.append(wine)
            glasses.append(glass)
    table = box(
        "table", (TABLE["left"], TABLE["top"] - 0.03, TABLE["near"]), (TABLE["right"], TABLE["top"], TABLE["far"])
    )
    world = World([*(m for p in people.values() for m in p.meshes), *things], unseen=[table])
    shade_room(scene, camera, world)
    lay_table(scene, camera, HallLight(world, 6), seed)
    for owner, s in surfaces(world, camera):
        near = HallLight(world, _shadow_step(s, camera))
        if owner.startswith("guest"):
            person = people[int(owner.split()[1])]
            _put(scene, s, GuestLook(person, PERSONS[person.number - 1], camera, near), owner)
            _name_parts(scene, s, owner)
            _comb(scene, camera, person, HallLight(world, 2 * near.step))
        else:
            _put(scene, s, WareLook(world, camera, near), owner)
    near = HallLight(world, 2)
    stand_glasses(scene, camera, World(glasses), near)
    if not people:
        _grey_card(scene, camera, near)
    _lanterns(scene, camera)
    for person in people.values():
        _name_face(scene, camera, person)
    return scene


def _comb(scene: Scene, camera: SceneView, person: Guest, room: HallLight) -> None:
    """Hair, brows and beard over a guest that was put."""
    pixel_m = camera.pixel * float(camera.place(person.face)[2])
    for hair in person.strands:
        drawn = grown(hair, person.thicket, LAMPS_AT, pixel_m=pixel_m)
        s = seen(drawn, camera, scene.depth_m)  # type: ignore[arg-type]
        if s is None:
            continue
        in_front = s.depth < scene.depth_m[s.box]  # type: ignore[index]
        look = HairLook(person, PERSONS[person.number - 1], camera, room, hair.stuff)
        _put(scene, s, look, f"guest {person.number}")
        scene.masks["hair"][s.box] += s.cover * in_front


def _put(scene: Scene, s: Surface, look: Shader, owner: str) -> None:
    """Lay what is seen of an owner, and its highlights upon it."""
    for name in ("gleam flame", "gleam outside"):
        s.more[name] = np.zeros_like(s.cover)
    lay(scene, s, look, mask=owner)
    pour_light(scene, s)


def _shadow_step(s: Surface, camera: SceneView) -> int:
    """Shadows on near things are wide: they need fewer points."""
    pixel_mm = 1000.0 * camera.pixel * float(np.median(s.depth[s.cover > 0.0]))
    return 6 if pixel_mm < 0.5 else 4 if pixel_mm < 0.8 else 3 if pixel_mm < 1.3 else 2


@lru_cache(maxsize=1)
def _laid(seed: int) -> tuple[list[Mesh], list[Mesh]]:
    places = [(0.28 * np.sign(s.x), s.z) if abs(s.x) > 0.3 else (0.0, TABLE["far"] - 0.28) for s in SEATS.values()]
    return laid(places, TABLE["top"], seed)


def _guest(number: int, stand: HallStandpoint, camera: SceneView) -> Guest:
    seat = replace(SEATS[number], sitting=1 if stand.toast else 0)
    for who, turn, nod in stand.heads:
        if who == number:
            seat = replace(seat, head_turn=turn, head_nod=nod)
    column, row, depth = camera.place((seat.x, 1.2, seat.z))
    seen = depth > 0.1 and -0.15 < column < 1.15 and -0.2 < row < 0.9
    return guest(number, seat, fine=bool(seen and depth * camera.pixel < FINE_M))


def _name_parts(scene: Scene, s: Surface, owner: str) -> None:
    """Truth for tests: what of the guests is skin, hair and cloth, and which skin is of a face."""
    here = scene.masks[owner][s.box]
    share = {k: s.more.get(f"share {k}", np.float32(0.0)) for k in ("skin", "shirt", "legs")}
    scalp = s.more.get("scalp", np.float32(0.0))
    parts = {
        "skin": share["skin"] * (scalp < 0.5),
        "hair": share["skin"] * (scalp >= 0.5),
        "clothes": share["shirt"] + share["legs"],
        "face": share["skin"] * s.more.get("face", np.float32(0.0)) * (scalp < 0.5),
    }
    for name, part in parts.items():
        held = scene.masks.setdefault(name, np.zeros((scene.size[1], scene.size[0]), np.float32))
        held[s.box] += here * part


TURNED = 0.3
"""Cosine between where a head looks and the camera over which its face is one that can be found."""


def _name_face(scene: Scene, camera: SceneView, person: Guest) -> None:
    """Truth for tests: the area of a face that is turned to the camera and not hidden."""
    to_camera = np.asarray(camera.position) - person.face
    if person.ahead @ to_camera < TURNED * np.linalg.norm(to_camera):
        return
    seen = scene.masks.get(f"guest {person.number}", np.zeros(1)) * scene.masks["face"] > 0.5
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    if rows.size and seen[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1].mean() > 0.4:
        x, y = int(columns[0]), int(rows[0])
        scene.areas[f"face {person.number}"] = (x, y, int(columns[-1]) + 1 - x, int(rows[-1]) + 1 - y)


def _lanterns(scene: Scene, camera: SceneView) -> None:
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
                glow[s.box] += seen * _paper(s, np.array(lamp))
    scene.glow("flame", glow)


def _paper(s: Surface, lamp: np.ndarray) -> Map:
    """Light through the paper of a lantern: brightest before the flame, with wire ribs, and creases between them."""
    d = (s.points - lamp.astype(np.float32)) / np.float32(LANTERN_R)
    up = d[..., 1]
    turn = np.arctan2(d[..., 0], d[..., 2])
    phase = np.mod(up * 4.6 + 0.02 * np.sin(turn * 3.0), 1.0) - 0.5
    wire = np.exp(-((phase / 0.055) ** 2))
    belly = 0.86 + 0.14 * np.cos(phase * 2.0 * np.pi + np.pi)
    creased = 1.0 + 0.05 * np.sin(turn * 34.0 + 3.0 * np.sin(up * 9.0)) + 0.05 * np.sin(turn * 13.0 + up * 5.0)
    facing = np.clip(-s.normals[..., 2], 0.0, 1.0)
    seam = 1.0 - 0.30 * np.exp(-((np.mod(turn + 2.0, 2.0 * np.pi) - np.pi) ** 2) / 0.0012)
    ends = np.clip((1.12 - np.abs(up)) / 0.10, 0.15, 1.0)
    flame = 1.5 + 4.6 * np.exp(-((up + 0.15) ** 2) / 0.18) * facing**1.5
    return np.asarray(flame * belly * creased * seam * ends * (1.0 - 0.55 * wire), np.float32)


def _grey_card(scene: Scene, camera: SceneView, room: HallLight) -> None:
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
