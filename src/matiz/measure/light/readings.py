"""The readings of Light: what each looks at, and where what it says lies in the picture."""

from ...develop.frame.camera_colour import light_xy
from ...develop.frame.mapping import PLACES
from ...recipe.model import Recipe
from ...recipe.places import Place
from ..table.table import Pace, Reading, Sight
from ..table.values import LightValue, Outline, value_of
from .light import LightReading, read_light
from .second_light import place_of_light


def _plain_with_greys(recipe: Recipe) -> Recipe:
    return recipe.with_plain().applied([("light.greys", recipe.light.greys)])


def _balance(sight: Sight) -> LightValue:
    return value_of(light_xy(sight.frame.colour, sight.recipe.light))


def _light(sight: Sight) -> LightReading:
    return read_light(sight.frame, sight.picture("small camera"), sight.step, sight.recipe.light.greys)


def _second_light(sight: Sight) -> Place | None:
    lights = sight.reading("light").lights
    if lights.second is None:
        return None
    return place_of_light(sight.frame.colour, sight.recipe, lights.found[1].value, lights.second)


def _sides(sight: Sight) -> tuple[tuple[float, float], tuple[float, float]]:
    width, height = sight.mapping.size
    ends = sight.mapping.to_frame([(0.0, height / 2.0), (width - 1.0, height / 2.0)])
    left, right = (tuple(round(float(v), 5) for v in end) for end in (ends + 0.5) / max(sight.frame.size))
    return left, right  # type: ignore[return-value]


def _card_at(sight: Sight) -> tuple[Outline, ...]:
    card = sight.reading("light").card
    if card is None:
        return ()
    x, y, w, h = card.area
    corners = sight.mapping.to_picture([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    return (tuple((float(cx), float(cy)) for cx, cy in corners),)


READINGS = (
    Reading("balance", _balance, reads=("light",)),
    Reading("light", _light, looks_at=("small camera",), reads=("light.greys",),
            under=_plain_with_greys, pace=Pace.LATER),
    Reading("second_light", _second_light, reads=("light",), after=("light",)),
    Reading("sides", _sides, reads=PLACES),
    Reading("card_at", _card_at, reads=PLACES, after=("light",)),
    Reading("full_size", lambda s: s.mapping.size, reads=PLACES),
)  # fmt: skip
