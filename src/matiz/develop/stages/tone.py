"""The tone stage: haze, zones and local contrast in the scene, before the rendition.

All of it follows edge-preserving luminance (guided filters) of the whole picture at a small size, so
that what is flat stays flat and edges keep their place: no rims of light around them.
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.spaces import decode_sRGB
from ...colour.types import Array
from ...image.guided import coefficients
from ...kernels.guided import MOST_RADIUS, calmed
from ...kernels.tone import SceneTone, log_luminance, scene_toned, table_EV
from ...raw.noise import common_noise
from ...recipe.leaves import Values
from ...recipe.model import Recipe, Tone
from ...recipe.places import Place
from ..frame.lattice import NODES, between
from ..frame.mapping import PLACES
from ..frame.tiles import Region, grown, level_for
from .haze import Haze, haze_by_luminance, haze_of
from .node import Node, NodePatch, Pixels, Work, product
from .rendition import curve

SMALL_PX = 700
"""Least long side of the small picture that the surroundings are read from."""
RADII = {"fine": 0.001, "middle": 0.008, "broad": 0.05}
"""Of local contrast, as shares of the long side."""
EDGE_EV = 0.5
"""Steps of luminance well above it count as edges."""
LEAST_SLOPE = 0.02
"""Of luminance after the ladder over before: two tones never change places, and never quite meet."""
HAZE_BY_VEIL = 3
"""Version of the arithmetic from which on the haze that is taken away follows the veil, not luminance."""

MURKY = 4
"""Version of the arithmetic from which on lifted darks leave behind the colour that is noise."""
MURKY_SNR = 2.0
"""Signal over noise at which half of a colour is taken for noise."""
MURKY_CODE = 5.0 / 255.0
"""Of pictures that are rendered already: compression leaves no more colour to their darks; by eye, no source."""

READS = (
    "tone.zones_EV", "tone.contrast.fine_dB", "tone.contrast.middle_dB", "tone.contrast.broad_dB",
    "tone.haze_percent", "tone.exposure_EV",
)  # fmt: skip


def is_plain(tone: Tone) -> bool:
    """True when the stage has nothing to do."""
    contrast = tone.contrast
    return not (any(tone.zones_EV) or contrast.fine_dB or contrast.middle_dB or contrast.broad_dB or tone.haze_percent)


@lru_cache(maxsize=32)
def zone_table(zones_EV: Values) -> NDArray[np.float32]:
    """Offsets in EV at `kernels.tone.table_EV()`, (TABLE_SIZE,), from those at zones 0..X.

    A monotone cubic through the rungs' new places, which are first held in rising order; beyond the
    ladder's ends the end's offset goes on.
    """
    EV = table_EV()
    if not any(zones_EV):
        return np.zeros(len(EV), np.float32)
    at = np.arange(-5.0, 6.0)
    wanted = at + np.array(zones_EV)
    # rising by the least slope, changed as little as may be: pool what is out of order (Kruskal 1964)
    rising = _pooled(wanted - LEAST_SLOPE * at) + LEAST_SLOPE * at
    inside = np.clip(EV, at[0], at[-1])
    # the tone curve's monotone cubic, which lives in 0..1
    points = tuple(zip((at + 5.0) / 10.0, (rising + 10.0) / 20.0, strict=True))
    offset = curve(points, (inside + 5.0) / 10.0) * 20.0 - 10.0 - inside
    table = offset.astype(np.float32)
    table.flags.writeable = False
    return table


def _pooled(values: Array) -> Array:
    """The non-falling values nearest to `values` in least squares."""
    blocks: list[list[float]] = []
    for value in values:
        blocks.append([float(value), 1.0])
        while len(blocks) > 1 and blocks[-2][0] > blocks[-1][0]:
            mean, count = blocks.pop()
            before, many = blocks.pop()
            blocks.append([(mean * count + before * many) / (count + many), count + many])
    return np.concatenate([np.full(int(count), mean) for mean, count in blocks])


def contrast_gain(dB: float) -> float:
    """What is added of a detail whose contrast changes by `dB`."""
    return float(10.0 ** (dB / 20.0)) - 1.0


def haze_node(small: Node) -> Node:
    """The haze of the picture, however much of it is taken away: it is worked out once, not at every step of a hand."""

    def run(work: Work) -> Haze:
        picture = work.ask.whole(small, level_for(work.whole.size, SMALL_PX))
        return haze_of(picture) if _is_by_veil(work) else haze_by_luminance(picture)

    return product("haze", run, (small,), of_whole=True)


@dataclass(frozen=True, eq=False)
class Toning:
    """The nodes of a scene that is toned, and what it is made from."""

    scene: Node
    working: Node
    fine: Node
    """Log luminance smoothed at the fine radius."""
    plan: Node


def toning(name: str, working: Node, small: Node, haze: Node) -> Toning:
    """The nodes that take haze, move zones and change local contrast; `small` is what they read surroundings from."""
    plan = product(
        f"plan of the {name}",
        lambda work: _plan(work, small, haze),
        (small, haze),
        ("tone.haze_percent",),
        key=lambda work: _is_hazy(work.recipe),
        of_whole=True,
    )
    here = product(f"plan of the {name} here", lambda work: _placed(work, work.ask.product(plan)), (plan,), PLACES)
    return toned_by(name, working, here)


def toned_by(name: str, working: Node, here: Node) -> Toning:
    """The same by a plan that is there already."""
    fine = Node(f"fine base of the {name}", _fine, (working,), grow=_with_margin)

    def run(work: Work, patch: NodePatch) -> Pixels:
        contrast = work.recipe.tone.contrast
        base = work.take(fine) if contrast.fine_dB else None
        return scene_toned(patch.pixels, scene_of(work, work.ask.product(here), base))

    scene = Node(name, run, (working, here), READS, aside=(fine,), is_idle=lambda work: is_plain(work.recipe.tone))
    return Toning(scene, working, fine, here)


def _is_hazy(recipe: Recipe) -> bool:
    """Whether the transmission is wanted, for the whole or for a place."""
    places = (place for place in recipe.places.values() if isinstance(place, Place))
    return bool(recipe.tone.haze_percent or any(place.haze_percent for place in places))


def scene_of(work: Work, plan: "TonePlan", fine: Pixels | None) -> SceneTone:
    """How the kernels tone a region. fine: the fine base there, where fine contrast changes."""
    tone, contrast = work.recipe.tone, work.recipe.tone.contrast
    scale = 2.0 ** (work.level - level_for(work.whole.size, SMALL_PX))
    left, top = work.region[:2]
    cut_x, cut_y = (cut / 2.0**work.level for cut in plan.corner)
    return SceneTone(
        plan.grid, zone_table(tone.zones_EV), plan.air, tone.exposure_EV, scale,
        ((left + cut_x) * scale, (top + cut_y) * scale), tone.haze_percent / 100.0, fine,
        (contrast_gain(contrast.fine_dB), contrast_gain(contrast.middle_dB), contrast_gain(contrast.broad_dB)),
        plan.by_veil, _murk(work),
    )  # fmt: skip


def _fine(work: Work, working: NodePatch) -> Pixels:
    base = calmed(log_luminance(working.pixels), _fine_px(work), EDGE_EV)
    x, y, w, h = work.region
    left, top = x - working.region[0], y - working.region[1]
    return np.ascontiguousarray(base[top : top + h, left : left + w])


def _fine_px(work: Work) -> int:
    """The fine radius at the level; one pixel at least."""
    wanted = round(RADII["fine"] * max(work.whole.size) / 2**work.level)
    return min(max(1, wanted), MOST_RADIUS)


def _with_margin(work: Work) -> Region:
    """The region with what the fine radius looks at around it."""
    return grown(work.region, work.mapping.size_at(work.level), 2 * _fine_px(work))


def _murk(work: Work) -> float:
    """Luminance at which half of a colour is noise, as far as the ISO tells."""
    if work.recipe.processing < MURKY:
        return 0.0
    frame = work.sensor.frame
    if frame.mosaic is None:
        return float(decode_sRGB(np.array(MURKY_CODE)))
    noise = common_noise(frame.exposure.iso)
    # where the signal is MURKY_SNR times the root of its variance
    half = MURKY_SNR**2 * noise.shot / 2.0
    return float(half + np.sqrt(half**2 + (MURKY_SNR * noise.read) ** 2))


@dataclass(frozen=True, eq=False)
class TonePlan:
    """What the surroundings say, for all regions of a picture."""

    grid: NDArray[np.float32]
    air: NDArray[np.float32]
    by_veil: bool
    """Whether the transmission follows the veil, or luminance as it did once."""
    corner: tuple[float, float] = (0.0, 0.0)
    """Where the picture's upper left corner lies in it, px of the full size."""


