"""Shared fixtures: no display, no user's home, a small shoot from the simulated camera."""

import hashlib
import os
import pickle
import shutil
import threading
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program has it: see matiz.system.cores

import numpy as np
import pytest

from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.masks.subject import SubjectMap
from matiz.raw.frame import Frame
from matiz_simcam import shoot as simcam_shoot
from matiz_simcam import targets
from matiz_simcam.camera import IDEAL, Settings, expose, light_spectrum, light_xy_of
from matiz_simcam.shoot import DEMO_SHOTS


class Simulated:
    """`simulate`, but each frame once in a run of the tests, whichever process asks first: a table of guests takes
    seven seconds. Tests of the simulated camera itself ask it each time."""

    def __init__(self) -> None:
        self.make, self.folder = simcam_shoot.simulate, None

    def __call__(self, scene, size, settings, *, view=0, light=None) -> Frame:
        asked = scene, size, settings, view, light
        if self.folder is None:
            return self.make(scene, size, settings, view=view, light=light)
        kept = self.folder / f"{hashlib.blake2b(repr(asked).encode(), digest_size=12).hexdigest()}.frame"
        if kept.exists():
            return pickle.loads(kept.read_bytes())
        frame = self.make(scene, size, settings, view=view, light=light)
        own = kept.with_suffix(f".{os.getpid()}")
        own.write_bytes(pickle.dumps(frame))
        own.rename(kept)
        return frame


# before any module of tests takes its own name for it
simulate = simcam_shoot.simulate = Simulated()

SMALL = (600, 400)
SHOTS = ("CORVA_0011", "CORVA_0031", "CORVA_0052")


@pytest.fixture(autouse=True, scope="session")
def frames_shared(tmp_path_factory):
    """Frames lie where all processes of a run find them."""
    own = tmp_path_factory.getbasetemp()
    simulate.folder = (own.parent if "PYTEST_XDIST_WORKER" in os.environ else own) / "frames"
    simulate.folder.mkdir(exist_ok=True)
    yield
    simulate.folder = None


@pytest.fixture(autouse=True)
def own_config(tmp_path_factory, monkeypatch):
    """Nothing is read from or written to the user's configuration and state."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path_factory.mktemp("state")))


@pytest.fixture
def middle_found(monkeypatch, tmp_path):
    """For tests that want a subject and not the network, which takes seconds: all that lies about the middle is one."""
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    y, x = np.mgrid[-1.0:1.0:64j, -1.0:1.0:64j]
    share = (np.hypot(x, y) < 0.8).astype(np.float32)
    monkeypatch.setattr("matiz.develop.frame.found.find_subject", lambda *_: SubjectMap(share, "network"))


@pytest.fixture(scope="session")
def small_shoot(tmp_path_factory) -> Path:
    """Three pictures of the demo shoot at 600x400; read only."""
    folder = tmp_path_factory.mktemp("shoot")
    for shot in DEMO_SHOTS:
        if shot.name.removesuffix(".dng") in SHOTS:
            write_frame(simulate(shot.scene, SMALL, shot.settings, view=shot.view), folder / shot.name)
    return folder


@pytest.fixture
def shoot(small_shoot, tmp_path) -> Path:
    """A copy of the small shoot that a test may change."""
    folder = tmp_path / "shoot"
    shutil.copytree(small_shoot, folder)
    return folder


def chart_frame(light: str, *, size: tuple[int, int] = SMALL, **settings) -> tuple[Frame, targets.Scene]:
    """The 24-patch chart under a light that the camera balances for, by a perfect camera unless told otherwise."""
    scene = targets.chart(size, light)
    chosen = Settings(ev=-0.3, balance_xy=light_xy_of(light_spectrum(light)), **{**IDEAL, **settings})
    return expose(scene, chosen), scene


def frame_of(scene, **settings) -> Frame:
    """A frame by a perfect camera unless told otherwise."""
    return expose(scene, Settings(**{**IDEAL, **settings}))


@pytest.fixture(scope="session")
def scene_engine() -> Engine:
    """The dawn landscape at 600x400, under-exposed."""
    shot = DEMO_SHOTS[0]
    return Engine(simulate(shot.scene, SMALL, shot.settings, view=shot.view))


@pytest.fixture(scope="session")
def hall_engine() -> Engine:
    """The supper at 600x400: mixed light, a clipped window."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0052.dng")
    return Engine(simulate(shot.scene, SMALL, replace(shot.settings), view=shot.view))


def mean_delta_E(first, second) -> float:
    """Mean CIEDE2000 between two display-linear sRGB pictures."""
    from matiz.colour.difference import delta_E_2000
    from matiz.colour.spaces import sRGB_to_Lab

    return float(delta_E_2000(sRGB_to_Lab(first), sRGB_to_Lab(second)).mean())


@pytest.fixture
def no_leaked_threads():
    """A test that leaves a thread behind fails."""
    before = set(threading.enumerate())
    yield
    left = [t for t in threading.enumerate() if t not in before and t.is_alive() and not t.daemon]
    assert not left, f"threads left behind: {left}"
