"""The node that sharpens what is shown, where it rises above the noise that the frame's sensor left in it."""

import math

import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import LUMINANCE, lightness
from ...kernels.block_sizes import SIDE
from ...kernels.rendition import rendered
from ...kernels.sharpen import ACTIVE, BINS, LEAST_SIGMA, MOST_SIGMA, REACH, sharpened
from ...recipe.model import Recipe
from ..frame.camera_colour import Balance
from ..frame.noise import added_noise, share_left, share_left_there
from ..frame.tiles import Region, grown
from ..stages.denoise import DEEPEST
from ..stages.node import Node, NodePatch, Pixels, Work
from ..stages.rendition import channel_curves, display_table
from .weighing import at_work

UNKNOWN_L = 0.35
"""L* that noise is taken to have at least in a picture that is rendered: that of eight bits and a little more."""
LEAST_L = 0.02
MOST_AMOUNT = 6.0
SCENE = np.geomspace(1e-5, 16.0, 400)


def sharpening(name: str, rendition: Node, balance: Node, masks: Node) -> Node:
    """The node after a rendition. masks: of the places at work."""

    def run(work: Work, shown: NodePatch) -> Pixels:
        sharpen, sigma = work.recipe.detail.sharpen, _sigma(work)
        weaker = min(sigma / LEAST_SIGMA, 1.0) ** 2
        sigma = min(max(sigma, LEAST_SIGMA), MOST_SIGMA)
        left, top = work.region[0] - shown.region[0], work.region[1] - shown.region[1]
        amount: float | NDArray[np.float32] = sharpen.amount_percent / 100.0
        own = np.array(_by_places(work.recipe), np.float32)
        if own.any():
            # beyond the region only its own px are looked at
            sides = [(top, shown.region[3] - top - work.region[3]), (left, shown.region[2] - left - work.region[2])]
            each = np.clip(amount + work.take(masks) @ own, -1.0, MOST_AMOUNT).astype(np.float32)
            amount = np.pad(each, sides, mode="edge")
        made = sharpened(
            np.ascontiguousarray(shown.pixels), foreseen_noise(work, work.ask.product(balance), sigma), sigma=sigma,
            amount=np.asarray(weaker * amount, np.float32), halo=sharpen.halo_L, gated=sharpen.gate == "on",
        )  # fmt: skip
        return np.ascontiguousarray(made[top : top + work.region[3], left : left + work.region[2]])

    return Node(
        name, run, (rendition, balance), ("detail",), aside=(masks,), grow=_around,
        is_idle=lambda work: not is_sharpening(work), key=lambda work: _by_places(work.recipe),
    )  # fmt: skip


def is_sharpening(work: Work) -> bool:
    return work.recipe.detail.sharpen.amount_percent > 0.0 or any(_by_places(work.recipe))


def _by_places(recipe: Recipe) -> tuple[float, ...]:
    """What each place at work adds to the amount, in their order."""
    return tuple(place.sharpen_percent * place.strength_percent / 10_000.0 for _, place in at_work(recipe))


def _sigma(work: Work) -> float:
    return work.recipe.detail.sharpen.radius_px / float(2.0**work.level)


def _around(work: Work) -> Region:
    reach = math.ceil(REACH * min(max(_sigma(work), LEAST_SIGMA), MOST_SIGMA)) + ACTIVE + 1
    return grown(work.region, work.mapping.size_at(work.level), reach)


def foreseen_noise(work: Work, balance: Balance, sigma: float) -> NDArray[np.float32]:
    """(BINS,) standard deviation, L*, that the noise of a grey has in what differs from its blur by `sigma` px of the
    level, by the lightness at which it is shown. Places and zones are not looked at."""
    noise, tone = work.sensor.noise, work.recipe.tone
    scale = noise.scale
    bins = np.linspace(0.0, 100.0, BINS)
    level = min(work.level, DEEPEST)
    beyond = 2.0 ** (level - work.level)
    least = LEAST_L
    if work.sensor.frame.mosaic is None:
        # its flattest places tell its noise; where there are none, or none that is not smoothed, there is some still
        least = max(UNKNOWN_L * beyond * added_noise(np.ones((SIDE, SIDE)), _bell(sigma)), LEAST_L)
    greys = np.repeat(SCENE.astype(np.float32)[None, :, None], 3, axis=2)
    shown = rendered(greys, display_table(tone), channel_curves(tone.curve), float(2.0**tone.exposure_EV))
    L = lightness(np.maximum(shown[0] @ LUMINANCE, 0.0))
    L, at = np.unique(np.maximum.accumulate(L), return_index=True)
    Y = np.interp(bins, L, SCENE[at])
    slope = np.interp(bins, 0.5 * (L[1:] + L[:-1]), np.diff(L) / np.maximum(np.diff(SCENE[at]), 1e-12))
    neutral = work.sensor.frame.colour.as_shot_neutral
    shares = (LUMINANCE @ balance.matrix) * balance.gains
    light = neutral[None] * (Y / float(shares @ neutral))[:, None]
    variance = scale.shot * np.maximum(light, 0.0) + scale.read**2
    own = slope * np.sqrt((shares**2 * variance).sum(axis=1))
    # what the demosaic and the level have left of noise that was independent from px to px
    white = math.sqrt(float((scale.balance**2).mean()))
    passed = added_noise(noise.at(level)[0] / white, _bell(sigma))
    # where a place brings noise back, that is what must be risen above
    taken = max([share_left(work.recipe), *(share_left_there(work.recipe, each) for _, each in at_work(work.recipe))])
    fine = max(10.0 ** (tone.contrast.fine_dB / 20.0), 1.0)
    return np.maximum(own * passed * beyond * taken * fine, least).astype(np.float32)


def _bell(sigma: float) -> NDArray[np.float32]:
    reach = math.ceil(REACH * sigma)
    bell = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
    return np.asarray(np.outer(bell, bell) / bell.sum() ** 2, np.float32)
