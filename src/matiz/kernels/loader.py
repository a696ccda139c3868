"""Hands out compiled kernels by name: from the built module, or compiled here when there is none."""

import importlib.util
import sys
import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from ..system.children import run_module
from . import LIBRARY
from .build import NoCompiler, definitions
from .library import Library

Pipelines = dict[str, Callable[..., Any]]

_lock = threading.Lock()
_ready: dict[str, Pipelines] = {}
"""The pipelines of this process by library, once they are there: every call of a kernel asks for them."""


def kernel(name: str, library: Library = LIBRARY) -> Callable[..., Any]:
    """The compiled pipeline `name`; its last argument is the output array."""
    return (_ready.get(library.module) or _all(library))[name]


def preload(say: Callable[[str], None] | None = None) -> None:
    """Make sure the picture's kernels are there, before a window opens; `say` hears about a long wait."""
    _all(LIBRARY, say)


def _all(library: Library, say: Callable[[str], None] | None = None) -> Pipelines:
    with _lock:
        if library.module not in _ready:
            _ready[library.module] = _load(library, say or (lambda text: print(text, file=sys.stderr)))
        return _ready[library.module]


def _load_built(library: Library) -> Pipelines:
    spec = importlib.util.spec_from_file_location(library.module, library.built())
    if spec is None or spec.loader is None:
        raise ImportError(f"cannot load {library.built()}")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return {name: value for name, value in vars(module).items() if callable(value)}


def _load(library: Library, say: Callable[[str], None]) -> Pipelines:
    if not library.built().exists():
        say("Matiz: building its kernels for this processor, once (about a minute)")
        if run_module("matiz.kernels.build", library.package).returncode:
            say("Matiz: no built kernels; compiling each when it is first needed. To be quicker, install g++.")
            return _compile_here(library)
    return _load_built(library)


def _compile_here(library: Library) -> Pipelines:
    """Pipelines that are compiled in this process when they are first called, without a C++ compiler."""
    return {name: _compiled_at_need(func, arguments) for name, func, arguments in definitions(library)}


def _compiled_at_need(func: Any, arguments: list[Any]) -> Callable[..., Any]:
    import halide as hl

    made: list[Any] = []

    def call(*given: Any) -> None:
        with _lock:
            if not made:
                made.append(func.compile_to_callable(arguments, hl.get_host_target()))
        made[0](*(hl.Buffer(a) if isinstance(a, np.ndarray) else a for a in given))

    return call


__all__ = ["NoCompiler", "kernel", "preload"]
