"""How the table looks: its cloth, and what stands on it."""

from dataclasses import dataclass
from functools import partial

import numpy as np

from ..kernels.lighting import bumped
from ..planes import facet
from ..rays import World
from ..scene import Map, Scene
from ..seen import surfaces
from ..shading import Shaded, fbm3, lay
from ..solids import Surface
from ..textures import smoothstep
from ..vectors import dot, moved, unit
from ..view import SceneView
from .hall_light import GLOW_OF, HallLight, Lit

TABLE = {"left": -0.46, "right": 0.46, "near": 1.75, "far": 6.40, "top": 0.76, "drop": 0.30}

STUFFS: dict[str, dict[str, float]] = {
    "glaze": {"white": 0.72, "plaster": 0.15},
    "clay": {"rust": 0.75, "earth": 0.2},
    "bowl": {"cloth_blue": 0.35, "plaster": 0.45},
    "bottle": {"bottle": 1.0},
    "wine": {"wine": 1.0},
    "napkin": {"linen": 0.16, "cloth_blue": 0.75},
    "board": {"wood": 0.75, "old_wood": 0.3},
    "crumb": {"plaster": 0.55, "sand": 0.35},
    "stew 0": {"leaves": 0.7, "earth": 0.2},
    "stew 1": {"fruit_orange": 0.5, "rust": 0.3},
    "stew 2": {"earth": 0.8, "rust": 0.2},
    "fruit 0": {"fruit_red": 0.85, "fruit_green": 0.1},
    "fruit 1": {"fruit_orange": 0.9},
    "fruit 2": {"fruit_green": 0.85, "fruit_orange": 0.1},
}
"""What things are made of; bread is worked out from its crust."""
GLOSS = {"glaze": (0.50, 150.0), "bowl": (0.42, 150.0), "bottle": (2.5, 450.0), "wine": (2.0, 450.0),
         "clay": (0.04, 30.0), "fruit 0": (0.09, 30.0), "fruit 1": (0.05, 30.0), "fruit 2": (0.09, 30.0),
         "stew 0": (0.08, 30.0), "stew 1": (0.08, 30.0), "stew 2": (0.08, 30.0)}  # fmt: skip
"""Strength and hardness of highlights."""
VEIL = 14.0
"""Hardness of the weak, broad highlight round every sharp one."""


def lay_table(scene: Scene, camera: SceneView, room: HallLight, seed: int) -> None:
    """A white cloth with ironed creases, hanging in folds."""
    left, right, near, far, top = (TABLE[k] for k in ("left", "right", "near", "far", "top"))
    drop = TABLE["drop"]
    sides = (
        [(left, top - drop, near), (right, top - drop, near), (right, top, near), (left, top, near)],
        [(left, top - drop, near), (left, top - drop, far), (left, top, far), (left, top, near)],
        [(right, top - drop, near), (right, top - drop, far), (right, top, far), (right, top, near)],
        [(left, top, near), (right, top, near), (right, top, far), (left, top, far)],
    )
    for n, corners in enumerate(sides):
        s = facet(camera, corners)
        if s is not None:
            lay(scene, s, partial(_linen, camera=camera, room=room, side=n, seed=seed), mask="cloth")


def _linen(s: Surface, camera: SceneView, room: HallLight, side: int, seed: int) -> Shaded:
    """side 0 hangs before the table, 1 and 2 beside it, 3 lies on top."""
    pixel = s.depth * np.float32(camera.pixel)
    x, z = s.points[..., 0], s.points[..., 2]
    weave = fbm3(s.points, 700.0, seed=seed + 12, octaves=2, pixel_m=pixel)
    soft = fbm3(s.points, 5.0, seed=seed + 13, octaves=4, pixel_m=pixel)
    if side < 3:
        run = x if side == 0 else z
        waves = np.sin(run * 31.0 + 2.0 * fbm3(s.points, 2.0, seed=seed + 14, octaves=2))
        raised = 0.012 * waves * smoothstep(TABLE["top"], TABLE["top"] - TABLE["drop"], s.points[..., 1]) + 0.004 * soft
    else:
        creases = np.exp(-((np.abs(np.mod(z * 1.15, 1.0) - 0.5) / 0.010) ** 2)) + np.exp(-((np.abs(x) / 0.010) ** 2))
        ridges = 1.0 - np.abs(fbm3(s.points, 3.2, seed=seed + 15, octaves=4, pixel_m=pixel)) * 2.0
        raised = 0.0016 * creases + 0.0050 * soft + 0.0035 * np.maximum(ridges - 0.55, 0.0)
    normals = bumped(s.points, s.normals, raised.astype(np.float32))
    spilt = smoothstep(0.52, 0.62, fbm3(s.points, 7.0, seed=seed + 16, octaves=3, pixel_m=pixel)) * (side == 3)
    return {"linen": (1.0 + 0.07 * weave) * (1.0 - 0.12 * spilt), "sand": 0.08 * spilt}, room.on(
        s.points, normals, wrap=0.12, cover=s.cover
    )


