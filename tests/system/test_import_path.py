"""Nothing is imported from a folder of pictures, whatever lies in it and whoever is started there."""

import importlib.metadata
import os
import subprocess
import sys
from pathlib import Path

import pytest

from matiz.system import children, import_path
from matiz.system.children import process_pool
from matiz.system.user_folders import cache_folder, config_folder, data_folder, state_folder

HOSTILE = """import os
open(os.environ["MATIZ_TEST_MARK"], "a").write(__name__ + "\\n")
"""
SCRIPT = Path(sys.executable).with_name("matiz")


def planted_names() -> set[str]:
    """Top-level names of the standard library and of all that is installed."""
    installed = set(importlib.metadata.packages_distributions())
    return {name for name in sys.stdlib_module_names | installed if name.isidentifier()} | {"matiz", "usercustomize"}


@pytest.fixture
def hostile_folder(shoot, tmp_path, monkeypatch):
    """A shoot in which a module of every name lies; `seen()` names those that were run."""
    mark = tmp_path / "mark"
    monkeypatch.setenv("MATIZ_TEST_MARK", str(mark))
    for name in planted_names():
        (shoot / f"{name}.py").write_text(HOSTILE)
    (shoot / "matiz").mkdir()
    (shoot / "matiz" / "__init__.py").write_text(HOSTILE)
    monkeypatch.chdir(shoot)
    return shoot, lambda: mark.read_text().split() if mark.exists() else []


def run(*command: object, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        list(map(str, command)), capture_output=True, text=True, timeout=120, env={**os.environ, **environment}
    )


def run_script(*lines: str) -> None:
    """Run a script that has the current folder out of its path, as the program has; it must end well."""
    done = run(sys.executable, "-c", "\n".join(("import sys", "sys.path.pop(0)", "from pathlib import Path", *lines)))
    assert done.returncode == 0, done.stderr


COMMANDS: dict[str, tuple[str, ...]] = {
    "develop": ("develop", "CORVA_0011.dng", "-o", "out.jpg", "--long-side", "100"),
    "deliver": ("deliver", ".", "--order", "screen", "-o", "out", "--jobs", "2"),
}


@pytest.mark.skipif(not SCRIPT.exists(), reason="the matiz command is not installed")
@pytest.mark.parametrize("command", COMMANDS)
def test_no_command_runs_what_lies_in_the_current_folder(hostile_folder, command):
    _, seen = hostile_folder
    done = run(SCRIPT, *COMMANDS[command])
    assert done.returncode == 0, done.stderr
    assert seen() == []


def test_the_module_neither(hostile_folder):
    # Python's own -m looks for the program, and for what starts it, in the current folder before any code of ours
    # runs: see docs/security.md
    folder, seen = hostile_folder
    (folder / "matiz" / "__init__.py").unlink()
    (folder / "matiz").rmdir()
    for name in {*sys.stdlib_module_names, "matiz"}:
        (folder / f"{name}.py").unlink(missing_ok=True)
    done = run(sys.executable, "-m", "matiz", *COMMANDS["develop"])
    assert done.returncode == 0, done.stderr
    assert seen() == []


def test_a_window_that_is_opened_there_neither(hostile_folder):
    _, seen = hostile_folder
    run_script(
        "from matiz.system.import_path import make_children_safe",
        "from matiz.ui.kit.application import application",
        "from matiz.ui.frame.settle import settle",
        "from matiz.ui.frame.window import Window",
        "make_children_safe()",
        "application(); window = Window(); window.show(); window.open_paths([Path('.')]); settle(window)",
        "assert window.session.is_open; window.close()",
    )
    assert seen() == []


def test_profiles_drawings_and_kernels_neither(hostile_folder, tmp_path):
    _, seen = hostile_folder
    run_script(
        "import numpy as np",
        "from PIL import Image",
        "from matiz.deliver.profiles import into_profile, profile_of",
        "from matiz.raw.drawing import read_drawing",
        "from matiz.system.children import run_module",
        "Path('own.icc').write_bytes(profile_of('sRGB'))",
        "into_profile(np.full((4, 4, 3), 0.2, np.float32), Path('own.icc'), 'relative', black_point=True)",
        "Image.new('L', (40, 40), 0).save('ink.png')",
        "read_drawing(Path('ink.png'))",
        "assert run_module('matiz.kernels.build').returncode == 0",
    )
    assert seen() == []


def test_relative_entries_of_the_path_are_left_out(monkeypatch, tmp_path):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PYTHONPATH", os.pathsep.join(["", "lib", "/opt/own"]))
    monkeypatch.setattr(sys, "path", [str(tmp_path), str(tmp_path / "lib"), "/opt/own", "/usr/lib/x"])
    assert import_path.safe_environment()["PYTHONPATH"] == "/opt/own"
    import_path.remove_current_folder()
    assert sys.path == ["/opt/own", "/usr/lib/x"]


def test_an_absolute_entry_that_was_given_stays(monkeypatch, tmp_path):
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    monkeypatch.setattr(sys, "path", ["/usr/bin", str(tmp_path)])
    import_path.remove_current_folder()
    assert sys.path == ["/usr/bin", str(tmp_path)]


def _where() -> tuple[str, bool]:
    return str(Path.cwd()), bool(sys.flags.safe_path)


def test_a_pool_works_in_the_root_folder_with_a_safe_path(monkeypatch):
    monkeypatch.setenv("PYTHONPATH", os.environ.get("PYTHONPATH", ""))
    monkeypatch.delenv("PYTHONSAFEPATH", raising=False)
    with process_pool(1) as pool:
        assert pool.submit(_where).result() == ("/", True)


@pytest.mark.parametrize(
    "variable, folder",
    [
        ("XDG_CONFIG_HOME", config_folder),
        ("XDG_CACHE_HOME", cache_folder),
        ("XDG_DATA_HOME", data_folder),
        ("XDG_STATE_HOME", state_folder),
    ],
)
def test_a_relative_folder_of_the_user_is_none(monkeypatch, tmp_path, variable, folder):
    monkeypatch.setenv(variable, str(tmp_path))
    assert folder() == tmp_path / "matiz"
    monkeypatch.setenv(variable, "cache")
    monkeypatch.setenv("HOME", str(tmp_path))
    assert folder().is_relative_to(tmp_path) and folder().name == "matiz"


def test_a_child_is_started_with_a_safe_path_twice_over(monkeypatch):
    """By its flag, and for what it starts itself by its environment; in a folder in which nobody leaves modules."""
    asked = {}
    monkeypatch.setattr(children.subprocess, "run", lambda command, **how: asked.update(how, command=command))
    children.run_module("matiz.raw.drawing", "/a.png")
    assert asked["command"][1:] == ["-P", "-m", "matiz.raw.drawing", "/a.png"]
    assert asked["cwd"] == "/" and asked["env"]["PYTHONSAFEPATH"] == "1"
