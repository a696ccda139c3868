"""Guests at a table: bodies, clothes and hair that were modelled beforehand, put on their seats.

What is in assets/people/guest-N.npz (int16 in steps of 0.1 mm, x to the guest's left, y up, z ahead, the
middle of the seat at the origin of x and z): quads of skin, shirt, legs, eyes and teeth; their vertices for
each way of sitting (the first at table, the second, if any, with a glass raised); strands of hair, brows and
beard; and values 0..255 of the skin. Made by `tools/people` from data under CC0, whose licence lies beside them.
"""

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from .meshes import Mesh, faces_of
from .quads import Numbers, normals_of, smoother
from .strands import Strands, Thicket
from .vectors import Floats, unit

COUNT = 8
STEP_M = 1e-4
SKIN = ("lips", "eyelids", "face", "ears", "fingernails", "flush", "lash", "beard", "scalp")
"""What is known of each place of the skin, 0..1."""
HAIR = {"hair": (10, 0.0015, np.inf), "brow": (5, 0.0008, 0.9e-4), "lash": (1, 0.0, 1.0e-4),
        "beard": (5, 0.0009, 1.2e-4)}  # fmt: skip
"""How many strands are drawn for each that is kept, how far they lie aside, and how wide they are, m."""


@dataclass(frozen=True)
class Seat:
    """Where a guest sits, m, and how."""

    x: float
    z: float
    facing: float
    """Degrees: 0 looks toward the camera's side (-Z), 90 to the right (+X)."""
    head_turn: float = 0.0
    """Degrees to the guest's left, on top of how the guest sits."""
    head_nod: float = 0.0
    """Degrees down."""
    sitting: int = 0
    gaze: tuple[float, float] = (0.0, 0.0)
    """Degrees that the eyes look to the left and down, from where the head looks."""


@dataclass
class Guest:
    """One guest in the scene."""

    number: int
    meshes: list[Mesh]
    strands: list[Strands]
    """Hair, brows, lashes and beard."""
    thicket: Thicket
    """The hair, for the light that gets past it."""
    eyes: Floats
    """(2, 3) their middles."""
    look: Floats
    """(3,) where the eyes look."""
    ahead: Floats
    """(3,) where the head looks."""
    face: Floats
    """(3,) between the eyes."""
    hand: Floats
    """(3,) the fingertips of the hand that is held higher."""


@lru_cache(maxsize=COUNT)
def _kept(number: int) -> dict[str, NDArray[np.generic]]:
    path = files("matiz_simcam") / "assets" / "people" / f"guest-{number}.npz"
    with path.open("rb") as file, np.load(file) as data:
        return {name: data[name] for name in data.files}


@lru_cache(maxsize=2 * COUNT)
def _smoother(number: int, kind: str) -> tuple[object, Numbers]:
    kept = _kept(number)
    return smoother(kept[f"{kind}_quads"].astype(np.int64), len(kept[f"{kind}_rest"]))


def sittings(number: int) -> int:
    return sum(name.startswith("shirt_") and name[6:].isdigit() for name in _kept(number))


