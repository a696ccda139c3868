"""The sky of a picture: calm, hanging together, at the upper border, and all that lies above a line.

It begins with what is flooded from calm places near the upper border as far as nothing steps. Then, some times over, it
is asked of each px whether it could be sky: by how calm it is against what is sky already; by its colour against one
that changes slowly over the picture; or by the way to what was flooded, along which little may change (the cheapest of
all ways, by Dijkstra). A line from left to right is laid where most of that lies above it and a step lies on it, and
that jumps seldom (by Viterbi's way). A graph cut settles its edge.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..colour.types import Array
from .cut import Picture, Share, graph_cut, smaller, softened

TOP, BOTTOM = 0.30, 0.12
"""Of the height: where seeds of the sky may lie, and what is surely none."""
CALM_L = 3.2
"""Standard deviation of L* (0..100) within a few px under which a place is calm."""
LEAST_SEEDS = 0.02
"""Of the frame's pixels: with fewer seeds there is no sky to speak of."""
STEP, FIRST = 2, 0.2
"""Of 255: the most that a sky changes from one px of the small picture to the next where it is flooded; and how far
down, of the height, that is believed."""
ROUNDS, SETTLED = 6, 0.002
"""How often a line is laid at most; of the px, what changes no more."""
CALM, ROUGH, LEAST_ROUGH_L, FOR_CALM = 1.2, 0.6, 0.5, 1.6
"""How calm counts: CALM less ROUGH for a place half as rough again as the sky is, and no more than that; which
roughness that is at least, L*; and the weight of it all."""
ALIKE, FAR, AGAINST = 1.2, 10.0, -2.5
"""What a px has for it that has the sky's colour, the sum of steps on the way to it by which that is lost, and what it
has against it at most."""
SPREADS = (2.0, 1.2, 1.5)
"""Of L*, a*, b*: how far colours of a sky lie apart at least."""
NO_STEP, LEAST_NO_STEP = 2.0, 0.15
"""Times the usual change from px to px that is none on the way; and at least, L*a*b*."""
BY_AREA, BY_STEP, WHOLE_STEP = 0.35, 8.0, 4.0
"""What a px above the line counts for, what a step on it, and from which change in L*a*b* a step is whole."""
BY_SLOPE, BY_JUMP = 0.3, 14.0
"""What a line pays for each px by which it goes up or down, and at most, as beside a tower."""
LEAST_CALM = 0.75
"""Share of a sky that is calm; stormy ones have less, and are taken for none beyond what is flooded."""
BAND_PX = 6
"""Of it: how far the cut may move the line."""
APART, WARM_B, BRIGHT_L = 6.0, 5.0, 82.0
"""By how much it is brighter (L*) or bluer (b*) than what lies below, or half as much both; from which b*, up to which
L*, a calm place is a wall."""
LEAST_TOP = 0.12
"""Of the upper border that a sky reaches."""

Mask = NDArray[np.bool_]