@dataclass
class WareLook:
    """Shades what stands on the table."""

    world: World
    view: SceneView
    room: HallLight

    def __call__(self, s: Surface) -> Shaded:
        pixel = s.depth * np.float32(self.view.pixel)
        own = np.stack([s.more[f"own {a}"] for a in "xyz"], axis=2)
        share = {name[6:]: m for name, m in s.more.items() if name.startswith("share ")}
        fine = fbm3(own, 110.0, seed=5, octaves=4, pixel_m=pixel)
        grain = fbm3(own, (14.0, 160.0, 160.0), seed=6, octaves=4, pixel_m=pixel)
        none = np.zeros_like(s.cover)
        bread = share.get("crust", none) + share.get("slice", none)
        fruit = share.get("fruit 1", none) + share.get("fruit 2", none)
        napkin = share.get("napkin", none)
        weave = fbm3(own, 800.0, seed=8, octaves=2, pixel_m=pixel)
        rise = bread * 0.0012 * fine + fruit * 0.0004 * fine + napkin * (0.0003 * weave + 0.0002 * fine)
        normals = bumped(s.points, s.normals, rise.astype(np.float32))
        lit = self.room.at(s.points, normals, s.cover)
        parts: dict[str, Map] = {}
        for stuff, amount in share.items():
            if stuff in ("crust", "slice"):
                continue
            tone = 1.0 + (0.35 * grain if stuff == "board" else 0.12 * fine)
            for name, much in STUFFS[stuff].items():
                parts[name] = parts.get(name, none) + amount * much * tone
        self._rims(own, share, parts)
        self._label(own, share, parts)
        # two lines woven in along one hem, and fine ones all over: plain grey linen would pass for a grey card
        along = own[..., 2]
        lines = smoothstep(0.058, 0.060, along) * smoothstep(0.066, 0.064, along)
        lines += 0.45 * smoothstep(0.55, 0.95, np.cos(own[..., 0] * 420.0))
        stripes = napkin * (lines + smoothstep(0.0685, 0.0695, along) * smoothstep(0.072, 0.071, along))
        parts["linen"] = parts.get("linen", none) + 0.55 * stripes
        parts["cloth_blue"] = parts.get("cloth_blue", none) * (1.0 - 0.8 * stripes)
        self._bread(s, bread, share.get("slice", none), fine, parts)
        self._gleams(s, share, normals, lit)
        return parts, lit.light(normals, wrap=0.06)

    def _rims(self, own: Map, share: dict[str, Map], parts: dict[str, Map]) -> None:
        """Plates have a blue line round their rim."""
        glaze = share.get("glaze")
        if glaze is None:
            return
        radius = np.hypot(own[..., 0], own[..., 2])
        line = smoothstep(0.118, 0.121, radius) * smoothstep(0.129, 0.126, radius) * glaze
        for name in ("white", "plaster"):
            parts[name] = parts[name] * (1.0 - 0.85 * line)
        parts["cloth_blue"] = parts.get("cloth_blue", 0.0) + 0.7 * line

    def _label(self, own: Map, share: dict[str, Map], parts: dict[str, Map]) -> None:
        """Bottles wear a paper label with lines round it."""
        bottle = share.get("bottle")
        if bottle is None:
            return
        y = own[..., 1]
        paper = smoothstep(0.050, 0.052, y) * smoothstep(0.138, 0.136, y) * bottle
        lines = (
            np.clip(
                sum(np.exp(-(((y - at) / 0.0012) ** 2)) for at in (0.060, 0.072, 0.084, 0.096, 0.108, 0.120, 0.130)),
                0.0,
                1.0,
            )
            * paper
        )
        parts["bottle"] = parts["bottle"] - paper
        for name, amount in (
            ("plaster", paper - lines),
            ("rust", 0.8 * lines),
        ):
            parts[name] = parts.get(name, np.zeros_like(y)) + amount

    def _bread(self, s: Surface, bread: Map, sliced: Map, fine: Map, parts: dict[str, Map]) -> None:
        """Crust browned on top and floury in its cuts; crumb in slices."""
        if not bread.any():
            return
        cut = s.more.get("cut", np.zeros_like(bread))
        floury = np.clip(0.55 * cut + 0.5 * smoothstep(0.05, 0.45, fine), 0.0, 1.0)
        crust = bread * (1.0 - np.where(sliced > 0.5, cut, 0.0))
        crumb = sliced * cut
        baked = np.clip(0.5 + 0.5 * s.normals[..., 1], 0.0, 1.0)
        for name, amount in (("wood", crust * (0.75 - 0.35 * floury)), ("rust", crust * 0.30 * baked * (1.0 - floury)),
                             ("sand", crust * 0.55 * floury + crumb * 0.35), ("plaster", crumb * 0.55)):  # fmt: skip
            parts[name] = parts.get(name, np.zeros_like(bread)) + amount

    def _gleams(self, s: Surface, share: dict[str, Map], normals: Map, lit: Lit) -> None:
        none = np.zeros_like(s.cover)
        amounts: dict[float, Map] = {}
        for stuff, much in share.items():
            strength, hardness = GLOSS.get(stuff, (0.0, 30.0))
            amounts[hardness] = amounts.get(hardness, none) + strength * much
            if hardness > 100.0:
                amounts[VEIL] = amounts.get(VEIL, none) + 0.06 * much
        for hardness, amount in amounts.items():
            if not np.any(amount):
                continue
            for name, light in zip(GLOW_OF, lit.gleam(normals, self.view.position, hardness), strict=True):
                s.more[f"gleam {name}"] += amount * light