def _placed(work: Work, plan: TonePlan) -> TonePlan:
    """The plan of the whole as it lies in the picture."""
    here, whole = work.mapping, work.whole
    if here.is_plain:
        # a part of it, px for px
        return replace(plan, corner=here.place_in(whole))
    step = 2.0 ** level_for(whole.size, SMALL_PX)
    width, height = (max(2, math.ceil(n / step)) for n in here.size)
    across, down = np.linspace(0.0, width - 1.0, NODES), np.linspace(0.0, height - 1.0, NODES)
    nodes = (np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2) + 0.5) * step - 0.5
    there = ((whole.to_picture(here.to_frame(nodes)) + 0.5) / step - 0.5).reshape(NODES, NODES, 2)
    fine_x, fine_y = between(width), between(height)
    x, y = (np.asarray(fine_y @ there[..., n] @ fine_x.T, np.float32) for n in range(2))
    # OpenCV takes four channels at most
    halves = [np.ascontiguousarray(plan.grid[..., n : n + 3]) for n in range(0, plan.grid.shape[2], 3)]
    parts = [cv2.remap(half, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for half in halves]
    return replace(plan, grid=np.ascontiguousarray(np.dstack(parts)))


def _is_by_veil(work: Work) -> bool:
    return work.recipe.processing >= HAZE_BY_VEIL


def _plan(work: Work, whole: Node, haze_node: Node) -> TonePlan:
    small = work.ask.whole(whole, level_for(work.whole.size, SMALL_PX))
    long_side = max(small.shape[:2])
    nothing = np.zeros(small.shape[:2], np.float32)
    through, air = (nothing, nothing + 1.0), np.ones(3, np.float32)
    share = work.recipe.tone.haze_percent / 100.0
    if _is_hazy(work.recipe):
        haze: Haze = work.ask.product(haze_node)
        through, air = haze.coefficients, haze.air.astype(np.float32)
    if share:
        small = (small - air) * haze.transmission[..., None] ** np.float32(-share) + air
    level = log_luminance(np.ascontiguousarray(small))
    bases = [coefficients(level, level, max(0.5, RADII[n] * long_side), EDGE_EV) for n in ("middle", "broad")]
    return TonePlan(np.dstack([plane for pair in (through, *bases) for plane in pair]), air, _is_by_veil(work))
