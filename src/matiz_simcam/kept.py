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
        made = kept.get(about)
        if made is None:
            kept.clear()
            made = kept[about] = make(*about)
        return made

    return get
