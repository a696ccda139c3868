"""What Qt needs and this machine lacks is named, by the packages that hold it."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from matiz.system import libraries
from matiz.system.libraries import debian_package, missing_libraries, missing_packages


@pytest.mark.parametrize(
    "soname, package",
    [
        # names as in Debian 12, looked up with dpkg -S
        ("libxcb-icccm.so.4", "libxcb-icccm4"),
        ("libxcb-keysyms.so.1", "libxcb-keysyms1"),
        ("libxcb-cursor.so.0", "libxcb-cursor0"),
        ("libdbus-1.so.3", "libdbus-1-3"),
        ("libGL.so.1", "libgl1"),
        ("libX11-xcb.so.1", "libx11-xcb1"),
        ("libxkbcommon.so.0", "libxkbcommon0"),
        ("libglib-2.0.so.0", "libglib2.0-0"),
        ("libwayland-cursor.so.0", "libwayland-cursor0"),
    ],
)
def test_a_library_is_in_the_package_that_policy_names_after_it(soname, package):
    assert debian_package(soname) == package


def test_what_the_linker_does_not_find_is_missing(monkeypatch):
    said = "\tlibxcb-icccm.so.4 => not found\n\tlibc.so.6 => /lib/libc.so.6 (0x1)\n\tlibQt6Gui.so.6 => not found\n"
    done = subprocess.CompletedProcess((), 0, said, "")
    monkeypatch.setattr(libraries.subprocess, "run", lambda *_, **__: done)
    assert missing_libraries([Path("libqxcb.so")]) == {"libxcb-icccm.so.4"}


def asked_of(monkeypatch, missing: dict[str, set[str]]):
    monkeypatch.setattr(
        libraries, "missing_libraries", lambda files: set().union(*(missing.get(f.name, set()) for f in files))
    )


@pytest.mark.parametrize(
    "environment, packages",
    [
        ({}, []),
        ({"DISPLAY": ":0"}, ["libxcb-icccm4"]),
        ({"WAYLAND_DISPLAY": "w"}, []),
        # Qt falls back from one to the other
        ({"WAYLAND_DISPLAY": "w", "DISPLAY": ":0"}, []),
        ({"QT_QPA_PLATFORM": "xcb:x=1"}, ["libxcb-icccm4"]),
    ],
)
def test_only_the_display_that_is_there_is_asked_for(monkeypatch, environment, packages):
    asked_of(monkeypatch, {"libqxcb.so": {"libxcb-icccm.so.4"}})
    assert missing_packages(environment) == packages


def test_what_every_window_needs_is_asked_for_always(monkeypatch):
    asked_of(monkeypatch, {"libqoffscreen.so": {"libfontconfig.so.1"}})
    assert missing_packages({}) == ["libfontconfig1"]


def test_without_a_window_system_the_program_says_so_in_one_line(tmp_path):
    bare = {**os.environ, "DISPLAY": ":7919", "QT_QPA_PLATFORM": "xcb"}
    script = "from matiz.ui.frame.app import run; from pathlib import Path; run([Path('.')])"
    done = subprocess.run([sys.executable, "-P", "-c", script], capture_output=True, text=True, env=bare, cwd=tmp_path)
    assert done.returncode == 1
    (line,) = done.stderr.strip().splitlines()
    assert line.startswith("matiz: ")
