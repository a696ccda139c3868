"""Actions made from their specifications: those of the window, one per station to go there, and the stations' own."""

from operator import attrgetter
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction, QKeySequence

from ..kit.action import ActionSpec
from ..stations.base import Station
from .actions import ACTIONS

if TYPE_CHECKING:
    from .window import Window


def bound_actions(window: "Window") -> dict[str, QAction]:
    """Every action by its name, in the order of the table; each is added to the window, so that its keys work."""
    made = {spec.name: _bound(window, spec, window) for spec in ACTIONS}
    for station in window.stations:
        spec = ActionSpec(
            f"to_{station.key}", f"Go to {station.title}", (str(station.number),),
            f"Station {station.number} of the route.", "go_to", "Stations", station,
        )  # fmt: skip
        made[spec.name] = _bound(window, spec, window)
        for own in station.actions():
            made[own.name] = _bound(window, own, station)
    return made


def _bound(window: "Window", spec: ActionSpec, owner: object) -> QAction:
    action = QAction(spec.text, window)
    action.setShortcuts([QKeySequence(key) for key in spec.keys])
    action.setToolTip(spec.help)
    action.setStatusTip(spec.help)
    slot = attrgetter(spec.slot)(owner)

    def act() -> None:
        if isinstance(owner, Station) and owner is not window.station and spec.is_seen_there:
            window.go_to(owner)
        slot() if spec.argument is None else slot(spec.argument)

    action.triggered.connect(lambda _=False: act())
    window.addAction(action)
    return action