def pour_light(scene: Scene, s: Surface) -> None:
    """Add the highlights that a shader has left on a surface, where it is seen."""
    seen = s.cover * (s.depth <= scene.depth_m[s.box] + 1e-3)  # type: ignore[index]
    part = scene.window(s.box)
    for name in GLOW_OF:
        part.glow(name, seen * np.minimum(s.more[f"gleam {name}"], 6.0))


def stand_glasses(scene: Scene, camera: SceneView, glasses: World, room: HallLight) -> None:
    """Glass that one sees through: its rim darkens what is behind, and lamps are mirrored in it."""
    for _, s in surfaces(glasses, camera):
        back = unit(moved(-s.points, camera.position))
        slant = 1.0 - np.clip(np.abs(dot(back, s.normals)), 0.0, 1.0)
        # Schlick's approximation of Fresnel's law, for glass in air
        mirrored = 0.04 + 0.96 * slant**5
        seen = Surface(s.box, s.cover * np.clip(0.06 + 0.9 * slant**2, 0.0, 0.9), s.depth, s.points, s.normals, s.body,
                       s.along, s.more)  # fmt: skip
        lit = room.at(s.points, s.normals, s.cover)
        sharp, soft = (lit.gleam(s.normals, camera.position, h) for h in (700.0, 40.0))
        for name, a, b in zip(GLOW_OF, sharp, soft, strict=True):
            s.more[f"gleam {name}"] = (9.0 * a * mirrored**0.3 + 0.5 * b * mirrored**0.5).astype(np.float32)
        dark: Shaded = ({"grey": np.float32(1.0)}, {"lanterns": np.float32(0.10), "window": np.float32(0.05)})
        lay(scene, seen, lambda _, dark=dark: dark, mask="glasses")  # type: ignore[misc]
        pour_light(scene, s)
