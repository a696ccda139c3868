"""What is kept from one picture for the next."""

from collections.abc import Callable, Hashable
from functools import wraps
from typing import TypeVar

Made = TypeVar("Made")


def keep_last(make: Callable[..., Made]) -> Callable[..., Made]:
    """`make` with its last result kept for the same arguments, and let go before the next is made: two at
    a time are a gigabyte more."""
    kept: dict[tuple[Hashable, ...], Made] = {}

    @wraps(make)
    def get(*about: Hashable) -> Made:
        if about not in kept:
            kept.clear()
            kept[about] = make(*about)
        return kept[about]

    return get
