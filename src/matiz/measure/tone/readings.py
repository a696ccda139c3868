"""The readings of Tone: what each looks at, and where what it says lies in the picture."""

from ...develop.graph.graph import HAZE
from ..table.table import Pace, Reading, Sight
from ..table.where import without_detail
from .haze import read_haze
from .luminances import luminance_EV
from .patches import FullReading, read_full
from .stored import read_stored
from .tone import RangeReading, ToneReading, patch_levels, raw_range, tone_reading, uneven_light


def _tone(sight: Sight) -> ToneReading:
    working, scene, display = (sight.picture(result) for result in ("small working", "small scene", "small display"))
    return tone_reading(sight.reading("uneven"), working, scene, display, sight.recipe.tone, sight.step)


def _uneven(sight: Sight) -> tuple[tuple[float, float], float]:
    return uneven_light(luminance_EV(sight.picture("small working"), 0.0))


def _full(sight: Sight) -> FullReading:
    level = min(1, sight.level)
    return read_full(sight.picture("camera", level), 2**level)


def _patch_light(sight: Sight) -> tuple[float, ...]:
    return patch_levels(sight.engine, sight.recipe, sight.reading("full"))


def _patch_levels(sight: Sight) -> tuple[float, ...]:
    """As far as Tone's scene part moves a patch, the small picture tells."""
    full: FullReading = sight.reading("full")
    levels: tuple[float, ...] = sight.reading("patch_light")
    if not levels:
        return levels
    working, scene = sight.picture("small working"), sight.picture("small scene")
    return tuple(level * full.gain(n, working, scene, sight.step) for n, level in enumerate(levels))


READINGS = (
    Reading("uneven", _uneven, looks_at=("small working",)),
    Reading("tone", _tone, looks_at=("small working", "small scene", "small display"), reads=("tone",),
            after=("uneven",)),
    Reading("range", lambda s: RangeReading(*raw_range(s.frame)), pace=Pace.SOON),
    Reading("haze", lambda s: read_haze(s.engine.product(s.recipe, HAZE)), looks_at=("small working",), pace=Pace.SOON),
    Reading("stored", lambda s: read_stored(s.frame)),
    Reading("full", _full, looks_at=("camera",), under=without_detail,
            pace=Pace.SOON),
    Reading("patch_light", _patch_light, looks_at=("camera", "working"), after=("full",), under=without_detail),
    Reading("patch_levels", _patch_levels, looks_at=("small working", "small scene"), after=("full", "patch_light")),
)  # fmt: skip
