"""The hot paths of the simulated camera, compiled into a module of their own: see `matiz.kernels`."""

from collections.abc import Callable
from typing import Any

from matiz.kernels import loader
from matiz.kernels.library import Library

LIBRARY = Library(__name__, ("noise", "solids", "lighting", "layers"), "_matiz_scene_kernels")


def kernel(name: str) -> Callable[..., Any]:
    """The compiled pipeline `name`; its last argument is the output array."""
    return loader.kernel(name, LIBRARY)
