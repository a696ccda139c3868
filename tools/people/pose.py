"""How a body sits: bones are aimed, and the skin follows them."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from .source import Array, Source

SIDES = {"L": 1.0, "R": -1.0}
HIPS_M = 0.085
"""Height of the joints of the hips over the seat."""


@dataclass(frozen=True)
class Arm:
    """Where a hand is and how it is held; m and degrees, from the middle of the seat."""

    hand: tuple[float, float, float]
    """Wrist: outward, up, ahead. Other directions count alike."""
    palm: tuple[float, float, float] = (0.0, -1.0, 0.0)
    """Where the palm looks."""
    point: tuple[float, float, float] = (0.0, 0.0, 1.0)
    """Where the fingers point."""
    curl: float = 22.0
    """How far each joint of the fingers is bent."""
    elbow: tuple[float, float, float] = (0.6, -1.0, -0.4)
    """Where the elbow points."""


@dataclass(frozen=True)
class Sitting:
    """A pose at the table."""

    left: Arm
    right: Arm
    lean: float = 8.0
    """Degrees forward."""
    twist: float = 0.0
    """Degrees of the shoulders to the body's left."""
    head_nod: float = 4.0
    """Degrees downward, from upright."""
    head_turn: float = 0.0
    head_tilt: float = 0.0


@dataclass(frozen=True)
class Bones:
    """Rotation (3, 3) and place (3,) of each bone's head, and where the head was before it was moved."""

    turned: dict[str, Array]
    heads: dict[str, Array]
    rest: dict[str, Array]

    def moved(self, weights: Array, vertices: Array, names: list[str]) -> Array:
        """(n, 3) vertices moved by weights (n, bones): linear blend skinning."""
        out = np.zeros_like(vertices)
        for column, name in enumerate(names):
            share = weights[:, column]
            used = np.flatnonzero(share)
            if used.size:
                at = (vertices[used] - self.rest[name]) @ self.turned[name].T + self.heads[name]
                out[used] += share[used, None] * at
        return out


def sit(source: Source, vertices: Array, sitting: Sitting, seat_m: float, part: float = 1.0) -> Bones:
    """Bones of a body that sits with its hips over the origin, `seat_m` above the floor.

    part: 0 stands as the body was modelled, 1 sits; between them the bones are on their way.
    """
    return _Sitter(source, vertices, sitting, seat_m, part).bones()


