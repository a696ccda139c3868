"""Signals: whoever wants to know of something connects a callback, which is called on the loop's thread.

Emitted on that thread, a signal calls at once; emitted on another one, as soon as the loop gets there. A method is held
weakly: it is called for as long as its object lives. A callback that takes fewer arguments gets the first ones; what is
optional keeps its default.
"""

import inspect
import sys
import weakref
from collections.abc import Callable
from typing import Any

from . import loop

Callback = Callable[..., Any]


class Signal:
    """Declared on a class; each object has its own `BoundSignal` of that name."""

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = f"_signal_{name}"

    def __get__(self, instance: Any, owner: type | None = None) -> Any:
        if instance is None:
            return self
        bound = instance.__dict__.get(self._name)
        if bound is None:
            bound = instance.__dict__[self._name] = BoundSignal()
        return bound


class BoundSignal:
    """The signal of one object."""

    def __init__(self) -> None:
        self._callbacks: list[tuple[Callable[[], Callback | None], int | None]] = []

    def connect(self, callback: "Callback | BoundSignal") -> None:
        """Call it with what is emitted from now on; a signal is emitted in its turn."""
        if isinstance(callback, BoundSignal):
            self._callbacks.append((lambda: callback.emit, None))
            return
        self._callbacks.append((_held(callback), _most_arguments(callback)))

    def emit(self, *values: object) -> None:
        """Hand values to all that are connected; from any thread."""
        here = loop.current()
        if here.is_here():
            self._call(values)
        else:
            here.post(lambda: self._call(values))

    def _call(self, values: tuple[object, ...]) -> None:
        gone = False
        for held, most in tuple(self._callbacks):
            callback = held()
            owner = getattr(callback, "__self__", None)
            if callback is None:
                gone = True
            elif owner is not None and not loop.current().is_alive(owner):
                continue
            else:
                try:
                    callback(*values[:most])
                except Exception as error:  # one that fails keeps no other from hearing of it
                    sys.excepthook(type(error), error, error.__traceback__)
        if gone:
            self._callbacks = [each for each in self._callbacks if each[0]() is not None]


def _held(callback: Callback) -> Callable[[], Callback | None]:
    if inspect.ismethod(callback):
        return weakref.WeakMethod(callback)
    return lambda: callback


def _most_arguments(callback: Callback) -> int | None:
    """How many arguments it must be given; None for any number."""
    code = getattr(callback, "__code__", None)
    if code is None or code.co_flags & inspect.CO_VARARGS:  # a built-in function, an object that is called
        return None
    return int(code.co_argcount) - inspect.ismethod(callback) - len(callback.__defaults__ or ())
