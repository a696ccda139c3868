"""The stations that are there, in the order of the work. A new one is a module and a line here."""

from ..picture_view import PictureView
from ..session import Session
from .base import Station
from .colour import ColourStation
from .deliver import DeliverStation
from .detail import DetailStation
from .finish import FinishStation
from .light import LightStation
from .mend import MendStation
from .places import PlacesStation
from .sort import SortStation
from .tone import ToneStation

STATIONS: tuple[type[Station], ...] = (
    SortStation, MendStation, LightStation, ToneStation, ColourStation, PlacesStation, DetailStation,
    FinishStation, DeliverStation,
)  # fmt: skip


def make_stations(session: Session, view: PictureView) -> dict[str, Station]:
    """One of each, by its key."""
    return {kind.key: kind(session, view) for kind in STATIONS}