def guest(number: int, seat: Seat, *, fine: bool = True) -> Guest:
    """A guest 1..COUNT on a seat. fine: skin and cloth smooth enough for a near view."""
    kept = _kept(number)
    n = min(seat.sitting, sittings(number) - 1)
    owner = f"guest {number}"
    pivot, ahead = kept[f"head_{n}"].astype(np.float64)
    turn = _turn(seat.head_turn, seat.head_nod, ahead)
    axes = _axes(seat)
    origin = np.array([seat.x, 0.0, seat.z])

    def headed(points: NDArray[np.float64], follow: NDArray[np.float64] | float) -> NDArray[np.float64]:
        """Turned with the head as far as they follow it."""
        return np.asarray(points + np.asarray(follow)[..., None] * ((points - pivot) @ turn.T + pivot - points))

    def place(points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places that turn with the head, in the scene."""
        return np.asarray(headed(points, 1.0) @ axes + origin)

    def steps(name: str) -> NDArray[np.float64]:
        return kept[name].astype(np.float64) * STEP_M

    meshes: list[Mesh] = []

    def add(stuff: str, points: NDArray[np.float64], quads: Numbers, own: NDArray[np.float64],
            follow: NDArray[np.float64] | float, values: dict[str, Floats]) -> Mesh:  # fmt: skip
        # normals before the guest is put into the scene, whose axes are of the other hand
        at = headed(points, follow)
        normals = (normals_of(at, quads) @ axes).astype(np.float32)
        put = Mesh(stuff, (at @ axes + origin).astype(np.float32), faces_of(quads), normals,
                   own.astype(np.float32), values, owner, number)  # fmt: skip
        meshes.append(put)
        return put

    for kind in ("skin", "shirt"):
        points, rest, quads = steps(f"{kind}_{n}"), steps(f"{kind}_rest"), kept[f"{kind}_quads"].astype(np.int64)
        values = {}
        follow: NDArray[np.float64] | float = 0.0
        if kind == "skin":
            values = {name: kept[f"skin_{name}"].astype(np.float64) / 255.0 for name in SKIN}
            follow = kept["skin_follow"].astype(np.float64) / 255.0
        if fine:
            more, quads = _smoother(number, kind)
            points, rest = more @ points, more @ rest  # type: ignore[operator]
            values = {name: more @ value for name, value in values.items()}  # type: ignore[operator]
            follow = more @ follow if isinstance(follow, np.ndarray) else follow  # type: ignore[operator]
        add(kind, points, quads, rest, follow, {name: value.astype(np.float32) for name, value in values.items()})
    add("legs", steps(f"legs_{n}"), kept["legs_quads"].astype(np.int64), steps(f"legs_{n}"), 0.0, {})
    add("teeth", steps(f"teeth_{n}"), kept["teeth_quads"].astype(np.int64), steps(f"teeth_{n}"), 1.0, {})
    eyes = steps(f"eyes_{n}")
    for ball in eyes:
        put = add("eye", ball, kept["eye_quads"].astype(np.int64), ball - ball.mean(axis=0), 1.0, {})
        # one of the two is the other's mirror image: its faces go round the other way
        put.normals = unit(put.vertices - put.vertices.mean(axis=0))
    middles = place(0.5 * (eyes.min(axis=1) + eyes.max(axis=1)))
    forward = turn @ ahead
    look = _turn(seat.gaze[0], seat.gaze[1], forward) @ forward
    strands = [
        Strands(stuff, place(steps(f"{stuff}_{n}")).astype(np.float32), each, astray, width, number)
        for stuff, (each, astray, width) in HAIR.items() if f"{stuff}_{n}" in kept
    ]  # fmt: skip
    return Guest(
        number, meshes, strands, Thicket(strands[0].lines), middles.astype(np.float32), unit(look @ axes),
        unit(forward @ axes), middles.mean(axis=0).astype(np.float32), _higher_hand(meshes[0]),
    )  # fmt: skip


def _higher_hand(skin: Mesh) -> Floats:
    tips = skin.vertices[skin.values["fingernails"] > 0.5]
    return np.asarray(tips[tips[:, 1] > tips[:, 1].max() - 0.10].mean(axis=0))


def _axes(seat: Seat) -> NDArray[np.float64]:
    """(3, 3): the guest's left, up and ahead in the scene."""
    a = np.radians(seat.facing)
    return np.array([[np.cos(a), 0.0, np.sin(a)], [0.0, 1.0, 0.0], [np.sin(a), 0.0, -np.cos(a)]])


def _turn(left_degrees: float, down_degrees: float, ahead: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3, 3) a turn about the upright axis, and then down about the axis across where the head looks."""
    t, d = np.radians(left_degrees), np.radians(down_degrees)
    turn = np.array([[np.cos(t), 0.0, np.sin(t)], [0.0, 1.0, 0.0], [-np.sin(t), 0.0, np.cos(t)]])
    across = np.cross(np.array([0.0, 1.0, 0.0]), turn @ ahead)
    x, y, z = across / np.linalg.norm(across)
    k = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    down = np.eye(3) + np.sin(d) * k + (1.0 - np.cos(d)) * k @ k
    return np.asarray(down @ turn)
