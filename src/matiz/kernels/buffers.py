"""Checks between NumPy and compiled code, which accepts anything and crashes on some of it."""

from typing import Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

from ..errors import ArgumentError

Shape = tuple[int | None, ...]


def require(name: str, array: Any, dtype: DTypeLike, shape: Shape) -> NDArray[Any]:
    """Return `array` as a C-contiguous array, or say what is wrong with it.

    `shape` has None where any extent goes. A view that is not contiguous is copied; a wrong type
    or a wrong shape is a mistake of the caller and raises ArgumentError.
    """
    if not isinstance(array, np.ndarray):
        raise ArgumentError(f"{name}: expected a NumPy array, got {type(array).__name__}")
    if array.dtype != np.dtype(dtype):
        raise ArgumentError(f"{name}: expected {np.dtype(dtype)}, got {array.dtype}")
    fits = array.ndim == len(shape) and all(
        want is None or want == have for want, have in zip(shape, array.shape, strict=True)
    )
    if not fits:
        wanted = ", ".join("any" if n is None else str(n) for n in shape)
        raise ArgumentError(f"{name}: expected shape ({wanted}), got {array.shape}")
    if (array.ndim > 1 and array.shape[0] == 1 and max(array.shape[:-1]) == 1) or array.shape[1:] == (1,):
        # such an array is C- and Fortran-contiguous at once, and the compiled code takes it for the latter
        raise ArgumentError(f"{name}: a single row or column of values is too small, got {array.shape}")
    return np.ascontiguousarray(array)


def output(name: str, out: Any, dtype: DTypeLike, shape: tuple[int, ...]) -> NDArray[Any]:
    """Return `out` once it is known to be writable as `shape`, or a new array when it is None."""
    if out is None:
        return np.empty(shape, dtype)
    require(name, out, dtype, shape)
    if not (out.flags.c_contiguous and out.flags.writeable):
        raise ArgumentError(f"{name}: the output must be a writable C-contiguous array")
    return out  # type: ignore[no-any-return]
