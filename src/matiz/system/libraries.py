"""Shared libraries that Qt needs and that this machine lacks, with the Debian packages that hold them:

    python -P -m matiz.system.libraries

prints the packages that are missing, nothing when none is. What is needed follows from what the dynamic linker says of
Qt's own files (``ldd``), so that it stays right when Qt changes.
"""

import os
import re
import subprocess
import sys
from collections.abc import Iterable, Mapping
from importlib.util import find_spec
from pathlib import Path

_MISSING = re.compile(r"^\s*(\S+) => not found", re.MULTILINE)
_SONAME = re.compile(r"(?P<name>.+)\.so\.(?P<version>\d+)")
EXCEPTIONS: Mapping[str, str] = {
    "libglib-2.0.so.0": "libglib2.0-0",
    "libgthread-2.0.so.0": "libglib2.0-0",
    "libgobject-2.0.so.0": "libglib2.0-0",
    "libstdc++.so.6": "libstdc++6",
    "libgcc_s.so.1": "libgcc-s1",
}
"""Debian packages that are not named after their library."""


def debian_package(soname: str) -> str:
    """The Debian package that holds a library: its name and version, in lower case, with a hyphen between them where
    the name ends in a digit (Debian Policy Manual, 8.1)."""
    found = _SONAME.fullmatch(soname)
    if soname in EXCEPTIONS or found is None:
        return EXCEPTIONS.get(soname, soname)
    name = found["name"].lower().replace("_", "-")
    return f"{name}{'-' * name[-1].isdigit()}{found['version']}"


def missing_libraries(files: Iterable[Path]) -> set[str]:
    """The sonames that the dynamic linker does not find for these files, at any depth."""
    out: set[str] = set()
    for file in files:
        done = subprocess.run(["ldd", str(file)], capture_output=True, text=True, check=False)
        out.update(name for name in _MISSING.findall(done.stdout) if not name.startswith("libQt6"))
    return out


def missing_packages(environment: Mapping[str, str] | None = None) -> list[str]:
    """Debian packages that Qt needs for the displays that an environment names, and that are not installed.

    Where there are two displays (X11 and Wayland) one that works is enough, since Qt tries both. Empty as well where
    this cannot be found out, because Qt or ldd is not there.
    """
    environment = os.environ if environment is None else environment
    spec = find_spec("PySide6")
    if spec is None or not spec.submodule_search_locations:
        return []
    root = Path(next(iter(spec.submodule_search_locations)))
    plugins = root / "Qt/plugins/platforms"
    try:
        always = missing_libraries([*root.glob("QtWidgets.*.so"), plugins / "libqoffscreen.so"])
        displays = [missing_libraries([plugins / f"{name}.so"]) for name in _plugins(environment)]
    except OSError:
        return []
    if all(displays):  # none of them works
        always = always.union(*displays[:1])
    return sorted({debian_package(name) for name in always})


def _plugins(environment: Mapping[str, str]) -> list[str]:
    """Qt's platform plugins for the displays that are there, the one that Qt tries first in front."""
    if environment.get("QT_QPA_PLATFORM"):
        return [f"libq{name.split(':')[0]}" for name in environment["QT_QPA_PLATFORM"].split(";")]
    found = []
    if environment.get("WAYLAND_DISPLAY"):
        found.append("libqwayland")
    if environment.get("DISPLAY"):
        found.append("libqxcb")
    return found


def missing_message() -> str:
    """What to install before a window can open, in one line; nothing where nothing is missing."""
    packages = missing_packages()
    return f"these Debian packages are missing: apt-get install {' '.join(packages)}" if packages else ""


if __name__ == "__main__":
    print(" ".join(missing_packages()))
    sys.exit(0)
