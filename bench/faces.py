"""Faces of the demo's supper found by a network that was not trained here: how many, and how many that are none."""

import time

import numpy as np

from matiz.develop.graph.engine import Engine
from matiz.masks.faces import Face, faces
from matiz.recipe.model import Recipe
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, DEMO_SIZE, scene_of

LEAST_PX = 24.0


def run() -> dict[str, float]:
    all_wanted = all_found = all_wrong = 0
    print("frame           faces  found  wrong  seconds")
    for shot in DEMO_SHOTS:
        if shot.scene != "grain-hall" or shot.view == 0:
            continue
        scene = scene_of(shot.scene, DEMO_SIZE, view=shot.view)
        pixels = Engine(expose(scene, shot.settings)).render(Recipe(), 0)
        began = time.perf_counter()
        found = faces(np.ascontiguousarray(pixels[..., 2::-1]), least_px=LEAST_PX)
        took = time.perf_counter() - began
        wanted = [area for name, area in scene.areas.items() if name.startswith("face") and area[3] >= LEAST_PX]
        hits = sum(any(_inside(face, area) for face in found) for area in wanted)
        people = np.maximum.reduce([scene.masks[n] for n in scene.masks if n.startswith("guest")])
        wrong = sum(not people[int(face.y + face.h / 2), int(face.x + face.w / 2)] > 0.5 for face in found)
        print(f"{shot.name:15} {len(wanted):5} {hits:6} {wrong:6} {took:8.1f}")
        all_wanted, all_found, all_wrong = all_wanted + len(wanted), all_found + hits, all_wrong + wrong
    return {
        f"share of faces of at least {LEAST_PX:.0f} px that are found": all_found / max(all_wanted, 1),
        "found that are none": float(all_wrong),
    }


def _inside(face: Face, area: tuple[int, int, int, int]) -> bool:
    x, y, w, h = area
    return x < face.x + face.w / 2 < x + w and y < face.y + face.h / 2 < y + h
