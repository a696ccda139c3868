"""What has been made and may be asked for again: counted in bytes, and made once however many ask at a time."""

import threading
from collections import OrderedDict, deque
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np

MOST_PER_SLOT = 4
"""Variants of one thing that are kept: a hand that moves makes many, and comes back to few."""
LEAST_BYTES, SMALL_BYTES = 256, 64 * 1024


class Cache:
    """Values by key, the ones asked for longest ago dropped first. Safe to share by threads."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes = most_bytes
        self._lock = threading.Lock()
        self._held: OrderedDict[Hashable, tuple[Future[Any], int, Hashable]] = OrderedDict()
        self._slots: dict[Hashable, deque[Hashable]] = {}
        self._bytes = 0

    @property
    def bytes(self) -> int:
        return self._bytes

    def get(self, key: Hashable, slot: Hashable, make: Callable[[], Any]) -> Any:
        """The value of a key, made by the first who asks; others wait for it. What `make` raises, all get.

        slot: what the value is a variant of; few variants of one thing are kept.
        """
        with self._lock:
            found = self._held.get(key)
            if found is not None:
                self._held.move_to_end(key)
                self._freshen(key, found[2])
            else:
                future: Future[Any] = Future()
                self._held[key] = (future, 0, slot)
        if found is not None:
            return found[0].result()
        try:
            value = make()
        except BaseException as error:
            with self._lock:
                self._held.pop(key, None)
            future.set_exception(error)
            raise
        future.set_result(value)
        self._account(key, slot, future, size_of(value))
        return value

    def holds(self, key: Hashable) -> bool:
        """Whether a value is there without a wait."""
        with self._lock:
            found = self._held.get(key)
        return found is not None and found[0].done()

    def clear(self) -> None:
        with self._lock:
            self._held.clear()
            self._slots.clear()
            self._bytes = 0

    def _account(self, key: Hashable, slot: Hashable, future: "Future[Any]", size: int) -> None:
        with self._lock:
            if self._held.get(key, (None,))[0] is not future:
                return  # cleared meanwhile
            self._held[key] = (future, size, slot)
            self._bytes += size
            variants = self._slots.setdefault(slot, deque())
            variants.append(key)
            while len(variants) > MOST_PER_SLOT:
                self._drop(variants[0])
            if self._bytes > self.most_bytes:
                self._shrink(key)

    def _freshen(self, key: Hashable, slot: Hashable) -> None:
        """What is asked for again is the last variant of its slot to be dropped."""
        variants = self._slots.get(slot)
        if variants is not None and key in variants:
            variants.remove(key)
            variants.append(key)

    def _shrink(self, fresh: Hashable) -> None:
        """Drop what was asked for longest ago until the rest fits. What is small costs nothing to keep."""
        for oldest, (future, size, _) in list(self._held.items()):
            if self._bytes <= self.most_bytes or oldest == fresh:
                break
            if future.done() and size > SMALL_BYTES:
                self._drop(oldest)

    def _drop(self, key: Hashable) -> None:
        _, size, slot = self._held.pop(key)
        self._bytes -= size
        variants = self._slots[slot]
        variants.remove(key)
        if not variants:
            del self._slots[slot]


def size_of(value: Any) -> int:
    """Bytes that a value takes, as far as arrays are in it."""
    if isinstance(value, np.ndarray):
        return max(value.nbytes, LEAST_BYTES)
    if is_dataclass(value):
        return sum((size_of(getattr(value, item.name)) for item in fields(value)), LEAST_BYTES)
    if isinstance(value, tuple | list):
        return sum((size_of(each) for each in value), LEAST_BYTES)
    return LEAST_BYTES
