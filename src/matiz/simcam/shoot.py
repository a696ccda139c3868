"""The demo shoot, and single simulated frames as files."""

import multiprocessing
import os
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np

from ..colour.temperature import cct_to_xy
from ..develop.engine import Engine
from ..errors import ArgumentError
from ..files import write_whole
from ..raw.dng import write_dng
from ..raw.frame import Frame
from ..recipe.model import Recipe
from . import targets
from .camera import Settings, expose
from .scene import Scene
from .scenes.grain_hall import grain_hall
from .scenes.lava_lizard import lava_lizard
from .scenes.salt_pans import salt_pans

DEMO_SIZE = (3000, 2000)
PREVIEW_LONG_SIDE = 1200

SCENES: dict[str, Callable[..., Scene]] = {
    "salt-pans": salt_pans,
    "lava-lizard": lava_lizard,
    "grain-hall": grain_hall,
    "chart24": targets.chart,
    "grey": targets.grey,
    "wedge": targets.wedge,
}
"""Scenes by the names that `matiz simulate` takes."""


@dataclass(frozen=True)
class Shot:
    """One picture of the demo shoot."""

    name: str
    scene: str
    view: int
    settings: Settings


def _shots() -> tuple[Shot, ...]:
    dawn, noon, supper = cct_to_xy(5480.0, 0.003), cct_to_xy(5600.0, 0.003), cct_to_xy(3300.0, 0.0)
    landscape = Settings(iso=100, time_s=1 / 60, f_number=8.0, focal_mm=24.0, balance_xy=dawn)
    wildlife = Settings(iso=1600, time_s=1 / 800, f_number=5.6, focal_mm=98.0, balance_xy=noon)
    event = Settings(iso=800, time_s=1 / 60, f_number=4.0, focal_mm=28.0, balance_xy=supper)

    def shot(n: int, scene: str, view: int, base: Settings, time: str, **changes: float) -> Shot:
        return Shot(f"CORVA_{n:04d}.dng", scene, view, replace(base, seed=n, time_utc=time, **changes))  # type: ignore[arg-type]

    return (
        shot(11, "salt-pans", 0, landscape, "2026-03-14T06:12:20Z", ev=-1.6),
        shot(12, "salt-pans", 1, landscape, "2026-03-14T06:15:41Z", ev=-0.6),
        shot(31, "lava-lizard", 0, wildlife, "2026-03-15T10:40:05Z", ev=0.2),
        shot(32, "lava-lizard", 1, wildlife, "2026-03-15T10:40:06Z", ev=0.2, iso=3200.0),
        shot(51, "grain-hall", 0, event, "2026-03-16T19:02:10Z", ev=1.0),
        shot(52, "grain-hall", 1, event, "2026-03-16T19:31:44Z", ev=1.3),
        shot(53, "grain-hall", 2, event, "2026-03-16T19:48:02Z", ev=1.3, iso=1600.0),
    )


DEMO_SHOTS = _shots()


def simulate(
    scene: str, size: tuple[int, int], settings: Settings, *, view: int = 0, light: str | None = None
) -> Frame:
    """One frame of a scene by its name. `light` is for the targets, by `camera.light_spectrum`."""
    if scene not in SCENES:
        raise ArgumentError(f"scene: one of {', '.join(SCENES)}; got {scene!r}")
    if min(size) < 32 or size[0] * size[1] > 61_000_000:
        raise ArgumentError(f"size: from 32x32 px to 61 megapixels, got {size[0]}x{size[1]}")
    if SCENES[scene].__module__ == targets.__name__:
        return expose(SCENES[scene](size, light) if light else SCENES[scene](size), settings)
    return expose(SCENES[scene](size, view), settings)


def write_frame(frame: Frame, path: Path) -> None:
    """Write a simulated frame as DNG, with the preview that the camera would have made."""
    pixels = Engine(frame).render(Recipe(), 1, result="screen")
    scale = min(1.0, PREVIEW_LONG_SIDE / max(pixels.shape[:2]))
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    preview = np.ascontiguousarray(small[..., 2::-1])
    write_whole(path, lambda temporary: write_dng(frame, temporary, preview))


def missing_shots(folder: Path) -> list[Shot]:
    """Pictures of the demo shoot that are not yet in `folder`."""
    return [shot for shot in DEMO_SHOTS if not (folder / shot.name).exists()]


def make_demo(folder: Path, *, size: tuple[int, int] = DEMO_SIZE) -> Iterator[tuple[int, int, str]]:
    """Render what is missing of the demo shoot, yielding (done, of how many, name) as files appear.

    Closing the iterator cancels; what was written stays, and another call goes on from there.
    """
    folder.mkdir(parents=True, exist_ok=True)
    todo = missing_shots(folder)
    workers = max(1, min(len(todo), os.cpu_count() or 1))
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(workers, mp_context=context) as pool:
        futures = {pool.submit(_make, shot, folder, size): shot for shot in todo}
        try:
            for done, future in enumerate(as_completed(futures), 1):
                future.result()
                yield done, len(todo), futures[future].name
        finally:
            pool.shutdown(wait=True, cancel_futures=True)


def _make(shot: Shot, folder: Path, size: tuple[int, int]) -> None:
    cv2.setNumThreads(1)
    scene = SCENES[shot.scene](size, shot.view)
    write_frame(expose(scene, shot.settings), folder / shot.name)
