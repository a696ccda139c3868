"""How guests look: skin, eyes and clothes, shaded from what is seen of their meshes."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..kernels.lighting import bumped
from ..people import Guest
from ..scene import Map
from ..shading import Shaded, enlarged, fbm3
from ..solids import Surface
from ..textures import smoothstep
from ..vectors import moved, unit
from ..view import SceneView
from .hall_light import LAMPS_AT, HallLight, Lit

HAIR_STEP = 4
"""Soft shadows of hair are worked out for every so many-th pixel."""
LEFT_BY_HAIR = 0.25
"""What comes through the thickest hair, and round it."""
CORNEA_M = 0.006
"""How far before the ball of an eye it is looked for what is mirrored in it."""
Add = Callable[[str, Map], None]
"""Adds so much of a material."""


@dataclass(frozen=True)
class Person:
    """What a guest's body does not say."""

    melanin: float
    """0 fair, 1 dark."""
    hair: dict[str, float]
    """Materials of the hair."""
    cloth: str
    pattern: str = "plain"
    """plain, stripes, checks, buttons."""
    iris: str = "earth"
    flush: float = 1.0


PERSONS = (
    Person(0.10, {"hair": 0.7, "wood": 0.22}, "cloth_green", "buttons", "lichen"),
    Person(0.75, {"hair": 0.9}, "cloth_ochre", "plain", "old_wood", 0.5),
    Person(0.04, {"plaster": 0.34, "hair": 0.3}, "linen", "buttons", "cloth_blue", 1.3),
    Person(0.28, {"hair": 0.6}, "cloth_red", "stripes", "old_wood", 0.8),
    Person(0.60, {"hair": 0.75, "old_wood": 0.15}, "cloth_blue", "plain", "earth", 0.6),
    Person(0.12, {"plaster": 0.42, "hair": 0.2}, "cloth_dark", "buttons", "cloth_blue", 1.4),
    Person(0.22, {"hair": 0.62, "rust": 0.05}, "cloth_ochre", "checks", "earth", 0.9),
    Person(0.18, {"hair": 0.85, "rust": 0.15}, "cloth_blue", "stripes", "lichen", 1.1),
)


