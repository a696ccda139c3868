"""People at a table, from rounded bodies: what a camera sees of them from some metres away."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..colour.types import Array
from .solids import Solid


@dataclass(frozen=True)
class Pose:
    """Where a guest sits and how; lengths in m, angles in degrees."""

    x: float
    z: float
    facing: float
    """0 looks toward the camera's side (-Z), 90 to the right (+X)."""
    head_turn: float = 0.0
    head_nod: float = 0.0
    lean: float = 0.0
    """Forward, m at the shoulders."""
    height: float = 1.0
    raised: float = 0.0
    """How far the right hand is lifted, 0..1."""
    seed: int = 0


@dataclass
class Person:
    """Bodies of one guest, and what each is made of: "cloth", "skin", "lip", "hair"."""

    solid: Solid = field(default_factory=Solid)
    stuff: list[str] = field(default_factory=list)
    eyes: Array = field(default_factory=lambda: np.zeros((2, 3)))
    gaze: Array = field(default_factory=lambda: np.array([0.0, 0.0, -1.0]))
    face: Array = field(default_factory=lambda: np.zeros(3))


class _Frame:
    """A person's own axes: x to the left hand, y up, z where the person looks."""

    def __init__(self, origin: Array, degrees: float, nod: float = 0.0) -> None:
        a, n = np.radians(degrees), np.radians(nod)
        forward = np.array([np.sin(a), 0.0, -np.cos(a)])
        side = np.array([np.cos(a), 0.0, np.sin(a)])
        up = np.array([0.0, 1.0, 0.0])
        self.axes = np.stack([side, up * np.cos(n) + forward * np.sin(n), forward * np.cos(n) - up * np.sin(n)])
        self.origin = origin

    def __call__(self, x: float, y: float, z: float) -> Array:
        return np.asarray(self.origin + np.array([x, y, z]) @ self.axes)


def person(pose: Pose, *, table_m: float = 0.76) -> Person:
    """A seated guest whose forearms rest on a table."""
    out = Person()
    random = np.random.default_rng(pose.seed)
    big = pose.height
    at = _Frame(np.array([pose.x, 0.0, pose.z]), pose.facing)

    def add(stuff: str, *args: Any, **more: Any) -> None:
        out.solid.add(*args, **more)
        out.stuff.append(stuff)

    lean = pose.lean
    shoulder = 1.03 * big
    thin = (at.axes[2], 1.38)
    wide = float(random.uniform(0.95, 1.10))
    add("cloth", at(0, 0.45, 0.0), 0.165 * wide, at(0, 0.80, 0.01 + 0.5 * lean), 0.150 * wide, flat=thin)
    add(
        "cloth",
        at(0, 0.80, 0.01 + 0.5 * lean),
        0.150 * wide,
        at(0, shoulder - 0.05, lean),
        0.140,
        blend=0.05,
        flat=thin,
    )
    for side in (-1.0, 1.0):
        add("cloth", at(side * 0.09, 0.50, 0.0), 0.085, at(side * 0.12, 0.49, 0.42), 0.066, blend=0.06)
        add("cloth", at(side * 0.12, 0.49, 0.42), 0.064, at(side * 0.12, 0.08, 0.36), 0.050, blend=0.03)
    add("cloth", at(-0.145, shoulder, lean - 0.01), 0.060, at(0.145, shoulder, lean - 0.01), 0.060, blend=0.07)
    for side in (-1.0, 1.0):
        up = pose.raised if side > 0 else 0.0
        out_by, ahead = float(random.uniform(-0.05, 0.07)), float(random.uniform(-0.07, 0.03))
        elbow = at(side * (0.24 + 0.4 * out_by), table_m + 0.05 + 0.16 * up, lean + 0.10 + 0.05 * up + 0.5 * ahead)
        wrist = at(side * (0.13 + out_by - 0.02 * up), table_m + 0.045 + 0.40 * up, lean + 0.31 + ahead - 0.04 * up)
        inward = float(random.uniform(0.03, 0.09))
        hand = at(side * (0.13 + out_by - inward), table_m + 0.030 + 0.46 * up, lean + 0.375 + ahead - 0.04 * up)
        add("cloth", at(side * 0.185, shoulder - 0.01, lean), 0.058, elbow, 0.046, blend=0.04)
        add("cloth", elbow, 0.046, wrist, 0.036, blend=0.03)
        add("skin", wrist, 0.027, hand, 0.026, blend=0.004, flat=((0, 1, 0), 1.25))
        for finger in range(4):
            off = (finger - 1.5) * 0.014
            knuckle = hand + at.axes[0] * off + at.axes[2] * 0.012
            tip = (
                knuckle
                + at.axes[2] * (0.040 - 0.03 * up)
                + at.axes[1] * (-0.012 + 0.03 * up)
                - at.axes[0] * side * 0.010
            )
            add("skin", knuckle, 0.0095, tip, 0.0075, blend=0.008)
    add("cloth", at(0, shoulder + 0.035, lean - 0.01), 0.070, at(0, shoulder + 0.06, lean), 0.058, blend=0.05)
    add("skin", at(0, shoulder + 0.02, lean), 0.048, at(0, shoulder + 0.15, lean + 0.015), 0.046, blend=0.006)
    _head(out, add, _Frame(at(0, shoulder + 0.172, lean + 0.022), pose.facing + pose.head_turn, pose.head_nod), random)
    return out


