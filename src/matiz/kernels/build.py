"""Compile kernels into extension modules: ``python -m matiz.kernels.build PACKAGE ...``.

The parts of each kernel are kept, so that a change in one compiles that one and links the rest.
"""

import contextlib
import importlib
import os
import shutil
import subprocess
import sys
import sysconfig
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from ..errors import MatizError
from ..system.children import process_pool
from .library import Library

MOST_KEPT = 4
"""Builds of one kernel that stay in the cache."""


class NoCompiler(MatizError):
    """No C++ compiler is installed."""


def definitions(library: Library) -> list[tuple[str, Any, list[Any]]]:
    """(name, Func, arguments) of every pipeline."""
    found = []
    for kernel in library.kernels:
        found += importlib.import_module(f"{library.package}.{kernel}").define()
    return found


def build(*libraries: Library) -> list[Path]:
    """Compile what is missing, and return the modules' paths."""
    missing = [library for library in libraries if not library.built().exists()]
    if missing:
        compiler = os.environ.get("CXX") or shutil.which("g++") or shutil.which("c++")
        if not compiler:
            raise NoCompiler("no C++ compiler found; install the package g++ to build the kernels")
        _compile(missing, compiler)
        for library in missing:
            _link(library, compiler)
    return [library.built() for library in libraries]


def _compile(libraries: Iterable[Library], compiler: str) -> None:
    """Compile every kernel whose parts are not kept yet."""
    todo = [(lib, kernel) for lib in libraries for kernel in lib.kernels if not lib.object_folder(kernel).is_dir()]
    # the longest first: begun last it would keep all others waiting
    todo.sort(key=lambda pair: -_length(*pair))
    if len(todo) == 1:
        _compile_kernel(*todo[0], compiler)
    elif todo:
        # a process for each processor: compiling a pipeline holds the interpreter's lock
        with process_pool(os.cpu_count() or 1) as pool:
            for done in [pool.submit(_compile_kernel, *pair, compiler) for pair in todo]:
                done.result()


def _length(library: Library, kernel: str) -> int:
    return (Path(_folder(library)) / f"{kernel}.py").stat().st_size


def _folder(library: Library) -> str:
    return next(iter(importlib.import_module(library.package).__path__))


def _compile_kernel(library: Library, kernel: str, compiler: str) -> None:
    """Compile the pipelines of one kernel and their wrappers, and keep the parts; may run in a process of its own."""
    import halide as hl

    target = library.object_folder(kernel)
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent) as made:
        folder = Path(made) / "parts"
        folder.mkdir()
        for name, func, arguments in importlib.import_module(f"{library.package}.{kernel}").define():
            kinds = hl.OutputFileType
            outputs = {kinds.object: str(folder / f"{name}.o"), kinds.python_extension: str(folder / f"{name}.py.cpp")}
            func.compile_to(outputs, arguments, name, hl.get_host_target())
            _wrap(folder, folder, name, library, compiler, "-DHALIDE_PYTHON_EXTENSION_OMIT_MODULE_DEFINITION")
        with contextlib.suppress(OSError):  # somebody else has built it meanwhile
            folder.rename(target)
    _forget_old(target.parent, kernel)


def _forget_old(folder: Path, kernel: str) -> None:
    kept = sorted(folder.glob(f"{kernel}-*"), key=lambda path: path.stat().st_mtime, reverse=True)
    for old in kept[MOST_KEPT:]:
        shutil.rmtree(old, ignore_errors=True)


def _link(library: Library, compiler: str) -> None:
    target = library.built()
    target.parent.mkdir(parents=True, exist_ok=True)
    parts = [library.object_folder(kernel) for kernel in library.kernels]
    named = sorted((path.name.removesuffix(".py.cpp"), part) for part in parts for path in part.glob("*.py.cpp"))
    listed = " ".join(f"X({name})" for name, _ in named)
    with tempfile.TemporaryDirectory(dir=target.parent) as made:
        folder = Path(made)
        # the first wrapper made once more, with the module's table of functions
        first, part = named[0]
        _wrap(part, folder, first, library, compiler, f"-DHALIDE_PYTHON_EXTENSION_FUNCTIONS={listed}")
        objects = [folder / f"{first}.wrapper.o", *(part / f"{name}.wrapper.o" for name, part in named[1:])]
        objects += [part / f"{name}.o" for name, part in named]
        fresh = folder / target.name
        _run([compiler, "-shared", *map(str, objects), "-o", str(fresh), "-ldl", "-lpthread"])
        os.replace(fresh, target)


def _wrap(source: Path, folder: Path, name: str, library: Library, compiler: str, define: str) -> None:
    import halide as hl

    includes = [f"-I{sysconfig.get_paths()['include']}", f"-I{Path(hl.__file__).parent / 'include'}"]
    defines = [f"-DHALIDE_PYTHON_EXTENSION_MODULE_NAME={library.module}", define]
    paths = ["-c", str(source / f"{name}.py.cpp"), "-o", str(folder / f"{name}.wrapper.o")]
    _run([compiler, "-O1", "-fPIC", "-w", *includes, *defines, *paths])


def _run(command: list[str]) -> None:
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode:
        raise MatizError(f"compiling the kernels failed: {' '.join(command)}\n{done.stderr[-2000:]}")


if __name__ == "__main__":
    for module in build(*(importlib.import_module(name).LIBRARY for name in sys.argv[1:] or ["matiz.kernels"])):
        print(f"kernels: {module}")