@dataclass
class GuestLook:
    """Shades one guest."""

    guest: Guest
    person: Person
    view: SceneView
    room: HallLight

    def __call__(self, s: Surface) -> Shaded:
        pixel = s.depth * np.float32(self.view.pixel)
        own = np.stack([s.more[f"own {a}"] for a in "xyz"], axis=2)
        share = {stuff: s.more.get(f"share {stuff}", np.zeros_like(s.cover)) for stuff in
                 ("skin", "eye", "teeth", "shirt", "legs")}  # fmt: skip
        rise, tone = self._relief(own, share, pixel)
        bent = bumped(s.points, s.normals, rise)
        lit = self.room.at(s.points, s.normals)
        soft, hard = lit.light(bent, wrap=0.42), lit.light(bent, wrap=0.10)
        parts: dict[str, Map] = {}

        def add(material: str, amount: Map) -> None:
            parts[material] = parts[material] + amount if material in parts else amount

        self._skin(s, share["skin"], tone, hard, soft, add)
        self._eyes(s, share["eye"], add)
        add("plaster", 0.75 * share["teeth"])
        self._cloth(own, share, tone, pixel, add)
        self._gleams(s, share, bent, lit)
        # light goes round skin more than round cloth
        light = {name: hard[name] + 0.55 * share["skin"] * np.maximum(soft[name] - hard[name], 0.0) for name in hard}
        for name, past in zip(light, self._past_hair(s.points), strict=True):
            light[name] *= past
        return parts, light

    def _past_hair(self, points: Map) -> list[Map]:
        """Share of the light of the lanterns and of the windows that gets past the guest's own hair."""
        few = points[::HAIR_STEP, ::HAIR_STEP]
        shares = [self.guest.thicket.past(few, at) for at in LAMPS_AT]
        return [enlarged(LEFT_BY_HAIR + (1.0 - LEFT_BY_HAIR) * m, points.shape, HAIR_STEP) for m in shares]

    def _relief(self, own: Map, share: dict[str, Map], pixel: Map) -> tuple[Map, dict[str, Map]]:
        """Heights over the meshes, m, and noise that colours use too."""
        tone = {
            "pores": fbm3(own, 620.0, seed=3, octaves=3, pixel_m=pixel, roughness=0.7),
            "mottled": fbm3(own, 46.0, seed=5, octaves=4, pixel_m=pixel),
            "spots": fbm3(own, 240.0, seed=13 + self.guest.number, octaves=2, pixel_m=pixel),
            "weave": fbm3(own, (900.0, 420.0, 900.0), seed=7, octaves=2, pixel_m=pixel),
            "worn": fbm3(own, 9.0, seed=self.guest.number, octaves=4, pixel_m=pixel),
            "crease": fbm3(own, (34.0, 60.0, 34.0), seed=11 + self.guest.number, octaves=3, pixel_m=pixel),
        }
        skin, cloth = share["skin"], share["shirt"] + share["legs"]
        rise = skin * (0.00006 * tone["pores"] + 0.00008 * tone["mottled"])
        rise += cloth * (0.00025 * tone["weave"] + 0.0012 * tone["crease"])
        if self.person.pattern == "buttons":
            rise += share["shirt"] * 0.0020 * self._placket(own)[0]
        return rise.astype(np.float32), tone

    def _skin(self, s: Surface, share: Map, tone: dict[str, Map], hard: dict[str, Map],
              soft: dict[str, Map], add: Add) -> None:  # fmt: skip
        if not share.any():
            return
        value = s.more
        scalp, lash = value.get("scalp", 0.0), value.get("lash", 0.0)
        lips, nails = value.get("lips", 0.0), value.get("fingernails", 0.0)
        # light that has gone through skin comes out red, most where little falls straight on it
        total_soft = soft["lanterns"] + soft["window"]
        through = np.clip(1.0 - (hard["lanterns"] + hard["window"]) / np.maximum(total_soft, 1e-6), 0.0, 1.0)
        red = 0.10 + 0.34 * self.person.flush * value.get("flush", 0.0) + 0.75 * lips + 0.18 * nails
        red = red + 0.16 * value.get("eyelids", 0.0) + 0.10 * tone["mottled"] + 0.45 * through
        red = np.clip(red, 0.0, 0.95)
        # freckles and moles where the sun gets
        freckled = smoothstep(0.34, 0.60, tone["spots"] + 0.25 * tone["mottled"]) * (
            0.4 + 0.6 * value.get("flush", 0.0)
        )
        dark = np.clip(self.person.melanin + 0.09 * tone["mottled"] + 0.16 * freckled + 0.10 * value.get("eyelids", 0.0)
                       + 0.10 * lips * (1.0 - self.person.melanin), 0.0, 1.0)  # fmt: skip
        stubble = value.get("beard", 0.0) * (0.30 if self.guest.number in (2, 6, 8) else 0.0)
        hairy = np.clip(
            0.80 * scalp + 0.75 * np.clip(2.0 * lash - 0.6, 0.0, 1.0) + stubble * (1.0 + tone["pores"]), 0.0, 0.92
        )
        bare = share * (1.0 - hairy) * (0.93 + 0.05 * tone["pores"])
        add("skin_fair", bare * (1.0 - dark) * (1.0 - red))
        add("skin_fair_red", bare * (1.0 - dark) * red)
        add("skin_dark", bare * dark * (1.0 - red))
        add("skin_dark_red", bare * dark * red)
        for name, amount in self.person.hair.items():
            add(name, share * hairy * amount)

    def _eyes(self, s: Surface, share: Map, add: Add) -> None:
        if not share.any():
            return
        angle, over, around = self._gaze(s)
        iris = smoothstep(0.54, 0.47, angle)
        pupil = smoothstep(0.25, 0.20, angle)
        rim = smoothstep(0.34, 0.50, angle) * iris
        spokes = 0.85 + 0.2 * np.sin(around * 37.0) * np.sin(around * 11.0 + 2.0)
        # the upper lid and its lashes shade it, and it turns away from the light where it goes round
        shaded = np.clip(1.0 - 1.9 * np.clip(over + 0.02, 0.0, 1.0), 0.30, 1.0)
        white = share * (1.0 - iris) * shaded * (1.0 - 0.45 * smoothstep(0.55, 0.95, angle))
        add("white", 0.46 * white)
        add("skin_fair_red", 0.25 * white)
        add(self.person.iris, share * iris * (1.0 - pupil) * (1.0 - 0.70 * rim) * 0.85 * spokes * shaded)
        add("cloth_dark", share * iris * pupil * 0.3)

    def _eye_at(self, s: Surface) -> Map:
        """The middle of the nearer eye, (height, width, 3)."""
        which = ((s.points[..., None, :] - self.guest.eyes) ** 2).sum(axis=3).argmin(axis=2)
        return self.guest.eyes[which]

    def _gaze(self, s: Surface) -> tuple[Map, Map, Map]:
        """Angle from where the eye looks, height over its middle, and the direction round it."""
        d = unit(s.points - self._eye_at(s))
        ahead = self.guest.look
        side = np.cross((0.0, 1.0, 0.0), ahead)
        side = side / np.linalg.norm(side)
        up = np.cross(ahead, side)
        return (
            np.arccos(np.clip(d @ ahead, -1.0, 1.0)).astype(np.float32),
            (d @ up).astype(np.float32),
            np.arctan2(d @ up, d @ side).astype(np.float32),
        )

    def _cloth(self, own: Map, share: dict[str, Map], tone: dict[str, Map], pixel: Map, add: Add) -> None:  # fmt: skip
        shirt = share["shirt"]
        pattern = self._pattern(own, pixel)
        level = 0.78 + 0.14 * tone["worn"] + 0.16 * tone["weave"]
        if self.person.pattern == "buttons":
            raised, button = self._placket(own)
            level = level * (1.0 - 0.25 * (raised > 0.02) * (raised < 0.5))
            add("plaster", shirt * 0.7 * button)
            shirt = shirt * (1.0 - button)
        # cloth is dyed unevenly and worn: never as pure as the dye
        add(self.person.cloth, shirt * level * (1.0 - pattern) * 0.50)
        add("cloth_dark", shirt * level * 0.30 + share["legs"] * 0.9)
        add("linen", shirt * level * (0.09 + 0.55 * pattern))

    def _pattern(self, own: Map, pixel: Map) -> Map:
        """0..1: where a second thread is seen."""
        x, y = own[..., 0], own[..., 1]
        arm = smoothstep(0.17, 0.23, np.abs(x))
        # down over the shoulder and along the sleeve in one direction: threads never go round in circles
        run = y - 0.9 * np.maximum(np.abs(x) - 0.11, 0.0)
        fine = np.clip(1.0 - pixel * 90.0, 0.0, 1.0)

        def lines(t: Map, per_m: float, wide: float) -> Map:
            phase = np.abs(np.mod(t * per_m, 1.0) - 0.5) * 2.0
            return smoothstep(1.0 - wide - 0.1, 1.0 - wide + 0.1, phase)

        if self.person.pattern == "stripes":
            return np.asarray(lines(run, 38.0, 0.35) * fine + 0.35 * (1.0 - fine), np.float32)
        if self.person.pattern == "checks":
            crossing = 0.5 * lines(run, 22.0, 0.4) + 0.5 * lines(x + 0.6 * arm * y, 22.0, 0.4)
            return np.asarray(0.8 * crossing * fine + 0.3 * (1.0 - fine), np.float32)
        return np.zeros_like(x)

    def _placket(self, own: Map) -> tuple[Map, Map]:
        """A band with buttons down the front of a shirt: its height 0..1, and the buttons 0..1."""
        x, y, z = own[..., 0], own[..., 1], own[..., 2]
        front = smoothstep(0.04, 0.06, z) * smoothstep(-0.12, -0.08, y)
        band = smoothstep(0.0175, 0.0150, np.abs(x)) * front
        rows = np.mod(y, 0.085) - 0.0425
        button = smoothstep(0.0062, 0.0048, np.hypot(x, rows)) * front
        return np.asarray(0.5 * band + 0.5 * button, np.float32), np.asarray(button, np.float32)

    def _gleams(self, s: Surface, share: dict[str, Map], bent: Map, lit: Lit) -> None:
        """Highlights of skin, eyes and lips, kept in maps that the scene adds as light of its own."""
        eye = self.view.position
        broad, narrow = lit.gleam(bent, eye, 14.0), lit.gleam(bent, eye, 70.0)
        oily = share["skin"] * (1.0 - s.more.get("scalp", 0.0)) * (0.8 + 0.5 * s.more.get("flush", 0.0))
        wet = share["skin"] * s.more.get("lips", 0.0) + share["teeth"]
        total = [oily * (0.050 * b + 0.050 * n) + 0.20 * wet * n for b, n in zip(broad, narrow, strict=True)]
        if share["eye"].any():
            cornea = unit(s.points - (self._eye_at(s) + 0.0048 * self.guest.look))
            # the cornea stands out past the lids, and sees lamps that the ball behind it does not
            before = self.room.at(moved(s.points, CORNEA_M * self.guest.look), cornea, share["eye"])
            wet_eye = before.gleam(cornea, eye, 900.0)
            total = [t + share["eye"] * 2.6 * w for t, w in zip(total, wet_eye, strict=True)]
        for name, amount in zip(("gleam flame", "gleam outside"), total, strict=True):
            s.more[name][...] = amount