def _head(out: Person, put: Callable[..., None], at: _Frame, random: np.random.Generator) -> None:
    """Skull, face and hair; the origin is where the neck ends."""
    narrow = (at.axes[0], 1.14)
    long = float(random.uniform(0.96, 1.06))
    put("skin", at(0, 0.095, -0.010), 0.092, at(0, 0.085, 0.020), 0.084, blend=0.02, flat=narrow)
    put("skin", at(0, 0.040, 0.030), 0.062, at(0, -0.014 * long, 0.066), 0.030, blend=0.035, flat=narrow)
    for side in (-1.0, 1.0):
        put("skin", at(side * 0.036, 0.040, 0.064), 0.026, blend=0.028)
        put("skin", at(side * 0.045, 0.010, 0.020), 0.034, at(side * 0.018, -0.012, 0.058), 0.022, blend=0.03)
    put("skin", at(-0.034, 0.086, 0.083), 0.0125, at(0.034, 0.086, 0.083), 0.0125, blend=0.020)
    bridge = float(random.uniform(0.8, 1.15))
    put("skin", at(0, 0.074, 0.090), 0.0085, at(0, 0.042, 0.0985 + 0.007 * bridge), 0.0125, blend=0.014)
    for side in (-1.0, 1.0):
        put("skin", at(side * 0.012, 0.037, 0.092), 0.0085, blend=0.010)
    put("lip", at(-0.013, 0.0115, 0.0880), 0.0052, at(0.013, 0.0115, 0.0880), 0.0052, blend=0.012)
    put("lip", at(-0.010, 0.0030, 0.0865), 0.0062, at(0.010, 0.0030, 0.0865), 0.0062, blend=0.010)
    for side in (-1.0, 1.0):
        ear = at(side * 0.083, 0.058, -0.008)
        put(
            "skin",
            ear + at.axes[1] * 0.012,
            0.019,
            ear - at.axes[1] * 0.012,
            0.013,
            blend=0.008,
            flat=(at.axes[0], 2.2),
        )
        eye = at(side * 0.0315, 0.0665, 0.0770)
        out.eyes[int(side > 0)] = eye
        put("skin", eye - at.axes[2] * 0.0035, 0.0118, blend=0.006)
    out.gaze, out.face = at.axes[2], at(0, 0.05, 0.06)
    style = int(random.integers(0, 3))
    put("hair", at(0, 0.118, -0.022), 0.096, at(0, 0.095, -0.034), 0.096, blend=0.004, flat=narrow)
    put("hair", at(-0.030, 0.165, 0.035), 0.034, at(0.030, 0.165, 0.035), 0.034, blend=0.03)
    for side in (-1.0, 1.0):
        put("hair", at(side * 0.070, 0.110, 0.010), 0.026, at(side * 0.074, 0.070, -0.025), 0.028, blend=0.03)
    if style == 0:
        put("hair", at(0, 0.03, -0.062), 0.060, at(0, -0.10, -0.070), 0.062, blend=0.04)
        for side in (-1.0, 1.0):
            put("hair", at(side * 0.070, 0.06, -0.03), 0.034, at(side * 0.075, -0.09, -0.03), 0.030, blend=0.03)
    elif style == 1:
        put("hair", at(0, 0.135, -0.115), 0.046, blend=0.02)
        put("hair", at(0, 0.04, -0.060), 0.052, blend=0.03)
    else:
        put("hair", at(0, 0.045, -0.055), 0.056, at(0, 0.02, -0.045), 0.052, blend=0.03)
