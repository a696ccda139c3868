"""The table of all readings of a picture, quick ones first."""

from collections.abc import Iterable, Mapping
from typing import Any

from ..develop.graph.engine import Engine
from ..develop.stages.node import Pixels
from ..recipe.model import Recipe
from ..recipe.places import Place
from .colour import readings as of_colour
from .colour.cast import Cast
from .colour.colour import ColourReading, SkinReading
from .colour.match import Match
from .colour.mismatch import Mismatch
from .deliver import readings as of_deliver
from .deliver.deliver import DeliveryReading
from .detail import detail as at_spots
from .detail import readings as of_detail
from .detail.blur import BlurReading
from .detail.noise import NoiseReading
from .detail.sharpened import SharpenedReading
from .finish import readings as of_finish
from .finish.finish import FinishReading
from .light import readings as of_light
from .light.light import LightReading
from .mend import readings as of_mend
from .mend.blemishes import BlemishReading
from .mend.border import Blob
from .mend.dust import DustReading
from .mend.mend import MendReading
from .mend.merged import MergedReading
from .mend.retouch import Retouched
from .mend.subject import SubjectReading
from .mend.tilt import TiltReading
from .places import readings as of_places
from .places.attention import AttentionReading
from .places.banding import Banding
from .places.faces import FacesReading
from .places.mask_edge import EdgeReading
from .places.places import PlaceReading
from .table import table
from .table.values import LightValue, Outline
from .tone import readings as of_tone
from .tone.haze import HazeReading
from .tone.patches import FullReading
from .tone.stored import StoredReading
from .tone.tone import RangeReading, ToneReading


class PictureReading:
    """What the instruments say of one picture under one recipe: readings by name, as far as they are there.

    Each is an attribute; asking for one that has not been read yet raises AttributeError.
    """

    values: Mapping[str, Any]

    balance: LightValue
    """The light that the recipe balances for."""
    tone: ToneReading
    delivery: DeliveryReading
    range: RangeReading
    noise: NoiseReading | None
    """None for pictures that are not raw."""
    light: LightReading
    second_light: Place | None
    """The place in which the second light would look as the first does; None for one light."""
    sides: tuple[tuple[float, float], tuple[float, float]]
    """The middles of the left and the right side, in the frame, in units of its long side."""
    full_size: tuple[int, int]
    """Width and height of the picture, px."""
    card_at: tuple[Outline, ...]
    """Round the grey card, px of the upright full-size picture; none without one."""
    haze: HazeReading
    colour: ColourReading
    """Spots in px of the upright full-size picture."""
    colour_before: ColourReading
    """The same without what Colour does."""
    skin: SkinReading | None
    """None while no skin is picked."""
    cast: Cast | None
    """On the subject; its box in px of the upright full-size picture, its picks in the frame, in units of its long
    side."""
    mismatch: tuple[Mismatch, Match] | None
    """One smooth area in two hues, boxes in px of the upright full-size picture, and what makes them one; None where
    there is none."""
    mend: MendReading
    merged: MergedReading | None
    """None for a frame that is one."""
    tilt: TiltReading
    """Of the frame: the recipe's level and perspective are not in it."""
    leaning: tuple[Outline, ...]
    """The lines that the tilt rests on, px of the upright full-size picture."""
    dust: DustReading
    specks: tuple[Outline, ...]
    """Round the shadows that would be healed, px of the upright full-size picture."""
    retouch: tuple[Retouched, ...]
    """What gives repairs away, of the newest MOST_RETOUCHED; outlines in px of the upright full-size picture."""
    subject: SubjectReading | None
    """Px of the upright full-size frame; None where nothing stands out."""
    border: tuple[Blob, ...]
    """Bright things that the border cuts, px of the upright full-size picture."""
    whole_border: tuple[Blob, ...]
    """The same of the picture without its crop, px of that."""
    places: Mapping[str, PlaceReading]
    """What each place holds and changes, by its id: the first MOST_PLACES of them."""
    edges: Mapping[str, EdgeReading]
    """How the masks of places end that have an edge, by id; spots in px of the upright full-size picture."""
    banding: Mapping[str, Banding]
    """By id of the place, of pictures in 8 bits: where a smooth area of it steps most."""
    faces: FacesReading
    """Px of the upright full-size picture."""
    blemishes: BlemishReading
    """Of the frame, whatever is healed."""
    blemishes_at: tuple[Outline, ...]
    """Round each of them, px of the upright full-size picture."""
    attention: AttentionReading
    """Pulls in px of the upright full-size picture. The subject is known once it was looked for."""
    attention_before: AttentionReading
    """The same without any place."""
    spots: at_spots.DetailSpots
    """Where detail is looked at."""
    detail: at_spots.DetailReading
    sharpened: SharpenedReading
    blur: BlurReading
    """As the camera took it."""
    blur_after: BlurReading
    """The same with noise taken out and blur taken back as decided."""
    finish: FinishReading
    attention_unfinished: AttentionReading
    """Without what Finish does."""
    loupes: tuple[tuple[Pixels, Pixels], ...]
    """Each spot as it is on the screen without and with what Detail does, blue-green-red-255."""
    stored: StoredReading | None
    """None for all but pictures in 8 bits."""
    full: FullReading
    patch_levels: tuple[float, ...]
    """Brightest channel of each patch of `full`, scene-linear under the recipe before exposure, rebuilt as far as it
    can be: the median over the patch."""

    def __init__(self, values: Mapping[str, Any]) -> None:
        self.__dict__.update(values)
        self.values = values

    def get(self, name: str) -> Any:
        """A reading, or None while it is not there."""
        return self.values.get(name)

    def has(self, names: Iterable[str]) -> bool:
        return all(name in self.values for name in names)


READINGS = table.quick_first((
    *of_light.READINGS,
    *of_tone.READINGS,
    *of_mend.READINGS,
    *of_colour.READINGS,
    *of_places.READINGS,
    *of_detail.READINGS,
    *of_finish.READINGS,
    *of_deliver.READINGS,
))  # fmt: skip
NAMES = tuple(reading.name for reading in READINGS)


class Meter(table.TableMeter):
    """Takes the readings of a picture."""

    def __init__(self, engine: Engine) -> None:
        super().__init__(engine, READINGS)

    def picture(self, recipe: Recipe) -> PictureReading:
        """All of them."""
        return PictureReading(self.read(recipe))
