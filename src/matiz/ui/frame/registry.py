"""The stations that are there, in the order of the work. A new one is a folder, and two lines here."""

from collections.abc import Iterator
from dataclasses import dataclass, fields

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


@dataclass(frozen=True)
class Stations:
    """One of each, by its key and in order."""

    sort: SortStation
    mend: MendStation
    light: LightStation
    tone: ToneStation
    colour: ColourStation
    places: PlacesStation
    detail: DetailStation
    finish: FinishStation
    deliver: DeliverStation

    def __iter__(self) -> Iterator[Station]:
        return (getattr(self, field.name) for field in fields(self))


def make_stations(session: Session, view: PictureView) -> Stations:
    return Stations(
        sort=SortStation(session, view),
        mend=MendStation(session, view),
        light=LightStation(session, view),
        tone=ToneStation(session, view),
        colour=ColourStation(session, view),
        places=PlacesStation(session, view),
        detail=DetailStation(session, view),
        finish=FinishStation(session, view),
        deliver=DeliverStation(session, view),
    )
