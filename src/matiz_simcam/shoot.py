"""The demo shoot, and single simulated frames as files."""

import contextlib
import os
import time
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, replace
from pathlib import Path

import cv2

from matiz.colour.temperature import cct_to_xy
from matiz.develop.graph.as_file import write_frame
from matiz.errors import ArgumentError
from matiz.raw.frame import Frame
from matiz.system.children import process_pool

from . import targets
from .camera import Settings, expose
from .kept import keep_last
from .scene import Scene
from .scenes.grain_hall import STANDPOINTS as SUPPER
from .scenes.grain_hall import grain_hall
from .scenes.lava_lizard import lava_lizard
from .scenes.salt_pans import STANDPOINTS as PANS
from .scenes.salt_pans import salt_pans
from .sensor import DEMO

DEMO_SIZE = (3000, 2000)

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
    """Salt pans at dawn: five frames, a bracket of three, a focus pair. Lava lizard: a burst of six at
    three ISO values. Lantern supper in the grain hall: the grey card first, then six frames."""
    dawn, noon, supper = cct_to_xy(5480.0, 0.003), cct_to_xy(5600.0, 0.003), cct_to_xy(3300.0, 0.0)
    landscape = Settings(
        iso=100, time_s=1 / 60, f_number=11.0, focal_mm=24.0, balance_xy=dawn, tilt_degrees=0.8, faults=DEMO
    )
    wildlife = Settings(iso=1600, f_number=7.1, focal_mm=98.0, balance_xy=noon, faults=DEMO, focus_m=1.205, ev=0.5)
    event = Settings(iso=800, time_s=1 / 60, f_number=2.0, balance_xy=supper, faults=DEMO)
    out: list[Shot] = []

    def add(number: int, scene: str, view: int, base: Settings, taken: str, **changes: float) -> None:
        settings = replace(base, seed=number, time_utc=f"2026-03-{taken}Z", **changes)  # type: ignore[arg-type]
        out.append(Shot(f"CORVA_{number:04d}.dng", scene, view, settings))

    focus = [stand.focus_m for stand in PANS]
    for n, (taken, ev) in enumerate(
        (
            ("14T06:12:20", -1.6),
            ("14T06:15:41", -0.2),
            ("14T06:19:08", -0.4),
            ("14T06:22:55", -0.1),
            ("14T06:26:30", -0.3),
        )
    ):
        add(11 + n, "salt-pans", n, landscape, taken, ev=ev, focus_m=focus[n])
    for n, ev in enumerate((-0.6, -2.6, 1.4)):
        time_s = 2.0 ** (ev + 0.6) / 60
        add(16 + n, "salt-pans", 5, landscape, f"14T06:31:{2 + n:02d}", ev=ev, time_s=time_s, focus_m=focus[5])
    for n, focus_m in enumerate((focus[6], 14.0)):
        add(
            19 + n,
            "salt-pans",
            6,
            landscape,
            f"14T06:38:{10 + 4 * n}",
            ev=-0.2,
            f_number=5.6,
            time_s=1 / 240,
            focus_m=focus_m,
        )
    for n, iso in enumerate((1600.0, 1600.0, 3200.0, 3200.0, 6400.0, 6400.0)):
        # hand-held on a rest: a little turned each time; the third frame is shaken, the fifth focused too far
        add(
            31 + n, "lava-lizard", n, wildlife, f"15T10:40:{5 + n // 3:02d}", iso=iso, time_s=1.25 / iso,
            tilt_degrees=(0.0, 0.05, -0.12, 0.04, 0.10, -0.03)[n], shake=0.0015 if n == 2 else 0.0,
            focus_m=1.232 if n == 4 else 1.205,
        )  # fmt: skip
    for n, stand in enumerate(SUPPER):
        iso = (800.0, 1600.0, 1600.0, 1600.0, 3200.0, 1600.0, 3200.0)[n]
        changes = {"iso": iso, "focal_mm": stand.focal_mm, "focus_m": stand.focus_m, "time_s": 1 / (60 * iso / 800)}
        add(
            51 + n,
            "grain-hall",
            n,
            event,
            f"16T19:{2 + 5 * n:02d}:44",
            ev=(0.9, 1.2, 1.0, 1.2, 1.2, 0.8, 1.1)[n],
            **changes,
        )
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


