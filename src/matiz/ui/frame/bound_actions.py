"""Actions made from their specifications: those of the window, one per station to go there, and the stations' own."""

from collections.abc import Callable, Iterable
from operator import attrgetter

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow

from ..kit.action import ActionSpec
from ..stations.base import Station
from .actions import ACTIONS


def bound_actions(
    window: QMainWindow, stations: Iterable[Station], current: Callable[[], Station], go_to: Callable[[Station], None]
) -> dict[str, QAction]:
    """Every action by its name, in the order of the table; each is added to the window, so that its keys work.

    current: gives the station that is shown; go_to: shows one.
    """
    made = {spec.name: _bound(window, spec, attrgetter(spec.slot)(window)) for spec in ACTIONS}
    for station in stations:
        spec = ActionSpec(
            f"to_{station.key}", f"Go to {station.title}", (str(station.number),),
            f"Station {station.number} of the route.", "go_to", "Stations", station,
        )  # fmt: skip
        made[spec.name] = _bound(window, spec, go_to)
        for own in station.actions():
            made[own.name] = _bound(window, own, _there(station, own, current, go_to))
    return made


def _bound(window: QMainWindow, spec: ActionSpec, slot: Callable[..., object]) -> QAction:
    action = QAction(spec.text, window)
    action.setShortcuts([QKeySequence(key) for key in spec.keys])
    action.setToolTip(spec.help)
    action.setStatusTip(spec.help)
    action.triggered.connect(lambda _=False: slot() if spec.argument is None else slot(spec.argument))
    window.addAction(action)
    return action


def _there(
    station: Station, spec: ActionSpec, current: Callable[[], Station], go_to: Callable[[Station], None]
) -> Callable[..., None]:
    """What a station's action does, once that station is shown if its effect is seen there."""
    slot = attrgetter(spec.slot)(station)

    def act(*argument: object) -> None:
        if station is not current() and spec.is_seen_there:
            go_to(station)
        slot(*argument)

    return act
