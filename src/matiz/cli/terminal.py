"""What is printed."""

import builtins
from typing import Any

from ..wording import printable


def print(*values: object, **how: Any) -> None:
    """As Python's own, but what a file is called never steers the terminal."""
    builtins.print(*(printable(str(value)) for value in values), **how)