def missing_shots(folder: Path) -> list[Shot]:
    """Pictures of the demo shoot that are not yet in `folder`."""
    return [shot for shot in DEMO_SHOTS if not (folder / shot.name).exists()]


def make_demo(folder: Path, *, size: tuple[int, int] = DEMO_SIZE) -> Generator[tuple[int, int, str], None, None]:
    """Render what is missing of the demo shoot, yielding (done, of how many, name) as files appear.

    Closing the iterator cancels; what was written stays, and another call goes on from there.
    """
    folder = folder.absolute()
    folder.mkdir(parents=True, exist_ok=True)
    todo = missing_shots(folder)
    # frames of one place share what stays the same there, so one worker takes them all
    places: dict[tuple[str, object], list[Shot]] = {}
    for shot in todo:
        places.setdefault((shot.scene, _place_of(shot)), []).append(shot)
    lanes = max(1, min(len(places), os.cpu_count() or 1))
    groups = sorted(places.values(), key=lambda shots: -len(shots))
    done = 0
    with contextlib.ExitStack() as stack:
        stack.enter_context(_roomy_memory())
        pools = [stack.enter_context(process_pool(1, _one_thread)) for _ in range(lanes)]
        left: list[list[Shot]] = [[] for _ in pools]

        def start(lane: int) -> dict[Future[None], tuple[int, Shot]]:
            if not left[lane] and groups:
                left[lane] = groups.pop(0)
            if not left[lane]:
                return {}
            shot = left[lane].pop(0)
            return {pools[lane].submit(_make, shot, folder, size): (lane, shot)}

        at_work: dict[Future[None], tuple[int, Shot]] = {}
        for lane in range(lanes):
            at_work |= start(lane)
        while at_work:
            for future in wait(at_work, return_when=FIRST_COMPLETED).done:
                lane, shot = at_work.pop(future)
                future.result()
                at_work |= start(lane)
                done += 1
                yield done, len(todo), shot.name


def _place_of(shot: Shot) -> object:
    """What frames that can share their work have in common."""
    if shot.scene == "grain-hall":
        return replace(SUPPER[shot.view], guests=(), heads=(), toast=False, focus_m=1.0)
    return 0 if shot.scene == "lava-lizard" else shot.view


@contextlib.contextmanager
def _roomy_memory() -> Iterator[None]:
    """Processes started meanwhile keep freed memory for the next map: fresh pages cost as much as the
    arithmetic on them. Settings of the GNU C library; others ignore them."""
    wanted = {
        "MALLOC_MMAP_THRESHOLD_": str(2**25),
        "MALLOC_TRIM_THRESHOLD_": str(2**33),
        "MALLOC_TOP_PAD_": str(2**28),
    }
    before = {name: os.environ.get(name) for name in wanted}
    os.environ.update(wanted)
    try:
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value


def tether(folder: Path, every_s: float, *, size: tuple[int, int] = DEMO_SIZE) -> Iterator[str]:
    """Write the next frames of the demo shoot into `folder` as a tethered camera would, one every
    `every_s` seconds (or as fast as they are made), each under its name only when it is whole."""
    folder.mkdir(parents=True, exist_ok=True)
    due = time.monotonic()
    for shot in missing_shots(folder):
        frame = expose(_scene(shot.scene, shot.view, size), shot.settings)
        time.sleep(max(0.0, due - time.monotonic()))
        write_frame(frame, folder / shot.name, exclusive=True)
        due = time.monotonic() + every_s
        yield shot.name


def _one_thread() -> None:
    """Processes share the work: threads within them would only get in each other's way."""
    os.environ["HL_NUM_THREADS"] = "1"
    cv2.setNumThreads(1)


@keep_last
def _scene(name: str, view: int, size: tuple[int, int]) -> Scene:
    """The last scene: frames of a bracket or a focus pair follow each other."""
    return SCENES[name](size, view)


def _make(shot: Shot, folder: Path, size: tuple[int, int]) -> None:
    write_frame(expose(_scene(shot.scene, shot.view, size), shot.settings), folder / shot.name)