def find_sky(picture: Picture) -> Share:
    """0..1 over an sRGB picture (height, width, 3), (rows, columns) of at most `CUT_PX`; all 0 where there is none."""
    small = smaller(picture)
    height, width = small.shape[:2]
    Lab = cv2.cvtColor(small.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    mean, square = (cv2.blur(each, (5, 5)) for each in (Lab[..., 0], Lab[..., 0] ** 2))
    calm = np.sqrt(np.maximum(square - mean**2, 0.0)) < CALM_L
    rows = np.broadcast_to(np.arange(height)[:, None], (height, width))
    low = rows >= (1.0 - BOTTOM) * height
    none = np.zeros((height, width), np.float32)
    seeds = _from_top(calm & (rows < TOP * height))
    if not low.any() or seeds.mean() < LEAST_SEEDS or seeds[:3].any(axis=0).mean() < LEAST_TOP:
        return none
    # a sky is brighter than what lies below it, or bluer
    brighter = np.median(Lab[..., 0][seeds]) - np.median(Lab[..., 0][low])
    bluer = np.median(Lab[..., 2][low]) - np.median(Lab[..., 2][seeds])
    if max(brighter, bluer) < APART and min(brighter, bluer) < APART / 2.0:
        return none
    # a wall or sand out of focus is calm as well: what is warm and not bright is no sky
    if np.median(Lab[..., 2][seeds]) > WARM_B and np.median(Lab[..., 0][seeds]) < BRIGHT_L:
        return none
    flooded = _flooded(small, seeds)
    above = _above(Lab, (flooded > 0) & (rows < FIRST * height)).astype(np.uint8)
    if not _is_calm(calm, above):
        # it went on into houses, people or leaves
        above = flooded
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND_PX + 1, 2 * BAND_PX + 1))
    labels = np.where(above > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[cv2.erode(above, disc, borderType=cv2.BORDER_REPLICATE) > 0] = cv2.GC_FGD
    labels[cv2.dilate(above, disc, borderType=cv2.BORDER_REPLICATE) == 0] = cv2.GC_BGD
    labels[low] = cv2.GC_BGD
    cut = _from_top(graph_cut(small, labels, 2))
    # birds and wires belong to it
    closed = cv2.morphologyEx(cut.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    return softened(closed > 0)


def _is_calm(calm: Mask, above: NDArray[np.uint8]) -> bool:
    inner = cv2.erode(above, np.ones((7, 7), np.uint8), borderType=cv2.BORDER_REPLICATE) > 0
    return bool(inner.any() and calm[inner].mean() >= LEAST_CALM)


def _above(Lab: NDArray[np.float32], first: Mask) -> Mask:
    """All above the line under a sky of which `first` is sure."""
    height = first.shape[0]
    fine = Lab[..., 0] - cv2.GaussianBlur(Lab[..., 0], (0, 0), 1.5)
    rough = np.sqrt(np.maximum(cv2.blur(fine * fine, (7, 7)), 0.0))
    calm = cv2.medianBlur(Lab, 5)
    steps = _steps(Lab)
    way = _way(steps, first)
    usual = max(1.5 * float(np.median(rough[first])), LEAST_ROUGH_L) if first.any() else LEAST_ROUGH_L
    is_calm = np.clip(CALM - ROUGH * rough / usual, AGAINST, CALM - ROUGH)
    sky = first
    for _ in range(ROUNDS):
        if not LEAST_SEEDS < sky.mean() < 1.0:
            break
        is_alike = np.maximum(_alike(calm, sky), np.clip(ALIKE - 2.0 * way / FAR, AGAINST, ALIKE))
        line = _line(is_alike + FOR_CALM * is_calm, steps)
        found = np.arange(height)[:, None] < line[None]
        changed, sky = float((found != sky).mean()), found
        if changed < SETTLED:
            break
    return np.asarray(sky)


def _steps(Lab: NDArray[np.float32]) -> Array:
    """The change from px to px, in L*a*b*, of what is left of it once fine texture is calmed."""
    soft = cv2.GaussianBlur(cv2.bilateralFilter(cv2.medianBlur(Lab, 3), 7, 6.0, 3.0), (0, 0), 0.8)
    ways = (cv2.Sobel(soft, cv2.CV_32F, dx, 1 - dx, scale=0.125) for dx in (0, 1))
    return np.asarray(np.sqrt(sum((each**2).sum(axis=2) for each in ways)))


def _way(steps: Array, first: Mask) -> Array:
    """The least sum of steps on any way to each px from where the sky is sure."""
    # not at start: it takes longer to load than the rest of the room
    from skimage.graph import MCP_Geometric

    sure = cv2.erode(first.astype(np.uint8), np.ones((5, 5), np.uint8), borderType=cv2.BORDER_REPLICATE) > 0
    if not sure.any():
        return np.full(steps.shape, np.inf)
    nothing = max(NO_STEP * float(np.median(steps[first])), LEAST_NO_STEP)
    costs, _ = MCP_Geometric(np.maximum(steps - nothing, 0.0) + 1e-3).find_costs(np.argwhere(sure)[::5])
    return np.asarray(costs)


def _alike(Lab: NDArray[np.float32], sky: Mask) -> Array:
    """How far each px has the colour that a sky would have there: one that changes slowly over the picture, as what is
    sky already tells."""
    height, width = sky.shape
    x, y = np.meshgrid(np.linspace(-1.0, 1.0, width), np.linspace(-1.0, 1.0, height))
    terms = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y, y**3], axis=2)
    off = np.zeros(sky.shape)
    for channel, least in enumerate(SPREADS):
        values, counted = Lab[..., channel], sky
        for _ in range(3):
            weights = np.linalg.lstsq(terms[counted][::7], values[counted][::7], rcond=None)[0]
            rest = values - terms @ weights
            spread = max(1.48 * float(np.median(np.abs(rest[sky]))), least)
            near = sky & (np.abs(rest) < 3.0 * spread)
            # clouds and stars are left out, as long as enough is left
            counted = near if near.sum() > 200 else sky
        off += np.minimum(0.5 * (rest / spread) ** 2, 6.0)
    return np.clip(ALIKE + 1.0 - 0.5 * off, AGAINST, ALIKE)


def _line(for_sky: Array, steps: Array) -> NDArray[np.int64]:
    """(columns,) the row down to which the sky goes in each, such that all together cost least."""
    height, width = for_sky.shape
    above = np.vstack([np.zeros(width), np.cumsum(for_sky, axis=0)])
    on_step = np.vstack([np.zeros(width), np.minimum(steps / WHOLE_STEP, 1.0)])
    own = -BY_AREA * above - BY_STEP * on_step
    slope = BY_SLOPE * np.arange(height + 1)
    total = own[:, 0]
    totals = [total]
    for x in range(1, width):
        # the cheapest row before, by slope, from above and from below
        down = np.minimum.accumulate(total - slope) + slope
        up = np.minimum.accumulate((total + slope)[::-1])[::-1] - slope
        total = np.minimum(np.minimum(down, up), total.min() + BY_JUMP) + own[:, x]
        totals.append(total)
    out = np.zeros(width, np.int64)
    out[-1] = int(np.argmin(totals[-1]))
    for x in range(width - 2, -1, -1):
        jump = np.minimum(np.abs(slope - slope[out[x + 1]]), BY_JUMP)
        out[x] = int(np.argmin(totals[x] + jump))
    return out


def _flooded(small: Picture, seeds: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """What is reached from the seeds without a step: a sky changes slowly, a ridge does not, however hazy. Clouds
    that are left out within are taken in."""
    soft = cv2.medianBlur(cv2.bilateralFilter(small, 7, 14.0, 3.0), 5)
    mask = np.zeros((small.shape[0] + 2, small.shape[1] + 2), np.uint8)
    for y, x in np.argwhere(cv2.erode(seeds.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0)[::23]:
        if mask[y + 1, x + 1] == 0:
            cv2.floodFill(
                soft, mask, (int(x), int(y)), 0, (STEP,) * 3, (STEP,) * 3, 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8)
            )
    reached = mask[1:-1, 1:-1]
    # what has sky all round is sky: clouds, the sun
    _, labels = cv2.connectedComponents((reached == 0).astype(np.uint8), connectivity=4)
    outside = np.union1d(labels[-3:], 0)
    return np.ascontiguousarray(reached | ~np.isin(labels, outside), np.uint8)


def _from_top(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What hangs together with the upper border."""
    _, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    at_top = np.setdiff1d(np.unique(labels[:2]), [0])
    return np.asarray(np.isin(labels, at_top))
