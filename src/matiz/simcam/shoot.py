"""The demo shoot, and single simulated frames as files."""

import multiprocessing
import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from dataclasses import dataclass, replace
from itertools import islice
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
from .sensor import DEMO

DEMO_SIZE = (3000, 2000)
PREVIEW_LONG_SIDE = 1200

SCENES: dict[str, Callable[..., Scene]] = {
    "salt-pans": salt_pans,
    "lava-lizard": lava_lizard,
    "grain-hall": grain_hall,
    "chart24": targets.chart,
    "grey": targets.grey,
    "wedge": targets.wedge,
    "slanted-edge": targets.slanted_edge,
    "zone-plate": targets.zone_plate,
    "star-field": targets.star_field,
    "skin-set": targets.skin_set,
    "two-light-wall": targets.two_light_wall,
    "hazy-posts": targets.hazy_posts,
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
    """Salt pans at dawn: two frames and a bracket of three. Lava lizard: two of a burst, at two
    ISO values. Lantern supper in the grain hall: the grey card first, then two frames."""
    dawn, noon, supper = cct_to_xy(5480.0, 0.003), cct_to_xy(5600.0, 0.003), cct_to_xy(3300.0, 0.0)
    landscape = Settings(
        iso=100, time_s=1 / 60, f_number=11.0, focal_mm=24.0, balance_xy=dawn, tilt_degrees=0.8, faults=DEMO
    )
    wildlife = Settings(iso=1600, time_s=1 / 800, f_number=5.6, focal_mm=98.0, balance_xy=noon, faults=DEMO)
    event = Settings(iso=800, time_s=1 / 60, f_number=4.0, focal_mm=28.0, balance_xy=supper, faults=DEMO)
    out: list[Shot] = []

    def add(number: int, scene: str, view: int, base: Settings, taken: str, **changes: float) -> None:
        settings = replace(base, seed=number, time_utc=f"2026-03-{taken}Z", **changes)  # type: ignore[arg-type]
        out.append(Shot(f"CORVA_{number:04d}.dng", scene, view, settings))

    for n, (taken, ev) in enumerate((("14T06:12:20", -1.6), ("14T06:15:41", -0.6))):
        add(11 + n, "salt-pans", n, landscape, taken, ev=ev)
    for n, ev in enumerate((-0.6, -2.6, 1.4)):
        add(16 + n, "salt-pans", 5, landscape, f"14T06:31:{2 + n:02d}", ev=ev, time_s=2.0 ** (ev + 0.6) / 60)
    for n, iso in enumerate((1600.0, 6400.0)):
        add(31 + n, "lava-lizard", n, wildlife, f"15T10:40:{5 + n:02d}", ev=0.2, iso=iso, time_s=2.0 / iso)
    add(51, "grain-hall", 0, event, "16T19:02:10", ev=1.0)
    for n in range(2):
        add(52 + n, "grain-hall", 1 + n, event, f"16T19:{31 + 17 * n}:44", ev=1.3, iso=800.0 * (1 + n))
    return tuple(out)


DEMO_SHOTS = _shots()


def scene_of(scene: str, size: tuple[int, int], *, view: int = 0, light: str | None = None) -> Scene:
    """A scene by its name. `view` is for the demo's scenes, `light` (a name that
    `camera.light_spectrum` takes) for the targets."""
    if scene not in SCENES:
        raise ArgumentError(f"scene: one of {', '.join(SCENES)}; got {scene!r}")
    if min(size) < 32 or size[0] * size[1] > 61_000_000:
        raise ArgumentError(f"size: from 32x32 px to 61 megapixels, got {size[0]}x{size[1]}")
    if SCENES[scene].__module__ == targets.__name__:
        return SCENES[scene](size, light) if light else SCENES[scene](size)
    return SCENES[scene](size, view)


def simulate(
    scene: str, size: tuple[int, int], settings: Settings, *, view: int = 0, light: str | None = None
) -> Frame:
    """One frame of a scene by its name."""
    return expose(scene_of(scene, size, view=view, light=light), settings)


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
    # frames of the same view, such as a bracket, share the scene
    views: dict[tuple[str, int], list[Shot]] = {}
    for shot in todo:
        views.setdefault((shot.scene, shot.view), []).append(shot)
    workers = max(1, min(len(views), os.cpu_count() or 1))
    context = multiprocessing.get_context("spawn")
    done = 0
    with ProcessPoolExecutor(workers, mp_context=context, initializer=_one_thread) as pool:
        waiting = iter(views.values())
        # no more at work than there are workers: what a pool has taken in cannot be cancelled
        at_work = {pool.submit(_make, shots, folder, size): shots for shots in islice(waiting, workers)}
        while at_work:
            for future in wait(at_work, return_when=FIRST_COMPLETED).done:
                shots = at_work.pop(future)
                future.result()
                for following in islice(waiting, 1):
                    at_work[pool.submit(_make, following, folder, size)] = following
                for shot in shots:
                    done += 1
                    yield done, len(todo), shot.name


def tether(folder: Path, every_s: float, *, size: tuple[int, int] = DEMO_SIZE) -> Iterator[str]:
    """Write the next frames of the demo shoot into `folder` as a tethered camera would, one every
    `every_s` seconds (or as fast as they are made), each under its name only when it is whole."""
    folder.mkdir(parents=True, exist_ok=True)
    due = time.monotonic()
    for shot in missing_shots(folder):
        frame = expose(SCENES[shot.scene](size, shot.view), shot.settings)
        time.sleep(max(0.0, due - time.monotonic()))
        write_frame(frame, folder / shot.name)
        due = time.monotonic() + every_s
        yield shot.name


def _one_thread() -> None:
    """Processes share the work: threads within them would only get in each other's way."""
    os.environ["HL_NUM_THREADS"] = "1"
    cv2.setNumThreads(1)


def _make(shots: list[Shot], folder: Path, size: tuple[int, int]) -> None:
    scene = SCENES[shots[0].scene](size, shots[0].view)
    for shot in shots:
        write_frame(expose(scene, shot.settings), folder / shot.name)
