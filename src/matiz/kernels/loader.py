"""Hands out compiled kernels by name: the built module, or compiled here when there is none."""

import importlib.util
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import Any

import numpy as np

from .build import MODULE, NoCompiler, built_module, definitions

Pipelines = dict[str, Callable[..., Any]]

_lock = threading.Lock()
_ready: list[Pipelines] = []
"""The pipelines of this process, once they are there: every call of a kernel asks for them."""


def kernel(name: str) -> Callable[..., Any]:
    """The compiled pipeline `name`; its last argument is the output array."""
    return (_ready[0] if _ready else _all())[name]


def preload(say: Callable[[str], None] | None = None) -> None:
    """Make sure the kernels are there, before a window opens; `say` hears about a long wait."""
    _all(say)


def _all(say: Callable[[str], None] | None = None) -> Pipelines:
    with _lock:
        if not _ready:
            _ready.append(_load(say or (lambda text: print(text, file=sys.stderr))))
        return _ready[0]


def _load_built() -> Pipelines:
    spec = importlib.util.spec_from_file_location(MODULE, built_module())
    if spec is None or spec.loader is None:
        raise ImportError(f"cannot load {built_module()}")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return {name: value for name, value in vars(module).items() if callable(value)}


def _load(say: Callable[[str], None]) -> Pipelines:
    if not built_module().exists():
        say("Matiz: building its kernels for this processor, once (about a minute)")
        done = subprocess.run([sys.executable, "-m", "matiz.kernels.build"], capture_output=True)
        if done.returncode:
            say("Matiz: no built kernels; compiling each when it is first needed. To be quicker, install g++.")
            return _compile_here()
    return _load_built()


def _compile_here() -> Pipelines:
    """Pipelines that are compiled in this process when they are first called, without a C++ compiler."""
    return {name: _compiled_at_need(func, arguments) for name, func, arguments in definitions()}


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
