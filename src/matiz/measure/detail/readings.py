"""The readings of Detail: what each looks at, and where what it says lies in the picture."""

from dataclasses import replace

import numpy as np

from ...develop.frame.mapping import PLACES
from ...develop.graph.graph import small_mask
from ...develop.places.weighing import Masked
from ...develop.stages.deblur import NOTHING_BACK
from ...develop.stages.node import Pixels
from ...image.channels import highest
from ...raw.noise import noise_of
from ...recipe.model import Recipe
from ...recipe.places import Sky
from ...recipe.tree import Rows
from ..table.table import Pace, Reading, Sight
from ..table.where import faces_seen, pixels_at, plain
from ..tone.luminances import luminance_EV
from ..tone.tone import zone_of
from . import detail as at_spots
from .blur import MID_GREY, BlurReading, choose_patches, find_edges, most_blur, read_blur
from .noise import NoiseReading, noise_reading
from .sharpened import SharpenedReading, added_L, read_sharpened, unsharpened
from .smear import find_smear

NEARLY_FULL = 0.97
LIGHT_WEIGHTS = np.array([0.25, 0.5, 0.25])
"""Of balanced channels, for edges."""
DEBLURRING = (
    "detail.deblur.blur_px", "detail.deblur.smear_px", "detail.deblur.smear_deg", "detail.noise.strength_percent",
    "detail.noise.colour_percent",
)  # fmt: skip


def _noise(sight: Sight) -> NoiseReading | None:
    if sight.frame.mosaic is None:
        return None
    zone = zone_of(luminance_EV(sight.picture("small working"), sight.recipe.tone.exposure_EV))
    return noise_reading(noise_of(sight.frame), sight.picture("small camera"), zone)


def _spots(sight: Sight) -> at_spots.DetailSpots:
    return at_spots.choose_spots(sight.picture("small working"), sight.step, sight.mapping.size)


def _detail(sight: Sight) -> at_spots.DetailReading:
    spots: at_spots.DetailSpots = sight.reading("spots")
    recipe, plain, noise = sight.recipe, sight.recipe.with_plain("detail"), sight.engine.sensor.noise
    unsharpened = recipe.applied([("detail.sharpen.amount_percent", 0.0)])
    # taking blur back makes more of both
    blurred = recipe.applied(list(NOTHING_BACK))
    edge = pixels_at(sight, unsharpened, spots.edge, "display")
    halo = at_spots.halo_L(edge, pixels_at(sight, recipe, spots.edge, "display"))
    scale = noise.scale
    flat, texture = (
        [pixels_at(sight, each, region, "camera") for each in (plain, blurred)]
        for region in (spots.flat, spots.texture)
    )
    removed_dB = at_spots.noise_removed_dB(scale, *flat)
    before, after = texture
    kept = at_spots.texture_kept(scale, noise.at(0)[0], before, after, removed_dB)
    return at_spots.DetailReading(removed_dB, kept, halo)


def _sharpened(sight: Sight) -> SharpenedReading:
    recipe = sight.recipe
    if unsharpened(recipe) == recipe:
        return SharpenedReading(None, None)
    sky = sight.engine.render(recipe, sight.level, result=small_mask(Masked(Rows([("p", Sky())]))))[..., 0]
    return read_sharpened(
        lambda region: added_L(sight.engine, recipe, 0, region), faces_seen(sight, 1.0), sky, sight.step,
        sight.mapping.size,
    )  # fmt: skip


def _blur_after(sight: Sight) -> BlurReading:
    before: BlurReading = sight.reading("blur")
    return _blur(sight, before) if any(sight.recipe.get(path) for path in DEBLURRING) else before


def _blur(sight: Sight, like: BlurReading | None = None) -> BlurReading:
    """Of the frame as the camera held it, so that no warp adds to it. like: a reading of the same places."""
    neutral = sight.frame.colour.as_shot_neutral

    def light(pixels: Pixels) -> Pixels:
        return np.ascontiguousarray(pixels @ (LIGHT_WEIGHTS / neutral).astype(np.float32))

    regions, grid = choose_patches(light(sight.picture("small camera")), sight.step, sight.mapping.size)
    # small and far apart: whole tiles of each would be six times the work
    seen = [sight.peek("camera", region) for region in regions]
    full = [highest(pixels) >= NEARLY_FULL for pixels in seen]
    grain = float(np.sqrt(noise_of(sight.frame).variance(np.array(MID_GREY)))) / MID_GREY
    patches = [light(pixels) for pixels in seen]
    # of a rendered picture the noise is not known
    known = grain if sight.frame.mosaic is not None else 0.0
    told = read_blur(find_edges(patches, grain, full), grid, most_blur(patches, known), like)
    return replace(told, smear=find_smear(patches, known))


def _detail_alone(recipe: Recipe) -> Recipe:
    return recipe.with_plain().applied([(path, recipe.get(path)) for path in DEBLURRING])


def _loupes(sight: Sight) -> tuple[tuple[Pixels, Pixels], ...]:
    plain = sight.recipe.with_plain("detail")
    return tuple(
        (pixels_at(sight, plain, region, "screen"), pixels_at(sight, sight.recipe, region, "screen"))
        for region in sight.reading("spots")
    )


READINGS = (
    Reading("noise", _noise, looks_at=("small camera", "small working"), reads=("tone.exposure_EV",)),
    Reading("spots", _spots, looks_at=("small working",)),
    Reading("detail", _detail, looks_at=("display", "camera"), after=("spots",), pace=Pace.SOON),
    Reading("sharpened", _sharpened, looks_at=("display",), reads=("detail", "places", *PLACES), pace=Pace.LATER),
    Reading("blur", _blur, looks_at=("small camera", "camera"), under=plain,
            pace=Pace.SOON),
    Reading("blur_after", _blur_after, looks_at=("small camera", "camera"), after=("blur",), under=_detail_alone),
    Reading("loupes", _loupes, looks_at=("screen",), after=("spots",)),
)  # fmt: skip
