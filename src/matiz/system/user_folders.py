"""The user's own folders, by the XDG Base Directory Specification 0.8: a relative path in a variable is ignored, as it
asks for. Nothing that is run or trusted may be looked for in whatever folder one happens to stand in."""

import os
from pathlib import Path


def config_folder() -> Path:
    """Where choices of the user are kept."""
    return _folder("XDG_CONFIG_HOME", ".config")


def cache_folder() -> Path:
    """Where things are kept that can be made again."""
    return _folder("XDG_CACHE_HOME", ".cache")


def data_folder() -> Path:
    """Where the user may put things of their own, such as a network."""
    return _folder("XDG_DATA_HOME", ".local/share")


def state_folder() -> Path:
    """Where work that is under way is kept: what is still to be delivered, logs, locks."""
    return _folder("XDG_STATE_HOME", ".local/state")


def _folder(variable: str, otherwise: str) -> Path:
    given = Path(os.environ.get(variable, ""))
    return (given if given.is_absolute() else Path.home() / otherwise) / "matiz"
