"""The light of the grain hall: four paper lanterns, three windows, and what walls and table send back."""

from dataclasses import dataclass

import numpy as np

from ..kernels.lighting import gleam_of_lamps, lit_by_lamps
from ..rays import World, lamp_shares, open_share
from ..scene import Map, Scene
from ..shading import enlarged
from ..vectors import Floats, dot, moved, scaled, unit
from ..view import SceneView

LANTERNS = ((-0.42, 2.02, 2.95), (0.40, 2.10, 3.90), (-0.34, 2.06, 5.00), (0.36, 2.12, 6.30))
LANTERN_R = 0.115
LANTERN_LEVEL = 0.48
"""Irradiance 1 m from each lantern."""
WINDOW_LIGHTS = (((-2.2, 1.75, 4.15), 0.75), ((-2.2, 1.75, 6.2), 0.75), ((-1.4, 1.9, 8.3), 0.35))
"""What comes through each window, as a soft lamp within the wall: place, irradiance 1 m away."""
LAMPS_AT: tuple[Floats, Floats] = (
    np.mean(LANTERNS[:3], axis=0).astype(np.float32),
    np.mean([place for place, _ in WINDOW_LIGHTS[:2]], axis=0).astype(np.float32),
)
"""Where the light of the lanterns and that of the windows comes from, on the whole."""
HALL = {"left": -2.35, "right": 2.45, "back": 9.0, "top": 3.25}
Eye = tuple[float, float, float]
GLOW_OF = ("flame", "outside")
"""What highlights are made of, by group of lamps."""


def lamps(wrap: float = 0.0) -> Floats:
    """The table that `kernels.lighting.lit_by_lamps` takes; wrap: how far light creeps round."""
    rows = [[*lamp, LANTERN_R, LANTERN_LEVEL, wrap, 0.0] for lamp in LANTERNS]
    rows += [[*place, 0.55, level, max(wrap, 0.15), 1.0] for place, level in WINDOW_LIGHTS]
    return np.array(rows, np.float32)


@dataclass(frozen=True)
class Lit:
    """What is known of the light at points of a surface."""

    points: Map
    shares: Floats
    """(lamps, rows, columns): how much of each lamp every `step`-th point sees."""
    around: Map
    """Light that the walls send back there, (height, width)."""
    step: int

    def light(self, normals: Map, wrap: float = 0.0) -> dict[str, Map]:
        """Irradiance by light upon a surface with these normals (height, width, 3)."""
        normals = np.ascontiguousarray(normals, np.float32)
        direct = lit_by_lamps(self.points, normals, lamps(wrap), self.shares, self.step)
        around = self.around * (0.75 + 0.25 * normals[..., 1])
        table = np.clip(0.7 - normals[..., 1], 0.0, 1.2)
        warm = direct[..., 0] + around * (0.030 + 0.034 * table)
        cool = direct[..., 1] + around * np.float32(0.014)
        return {"lanterns": warm.astype(np.float32), "window": cool.astype(np.float32)}

    def gleam(self, normals: Map, eye: Eye, hardness: float, *, strands: bool = False) -> tuple[Map, Map]:
        """Highlights of lanterns and of windows, times their irradiance, (height, width) each."""
        normals = np.ascontiguousarray(normals, np.float32)
        both = gleam_of_lamps(
            self.points, normals, lamps(), self.shares, self.step, eye=eye, hardness=hardness, strands=strands
        )
        return both[..., 0], both[..., 1]


class HallLight:
    """What falls on a surface in the hall, past the people and things in a world of meshes."""

    def __init__(self, world: World | None = None, step: int = 6) -> None:
        self.world = world or World([])
        self.step = step

    def at(self, points: Map, normals: Map, cover: Map | None = None) -> Lit:
        """cover: where the surface is seen; elsewhere less care is taken."""
        points, normals = (np.ascontiguousarray(m, np.float32) for m in (points, normals))
        step = self.step if min(points.shape[:2]) > 2 * self.step else 1
        wanted = None if cover is None else cover > 0.0
        shares = lamp_shares(self.world, points, normals, lamps(), step=step, wanted=wanted)
        if min(shares.shape[1:]) < 2:
            shares = np.broadcast_to(shares.mean(axis=(1, 2), keepdims=True), (len(shares), 2, 2)).copy()
        x, y, z = points[..., 0], points[..., 1], points[..., 2]
        walls = np.maximum(np.minimum(x - HALL["left"], HALL["right"] - x), 0.0)
        nook = 1.0 - 0.55 * np.exp(-walls / 0.18)
        nook *= 1.0 - 0.6 * np.exp(-np.maximum(y, 0.0) / 0.30)
        nook *= 1.0 - 0.5 * np.exp(-np.maximum(HALL["back"] - z, 0.0) / 0.25)
        around = nook * open_share(self.world, points, normals, step=step, wanted=wanted)
        return Lit(points, shares, around.astype(np.float32), step)

    def on(self, points: Map, normals: Map, *, wrap: float = 0.0, cover: Map | None = None) -> dict[str, Map]:
        return self.at(points, normals, cover).light(normals, wrap)


SHADE_STEP = 6


def shade_room(scene: Scene, view: SceneView, world: World) -> None:
    """The shadows that people and things cast on a room that was lit without them."""
    depth = scene.depth_m
    assert depth is not None
    rays, _ = view.rays(view.whole)
    few = np.minimum(depth[::SHADE_STEP, ::SHADE_STEP], np.float32(60.0))
    points = moved(scaled(rays[::SHADE_STEP, ::SHADE_STEP], few), view.position)
    weight = np.zeros((2, *few.shape), np.float32)
    seen = np.zeros_like(weight)
    toward = unit(moved(-points, view.position))
    shares = lamp_shares(world, points, toward, lamps(), step=1, every_side=True)
    for lamp, share in zip(lamps(), shares, strict=True):
        span = moved(points, -lamp[:3])
        level = lamp[4] / dot(span, span)
        weight[int(lamp[6])] += level
        seen[int(lamp[6])] += level * share
    for n, name in enumerate(scene.irradiance):
        factor = 0.10 + 0.90 * seen[n] / np.maximum(weight[n], 1e-9)
        scene.irradiance[name] *= enlarged(factor.astype(np.float32), depth.shape, SHADE_STEP)
