"""The stations that are there, in the order of the work. A new one is a module and a line here."""

from ...work.session import Session
from ..canvas.picture_view import PictureView
from ..stations.base import Station
from ..stations.colour.station import ColourStation
from ..stations.deliver.station import DeliverStation
from ..stations.detail.station import DetailStation
from ..stations.finish.station import FinishStation
from ..stations.light.station import LightStation
from ..stations.mend.station import MendStation
from ..stations.places.station import PlacesStation
from ..stations.sort.station import SortStation
from ..stations.tone.station import ToneStation

STATIONS: tuple[type[Station], ...] = (
    SortStation, MendStation, LightStation, ToneStation, ColourStation, PlacesStation, DetailStation,
    FinishStation, DeliverStation,
)  # fmt: skip


def make_stations(session: Session, view: PictureView) -> dict[str, Station]:
    """One of each, by its key."""
    return {kind.key: kind(session, view) for kind in STATIONS}
