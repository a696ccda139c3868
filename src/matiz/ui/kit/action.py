"""An action of the window or of a station, as data."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ActionSpec:
    """One action. `slot` names what does it, from its owner on, with dots: the owner is the window, or the station
    that brings the action."""

    name: str
    text: str
    keys: tuple[str, ...]
    help: str
    slot: str
    group: str
    argument: object = None
    is_seen_there: bool = True
    """Of a station's action: whether the window goes to that station first."""
