"""Leaks and gaps of masks, told by the picture: true masks of the demo's frames, which have none, and the same with a
dab that reaches about 40 px beyond their edge, or into them, where the two sides differ."""

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from matiz.colour.spaces import sRGB_to_Lab
from matiz.develop.graph.engine import Engine
from matiz.measure.places.mask_edge import read_edge
from matiz.recipe.model import Recipe
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, DEMO_SIZE, scene_of
from matiz_simcam.truth import truth_of

Mask = NDArray[np.float32]

LEVEL, LEAK_PX, TRIED = 1, 80, 2
"""Size at which a picture is read, of the frame; width of what is planted, px of the frame, about half of it beyond the
edge; how often on each mask."""
APART_dE = 25.0
"""Of the colours on either side, a leak's width from the edge: where they differ less nobody sees the leak either."""
LEAST_SHARE = 0.01


def run() -> dict[str, float]:
    out = dict.fromkeys(
        ("true masks read", "of them said to leak", "of them said to stop short", "planted leaks",
         "of them listed where they are", "planted gaps", "of these listed where they are"), 0.0,
    )  # fmt: skip
    for name, mask, Lab in _true_masks():
        own = read_edge(mask, Lab, mask)
        if own is None:
            continue
        leaks, gaps = (
            [_is_listed(mask, Lab, spot, by) for spot in _edge_places(mask if by else 1.0 - mask, Lab)]
            for by in (1.0, 0.0)
        )
        counted = (1, bool(own.leaks), bool(own.gaps), len(leaks), sum(leaks), len(gaps), sum(gaps))
        out = {what: value + more for (what, value), more in zip(out.items(), counted, strict=True)}
        print(f"{name:28} leaks {len(own.leaks)}, gaps {len(own.gaps)}; planted {len(leaks)} and {len(gaps)}, "
              f"listed {sum(leaks)} and {sum(gaps)}", flush=True)  # fmt: skip
    return out


def _true_masks() -> Iterator[tuple[str, Mask, Mask]]:
    for shot in DEMO_SHOTS:
        scene = scene_of(shot.scene, DEMO_SIZE, view=shot.view)
        masks = truth_of(scene, shot.settings).masks
        if shot.scene == "lava-lizard":
            wanted = {"subject": masks["subject"] + masks["eye"]}
        elif shot.scene == "salt-pans":
            wanted = {"sky": masks["sky"]}
        else:
            wanted = {name: mask for name, mask in masks.items() if name.startswith("guest")}
        shown = Engine(expose(scene, shot.settings)).render(Recipe(), LEVEL)[..., 2::-1].astype(np.float32) / 255.0
        Lab = np.asarray(sRGB_to_Lab(shown), np.float32)
        for name, mask in wanted.items():
            small = np.asarray(cv2.resize(mask, Lab.shape[1::-1], interpolation=cv2.INTER_AREA), np.float32)
            if (small > 0.5).mean() > LEAST_SHARE:
                yield f"{shot.name} {name}", small, Lab


def _edge_places(mask: Mask, Lab: Mask) -> list[tuple[int, int]]:
    """Places outside a mask, by its edge, whose colours differ from those within."""
    random = np.random.default_rng(5)
    solid = (mask > 0.5).astype(np.uint8)
    radius = LEAK_PX // 2**LEVEL // 2
    away = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    calm = cv2.GaussianBlur(Lab, (0, 0), radius / 2.0)
    ys, xs = np.nonzero((away > 0.0) & (away < 0.3 * radius))
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5) > radius
    out: list[tuple[int, int]] = []
    for k in random.permutation(len(xs))[:400]:
        x, y = int(xs[k]), int(ys[k])
        if not (2 * radius < x < mask.shape[1] - 2 * radius and 2 * radius < y < mask.shape[0] - 2 * radius):
            continue
        box = np.s_[y - 2 * radius : y + 2 * radius, x - 2 * radius : x + 2 * radius]
        if not inside[box].any():
            continue
        within = calm[box][inside[box]].mean(axis=0)
        if np.linalg.norm(calm[y, x] - within) > APART_dE and all(np.hypot(x - a, y - b) > 8 * radius for a, b in out):
            out.append((x, y))
        if len(out) == TRIED:
            break
    return out


def _is_listed(mask: Mask, Lab: Mask, at: tuple[int, int], by: float) -> bool:
    """by: what the dab makes of the mask."""
    leaking = mask.copy()
    radius = LEAK_PX // 2**LEVEL // 2
    cv2.circle(leaking, at, radius, by, -1)
    own = read_edge(leaking, Lab, leaking)
    return own is not None and any(
        spot.x - radius <= at[0] <= spot.x + spot.w + radius and spot.y - radius <= at[1] <= spot.y + spot.h + radius
        for spot in (own.leaks if by else own.gaps)
    )
