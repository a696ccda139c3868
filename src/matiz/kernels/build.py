"""Compile every kernel into one extension module: ``python -m matiz.kernels.build``.

The module lies in the user's cache, keyed by a hash of the kernels' sources, the Halide version
and the processor, so that another machine or a changed kernel never meets a stale build.
"""

import hashlib
import importlib
import multiprocessing
import os
import platform
import shutil
import subprocess
import sys
import sysconfig
import tempfile
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

from ..errors import MatizError

KERNELS = (
    "levels", "demosaic", "any_mosaic", "working", "display", "noise", "solids", "lighting", "layers", "geometry",
    "tone", "guided", "stripes",
)  # fmt: skip
MODULE = "_matiz_kernels"


class NoCompiler(MatizError):
    """No C++ compiler is installed."""


def built_module() -> Path:
    """Where the module for these sources and this processor belongs."""
    folder = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    suffix = sysconfig.get_config_var("EXT_SUFFIX")
    return folder / "matiz" / "kernels" / _key() / f"{MODULE}{suffix}"


@cache
def _key() -> str:
    """What the build depends on, as a name; worked out once, since every call of a kernel asks for it."""
    digest = hashlib.sha256()
    for source in sorted(Path(__file__).parent.glob("*.py")):
        digest.update(source.read_bytes())
    for text in (version("halide"), platform.machine(), _processor(), sys.implementation.cache_tag):
        digest.update(str(text).encode())
    return digest.hexdigest()[:16]


def definitions() -> list[tuple[str, Any, list[Any]]]:
    """(name, Func, arguments) of every pipeline."""
    found = []
    for kernel in KERNELS:
        found += importlib.import_module(f"{__package__}.{kernel}").define()
    return found


def build() -> Path:
    """Compile what is missing and return the module's path."""
    target = built_module()
    if target.exists():
        return target
    compiler = os.environ.get("CXX") or shutil.which("g++") or shutil.which("c++")
    if not compiler:
        raise NoCompiler("no C++ compiler found; install the package g++ to build the kernels")
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent) as folder:
        fresh = _compile(Path(folder), compiler)
        os.replace(fresh, target)
    return target


def _compile(folder: Path, compiler: str) -> Path:
    # a process for each processor: compiling a pipeline holds the interpreter's lock
    with ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn")) as pool:
        made = [pool.submit(_compile_kernel, kernel, str(folder), compiler) for kernel in _longest_first()]
        names = sorted(name for future in made for name in future.result())
    listed = " ".join(f"X({n})" for n in names)
    # the first wrapper made once more, with the module's table of functions
    _wrap(folder, names[0], compiler, f"-DHALIDE_PYTHON_EXTENSION_FUNCTIONS={listed}")
    objects = [str(folder / f"{name}{ending}") for name in names for ending in (".wrapper.o", ".o")]
    module = folder / built_module().name
    _run([compiler, "-shared", *objects, "-o", str(module), "-ldl", "-lpthread"])
    return module


def _longest_first() -> list[str]:
    """The kernels by length of source: a long one begun last would keep all others waiting."""
    return sorted(KERNELS, key=lambda kernel: -(Path(__file__).parent / f"{kernel}.py").stat().st_size)


def _compile_kernel(kernel: str, folder: str, compiler: str) -> list[str]:
    """Compile the pipelines of one kernel and their wrappers; runs in a process of its own."""
    import halide as hl

    names = []
    for name, func, arguments in importlib.import_module(f"{__package__}.{kernel}").define():
        stem = str(Path(folder) / name)
        kinds = hl.OutputFileType
        outputs = {kinds.object: f"{stem}.o", kinds.python_extension: f"{stem}.py.cpp"}
        func.compile_to(outputs, arguments, name, hl.get_host_target())
        _wrap(Path(folder), name, compiler, "-DHALIDE_PYTHON_EXTENSION_OMIT_MODULE_DEFINITION")
        names.append(name)
    return names


def _wrap(folder: Path, name: str, compiler: str, define: str) -> None:
    import halide as hl

    includes = [f"-I{sysconfig.get_paths()['include']}", f"-I{Path(hl.__file__).parent / 'include'}"]
    defines = [f"-DHALIDE_PYTHON_EXTENSION_MODULE_NAME={MODULE}", define]
    source, wrapper = str(folder / f"{name}.py.cpp"), str(folder / f"{name}.wrapper.o")
    _run([compiler, "-O1", "-fPIC", "-w", *includes, *defines, "-c", source, "-o", wrapper])


def _run(command: list[str]) -> None:
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode:
        raise MatizError(f"compiling the kernels failed: {' '.join(command)}\n{done.stderr[-2000:]}")


def _processor() -> str:
    """What this processor can do, since the kernels are compiled for it."""
    try:
        lines = Path("/proc/cpuinfo").read_text().splitlines()
    except OSError:
        return platform.processor()
    return next((line for line in lines if line.startswith(("flags", "Features"))), "")


if __name__ == "__main__":
    print(f"kernels: {build()}")
