"""What is found without a click, on the demo's frames at 6 megapixels, against what the simulated camera knows.

Overlap (intersection over union) of subject and sky, the error of the share along the edge, and the seconds it takes.
Then the subject of five photographs against outlines drawn by hand, without a click and after taps.
"""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import mask
from matiz.develop.places.weighing import Masked
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe
from matiz.recipe.places import MaskPart, Sky, Subject
from matiz.recipe.tree import Rows
from matiz_simcam.camera import expose
from matiz_simcam.scene import Map
from matiz_simcam.shoot import DEMO_SHOTS, DEMO_SIZE, Shot, scene_of
from matiz_simcam.truth import Truth, truth_of

from .outlines import OUTLINED, SKIES, overlap
from .photographs import photographs

BAND = 9
"""Px along the true edge in which the share is judged."""


def run() -> dict[str, float]:
    overlaps: dict[str, list[float]] = {"subject": [], "sky": []}
    print("frame           what     overlap  coarse  edge error  coarse  seconds")
    for shot in DEMO_SHOTS:
        if shot.scene == "lava-lizard":
            own = _row(shot, "subject", Subject(), lambda truth: truth.masks["subject"] + truth.masks["eye"])
        elif shot.name == "CORVA_0055.dng":
            own = _row(shot, "subject", Subject(), lambda truth: truth.masks["guest 4"])
        elif shot.scene == "salt-pans":
            own = _row(shot, "sky", Sky(), lambda truth: truth.masks["sky"])
        else:
            continue
        overlaps["sky" if shot.scene == "salt-pans" else "subject"].append(own)
    overlaps |= _photographs() | _skies()
    return {
        f"overlap of the {what}, {which}": of(values)
        for what, values in overlaps.items()
        for which, of in (("median", statistics.median), ("least", min))
    }


def _photographs() -> dict[str, list[float]]:
    """Of their subjects, as they are found and after the taps of those that have some."""
    found, corrected = [], []
    for name, photograph in OUTLINED.items():
        pixels = photograph.pixels()
        with tempfile.TemporaryDirectory() as folder:
            cv2.imwrite(f"{folder}/{name}.png", np.ascontiguousarray(pixels[..., ::-1]))
            engine = Engine(read_frame(Path(folder) / f"{name}.png"))
        long_side = max(pixels.shape[:2])
        sides = {is_it: tuple((x / long_side, y / long_side) for x, y, it in photograph.taps if it == is_it)
                 for is_it in (True, False)}  # fmt: skip
        own, tapped = (
            photograph.overlap(engine.render(Recipe(), 0, result=mask(Masked(Rows([("p", part)]))))[..., 0])
            for part in (Subject(), Subject(picks=sides[True], keep_out=sides[False]))
        )
        print(f"{name:15} {'subject':8} {own:7.3f}" + (f", {tapped:.3f} after taps" if photograph.taps else ""))
        found.append(own)
        corrected.append(tapped)
    return {"subjects of photographs": found, "subjects of photographs, after taps": corrected}


def _skies() -> dict[str, list[float]]:
    """Of photographs that are fetched: none where they were not."""
    out = []
    there = {(each.package, each.sha256): each.path for each in photographs()}
    for name, (package, sha256, inside, unsure) in SKIES.items():
        if (package, sha256) in there:
            engine = Engine(read_frame(there[package, sha256]))
            share = engine.render(Recipe(), 0, result=mask(Masked(Rows([("p", Sky())]))))[..., 0]
            out.append(overlap(share, inside, unsure))
            print(f"{name:15} {'sky':8} {out[-1]:7.3f}")
    return {"skies of photographs": out} if out else {}


def _row(shot: Shot, what: str, part: MaskPart, truth_of_it: Callable[[Truth], Map]) -> float:
    scene = scene_of(shot.scene, DEMO_SIZE, view=shot.view)
    truth = truth_of_it(truth_of(scene, shot.settings))
    engine = Engine(expose(scene, shot.settings))
    engine.render(Recipe(), 1)
    began = time.perf_counter()
    engine.render(Recipe(), 1, result=mask(Masked(Rows([("p", part)]))))
    took = time.perf_counter() - began
    found = engine.render(Recipe(), 0, result=mask(Masked(Rows([("p", part)]))))[..., 0]
    seen = engine.found
    coarse = cv2.resize(seen.subject_map().share if what == "subject" else seen.sky_map(), DEMO_SIZE)
    band = cv2.dilate(((truth > 0.02) & (truth < 0.98)).astype(np.uint8), np.ones((BAND, BAND), np.uint8)) > 0
    errors = [float(np.abs(share - truth)[band].mean()) for share in (found, coarse)]
    print(f"{shot.name:15} {what:8} {_overlap(found, truth):7.3f} {_overlap(coarse, truth):7.3f} "
          f"{errors[0]:11.3f} {errors[1]:7.3f} {took:8.1f}")  # fmt: skip
    return _overlap(found, truth)


def _overlap(a: Map, b: Map) -> float:
    one, other = a > 0.5, b > 0.5
    return float((one & other).sum() / max((one | other).sum(), 1))
