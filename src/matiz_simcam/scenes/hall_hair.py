"""How the guests' hair looks: light on strands, through the hair round them, and along their highlights."""

from dataclasses import dataclass

import numpy as np

from ..people import Guest
from ..scene import Map
from ..shading import Shaded
from ..solids import Surface
from ..vectors import dot, moved, scaled, unit
from ..view import SceneView
from .hall_guests import Person
from .hall_light import HallLight

OUTSIDE_M = 0.012
SCATTERED = 0.28
"""Share of light that comes to buried strands from their neighbours."""
DARKER = {"brow": 0.7, "lash": 0.4}
"""Than the hair of the head."""


@dataclass
class HairLook:
    """Shades hair of one kind of one guest. `room` knows of everything but hair."""

    guest: Guest
    person: Person
    view: SceneView
    room: HallLight
    stuff: str

    def __call__(self, s: Surface) -> Shaded:
        past = [SCATTERED + (1.0 - SCATTERED) * s.more[name] for name in ("past flame", "past outside")]
        out, across = self._across(s)
        # whatever light reaches the hair reaches its outside: roots lie too near to the skin to ask
        lit = self.room.at(s.points + np.float32(OUTSIDE_M) * out, across, s.cover)
        light = lit.light(across, wrap=0.45)
        tone, tip = s.more["tone"], s.more["tip"]
        level = np.clip(0.80 + 0.26 * tone + 0.25 * tip, 0.25, 1.8) * DARKER.get(self.stuff, 1.0)
        parts = {name: level * amount for name, amount in self.person.hair.items()}
        if self.stuff == "beard" and self.guest.number == 6:
            parts["plaster"] = parts.get("plaster", np.float32(0.0)) + 0.15 * level
        # no strand runs quite like its neighbour, so highlights are broken
        runs = unit(s.normals + scaled(across, np.float32(0.16) * tone))
        wide, sharp = (lit.gleam(runs, self.view.position, h, strands=True) for h in (22.0, 110.0))
        strength = (1.0 if self.stuff == "hair" else 0.4) * np.clip(1.0 + 0.35 * tone, 0.2, 2.0)
        for name, a, b, through in zip(("gleam flame", "gleam outside"), wide, sharp, past, strict=True):
            s.more[name][...] = strength * through**2 * (0.018 * a + 0.030 * b)
        return parts, {name: amount * through for (name, amount), through in zip(light.items(), past, strict=True)}

    def _across(self, s: Surface) -> tuple[Map, Map]:
        """Away from the head; and so and toward the camera, at right angles to the strands."""
        out = unit(moved(s.points, -(self.guest.face - 0.08 * self.guest.ahead + (0.0, 0.02, 0.0))))
        turned = 0.7 * out + 0.3 * unit(moved(-s.points, self.view.position))
        return out, unit(turned - scaled(s.normals, dot(turned, s.normals)))