class _Sitter:
    def __init__(self, source: Source, vertices: Array, sitting: Sitting, seat_m: float, part: float) -> None:
        self.parents = {name: bone["parent"] for name, bone in source.bones.items()}
        joints = source.joints(vertices)
        self.head = {name: ends[0] for name, ends in joints.items()}
        self.tail = {name: ends[1] for name, ends in joints.items()}
        self.sitting, self.seat_m, self.part = sitting, seat_m, part
        self.turned: dict[str, Array] = {}
        self.at: dict[str, Array] = {}

    def bones(self) -> Bones:
        goal = self._goal()
        self.turned, self.at = {}, {}
        # bones go from where they are to where they should be, each relative to its parent
        for name in self._ordered():
            parent = self.parents[name]
            own = goal[name] if not parent else goal[parent].T @ goal[name]
            step = Rotation.from_matrix(own).as_rotvec() * self.part
            self._place(name, Rotation.from_rotvec(step).as_matrix())
        hips = 0.5 * (self.at["upperleg01.L"] + self.at["upperleg01.R"])
        low = np.array([0.0, self.seat_m + HIPS_M, 0.0]) - hips
        return Bones(self.turned, {name: at + low for name, at in self.at.items()}, self.head)

    def _ordered(self) -> list[str]:
        out: list[str] = []

        def add(name: str) -> None:
            if name and name not in out:
                add(self.parents[name])
                out.append(name)

        for name in self.parents:
            add(name)
        return out

    def _place(self, name: str, own: Array) -> None:
        parent = self.parents[name]
        if not parent:
            self.turned[name], self.at[name] = own, self.head[name]
            return
        self.turned[name] = self.turned[parent] @ own
        self.at[name] = self.at[parent] + self.turned[parent] @ (self.head[name] - self.head[parent])

    def _goal(self) -> dict[str, Array]:
        """Rotation of each bone when the body sits."""
        s = self.sitting
        lean, twist = s.lean / 4.0, s.twist / 4.0
        own = {f"spine0{n}": _turn(lean, twist, 0.0) for n in (1, 2, 3, 4)}
        # the head is held by itself, whatever the back does
        nod, turn, tilt = s.head_nod - s.lean, s.head_turn - s.twist, s.head_tilt
        for name, share in (("neck01", 0.2), ("neck02", 0.2), ("neck03", 0.2), ("head", 0.4)):
            own[name] = _turn(nod * share, turn * share, tilt * share)
        still = np.eye(3)
        for name in self._ordered():
            if name == "root":
                self._place(name, still)
                continue
            side = name[-1]
            if name in ("upperleg01.L", "upperleg01.R"):
                self._aim(name, (SIDES[side] * 0.16, -0.06, 1.0))
            elif name in ("lowerleg01.L", "lowerleg01.R"):
                self._aim(name, (0.0, -1.0, -0.12))
            elif name in ("foot.L", "foot.R"):
                self._aim(name, (SIDES[side] * 0.15, -0.45, 1.0))
            elif name in ("upperarm01.L", "upperarm01.R"):
                self._arm(side, 0.5 * (self.head["upperleg01.L"] + self.head["upperleg01.R"]))
            elif name not in self.turned:
                self._place(name, own.get(name, still))
        return dict(self.turned)

    def _aim(self, name: str, toward: Array | tuple[float, ...], along: Array | None = None) -> None:
        """Turn a bone so that it points somewhere; its joints follow."""
        self._place(name, np.eye(3))
        span = self.tail[name] - self.head[name] if along is None else along
        turn = _between(self.turned[name] @ span, np.asarray(toward, np.float64))
        self.turned[name] = turn @ self.turned[name]

    def _arm(self, side: str, hips: Array) -> None:
        """Shoulder, elbow and hand from where the hand shall be (two bones of known length)."""
        arm = self.sitting.left if side == "L" else self.sitting.right
        sign = SIDES[side]
        upper, lower, wrist = (f"{name}.{side}" for name in ("upperarm01", "lowerarm01", "wrist"))
        first = self.head[lower] - self.head[upper]
        second = self.head[wrist] - self.head[lower]
        a, b = np.linalg.norm(first), np.linalg.norm(second)
        self._place(upper, np.eye(3))
        shoulder = self.at[upper]
        # a hand is given from the seat's middle, whose height is that of the hips
        goal = np.array([hips[0], hips[1] - self.seat_m - HIPS_M, hips[2]]) - shoulder
        goal += np.array([arm.hand[0] * sign, arm.hand[1], arm.hand[2]])
        far = float(np.clip(np.linalg.norm(goal), abs(a - b) + 0.02, (a + b) * 0.995))
        toward = goal / np.linalg.norm(goal)
        bend = np.array([arm.elbow[0] * sign, arm.elbow[1], arm.elbow[2]])
        bend -= toward * (bend @ toward)
        bend /= np.linalg.norm(bend)
        along = (a * a + far * far - b * b) / (2.0 * far)
        elbow = toward * along + bend * np.sqrt(max(a * a - along * along, 0.0))
        self._aim(upper, elbow, first)
        self._place(f"upperarm02.{side}", np.eye(3))
        self._place(lower, np.eye(3))
        self._aim(lower, toward * far - elbow, second)
        # half of the hand's turn about the forearm is taken by the forearm, as bones do
        self._place(f"lowerarm02.{side}", np.eye(3))
        self._place(wrist, np.eye(3))
        hand = self._hand_turn(side, arm)
        before = self.turned[wrist]
        axis = second / np.linalg.norm(second)
        twist = _about(axis, before.T @ hand)
        half = Rotation.from_rotvec(axis * twist * 0.5).as_matrix()
        self._place(f"lowerarm02.{side}", half)
        self._place(wrist, (self.turned[f"lowerarm02.{side}"].T @ hand))
        self._fingers(side, arm.curl)

    def _hand_axes(self, side: str) -> tuple[Array, Array]:
        """Where fingers point and the palm looks, before the body is moved."""
        wrist, middle = self.head[f"wrist.{side}"], self.head[f"finger3-1.{side}"]
        point = middle - wrist
        across = self.head[f"finger2-1.{side}"] - self.head[f"finger5-1.{side}"]
        palm = np.cross(point, across) * SIDES[side]
        # the palm is the side to which the fingers bend a little at rest
        palm *= np.sign(palm @ (self.tail[f"finger3-3.{side}"] - middle - point) or 1.0)
        return point / np.linalg.norm(point), palm / np.linalg.norm(palm)

    def _hand_turn(self, side: str, arm: Arm) -> Array:
        point, palm = self._hand_axes(side)
        wanted, look = np.asarray(arm.point, np.float64), np.asarray(arm.palm, np.float64)
        wanted = wanted * (SIDES[side], 1.0, 1.0)
        look = look * (SIDES[side], 1.0, 1.0)
        return _frame(wanted, look) @ _frame(point, palm).T

    def _fingers(self, side: str, curl: float) -> None:
        point, palm = self._hand_axes(side)
        hinge = np.cross(point, palm)
        random = np.random.default_rng(int(curl * 10.0))
        for name in self._ordered():
            if not name.endswith(f".{side}"):
                continue
            if name.startswith("metacarpal"):
                self._place(name, np.eye(3))
            elif name.startswith("finger"):
                thumb = name.startswith("finger1")
                bend = (0.35 if thumb else 1.0) * curl * float(random.uniform(0.75, 1.2))
                self._place(name, Rotation.from_rotvec(hinge * np.radians(bend)).as_matrix())


def _turn(nod: float, turn: float, tilt: float) -> Array:
    """Forward, to the left, and over to the left shoulder, in degrees."""
    return np.asarray(Rotation.from_euler("yxz", [turn, nod, -tilt], degrees=True).as_matrix())


def _between(a: Array, b: Array) -> Array:
    """The least rotation that takes the direction of a to that of b."""
    a, b = a / np.linalg.norm(a), b / np.linalg.norm(b)
    axis = np.cross(a, b)
    sine = np.linalg.norm(axis)
    if sine < 1e-9:
        return np.eye(3)
    return np.asarray(Rotation.from_rotvec(axis / sine * np.arctan2(sine, a @ b)).as_matrix())


def _frame(point: Array, look: Array) -> Array:
    """Columns: along, aside, and the other, from a direction and one about square to it."""
    along = point / np.linalg.norm(point)
    away = look - along * (look @ along)
    away = away / np.linalg.norm(away)
    return np.stack([along, away, np.cross(along, away)], axis=1)


def _about(axis: Array, turned: Array) -> float:
    """The part of a rotation that goes round an axis, in radians."""
    q = Rotation.from_matrix(turned).as_quat()
    return float(2.0 * np.arctan2(q[:3] @ axis, q[3]))
