"""An action of the window or of a station, as data."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ActionSpec:
    """One action. `slot` is the name of the window's method that does it."""

    name: str
    text: str
    keys: tuple[str, ...]
    help: str
    slot: str
    group: str
    argument: object = None
    station: str = ""
    """Key of the station whose method `slot` is; the window's when empty."""
