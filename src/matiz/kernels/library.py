"""A set of kernels that is compiled into one extension module, and where the parts of it are kept.

Everything lies in the user's cache, keyed by what it is made from: the sources of a kernel and of what they import, the
Halide version, and the processor. So another machine or a changed kernel never meets a stale build, and a change in one
kernel compiles that one only.
"""

import hashlib
import platform
import re
import sys
import sysconfig
from dataclasses import dataclass
from functools import cache
from importlib.metadata import version
from importlib.util import find_spec
from pathlib import Path

from ..system.user_folders import cache_folder

NOT_COMPILED = ("loader", "buffers", "build", "library")
"""Modules of the package that have no part in what is compiled."""
_IMPORT = re.compile(r"^\s*from (\.+)([\w.]+) import", re.MULTILINE)


@dataclass(frozen=True)
class Library:
    """The kernels of a package: each is a module with `define()`."""

    package: str
    kernels: tuple[str, ...]
    module: str
    """What the extension module is called."""

    def built(self) -> Path:
        """Where the module for these sources and this processor belongs."""
        return _cache_folder() / _library_key(self) / f"{self.module}{sysconfig.get_config_var('EXT_SUFFIX')}"

    def object_folder(self, kernel: str) -> Path:
        """Where the compiled parts of one kernel belong."""
        return _cache_folder() / "objects" / f"{kernel}-{_kernel_key(self.package, kernel)}"


@cache
def _library_key(library: Library) -> str:
    """Worked out once, since every call of a kernel may ask for it."""
    keys = "".join(_kernel_key(library.package, kernel) for kernel in library.kernels)
    return hashlib.sha256((library.module + keys).encode()).hexdigest()[:16]


@cache
def _kernel_key(package: str, kernel: str) -> str:
    digest = hashlib.sha256()
    for name in sorted(_imported(f"{package}.{kernel}")):
        digest.update(_source(name))
    for text in (version("halide"), platform.machine(), _processor(), sys.implementation.cache_tag):
        digest.update(str(text).encode())
    return digest.hexdigest()[:16]


def _imported(name: str) -> set[str]:
    """A module of kernels, and those that it imports from packages of kernels, at any depth."""
    found, waiting = set(), {name}
    while waiting:
        module = waiting.pop()
        found.add(module)
        for dots, imported in _IMPORT.findall(_source(module).decode()):
            full = ".".join([*module.split(".")[: -len(dots)], imported])
            if ".kernels." in full and full.rsplit(".", 1)[1] not in NOT_COMPILED and full not in found:
                waiting.add(full)
    return found


@cache
def _source(module: str) -> bytes:
    # the packages on the way are imported by this, the module itself is not
    spec = find_spec(module)
    assert spec is not None and spec.origin is not None
    return Path(spec.origin).read_bytes()


def _cache_folder() -> Path:
    return cache_folder() / "kernels"


@cache
def _processor() -> str:
    """What this processor can do, since the kernels are compiled for it."""
    try:
        lines = Path("/proc/cpuinfo").read_text().splitlines()
    except OSError:
        return platform.processor()
    return next((line for line in lines if line.startswith(("flags", "Features"))), "")
