"""People and skin found in the demo's supper against what the simulated camera knows: overlap, and seconds."""

import statistics
import time

import cv2

from matiz.develop.graph.engine import Engine
from matiz.recipe.model import Recipe
from matiz_simcam.camera import expose
from matiz_simcam.scene import Map
from matiz_simcam.shoot import DEMO_SHOTS, DEMO_SIZE, scene_of
from matiz_simcam.truth import truth_of

LEAST_PX = 60.0
"""Height of a face whose person is judged."""


def run() -> dict[str, float]:
    of_people: list[float] = []
    of_skin: list[float] = []
    print("frame           what       overlap  seconds")
    for shot in DEMO_SHOTS:
        if shot.scene != "grain-hall" or shot.view == 0:
            continue
        scene = scene_of(shot.scene, DEMO_SIZE, view=shot.view)
        masks = truth_of(scene, shot.settings).masks
        engine = Engine(expose(scene, shot.settings))
        engine.render(Recipe(), 1)
        found = engine.found
        found.subject_map()
        for n, face in enumerate(found.faces()):
            x, y = ((at + size / 2.0) * max(DEMO_SIZE) for at, size in ((face.x, face.w), (face.y, face.h)))
            here = [name for name in masks if name.startswith("guest") and masks[name][int(y), int(x)] > 0.5]
            if here and face.h * max(DEMO_SIZE) >= LEAST_PX:
                began = time.perf_counter()
                own = found.person_map(n + 1)
                of_people.append(_overlap(own, masks[here[0]]))
                print(f"{shot.name:15} {here[0]:10} {of_people[-1]:7.3f} "
                      f"{time.perf_counter() - began:8.1f}")  # fmt: skip
        began = time.perf_counter()
        own = found.skin_map()
        of_skin.append(_overlap(own, masks["skin"]))
        print(f"{shot.name:15} {'skin':10} {of_skin[-1]:7.3f} {time.perf_counter() - began:8.1f}")
    return {"overlap of people, median": statistics.median(of_people),
            "overlap of skin, median": statistics.median(of_skin)}  # fmt: skip


def _overlap(share: Map, truth: Map) -> float:
    one, other = cv2.resize(share, truth.shape[::-1]) > 0.5, truth > 0.5
    return float((one & other).sum() / max((one | other).sum(), 1))
