"""The graph of the picture: which node comes after which, and the ends that a picture can be taken from.

    sensor -> noise -> blur -> geometry -> light -> lens's fall-off -> scene -> behind -> glow -> edges
        -> rendition -> sharpening -> grain, signature -> fit -> (encoding)
        \\-> screen (rendition, fit and encoding in one pass)

Places weigh in at the end of `scene` by masks, which read a reference: the scene rendered without any place, so that
none feeds back into a mask. The same graph is built three times: of the picture, of a quick draft of it, and of the
small picture that is measured.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ...colour.spaces import REC2020_TO_SRGB
from ...kernels.colour import coloured, coloured_placed, rendered_coloured, screen_coloured
from ...kernels.display_places import blended, display_coded, display_placed
from ...kernels.fit import fitted
from ...kernels.rendition import AFTER_FIT, BEFORE_FIT, rendered
from ...kernels.screen import coded, screen
from ...kernels.working import to_working
from ...masks.view import TO_WHITE
from ...recipe.model import Recipe
from ..frame import mapping
from ..frame.camera_colour import Balance, balance, light_xy, partly
from ..frame.noise import LEFT, QUICKLY, WELL, NoiseMethod
from ..frame.sensor import HIGHLIGHTS_LEVEL
from ..places.behind import Blurring
from ..places.fall_off import fallen_off
from ..places.glow import glow_product, glowing
from ..places.sharpen import is_sharpening, sharpening
from ..places.weighing import (
    Masked,
    Working,
    at_work,
    display_changes,
    display_key,
    mask_of,
    masks_node,
    pegs_of,
    placing,
)
from ..stages.colour import is_plain, moves_of
from ..stages.deblur import deblurred
from ..stages.denoise import denoised
from ..stages.grain import finishing, is_finishing
from ..stages.node import Node, NodePatch, Pixels, Work, product
from ..stages.rendition import channel_curves, display_table
from ..stages.repairs import repaired
from ..stages.tone import Toning, haze_node, toning

MAPPED_HIGHLIGHTS = 2
"""Version of the arithmetic from which on the colour round clipped places moves with the lens's correction."""
CURVES_BEFORE_FIT = 2
"""Version of the arithmetic from which on the curves of single channels act in the working primaries."""

FEW_PLACES, MOST_REACHED, SPAN = 4, 0.85, 16
"""Up to so many places it is worth looking at which rows they reach, and to leave out the rest, in spans of rows, where
they reach less of the picture."""

_TO_SRGB = REC2020_TO_SRGB.astype(np.float32)
_LIGHT = ("light.source", "light.cct_K", "light.duv", "light.adaptation_percent")
_RENDITION = (
    "tone.exposure_EV", "tone.rendition", "tone.black_EV", "tone.white_EV", "tone.curve.lightness", "tone.curve.red",
    "tone.curve.green", "tone.curve.blue",
)  # fmt: skip
_DISPLAY = (*_RENDITION, "colour")


def _sensor(work: Work) -> Pixels:
    return work.sensor.read(work.level, work.region)


def _small_sensor(work: Work) -> Pixels:
    return work.sensor.small(work.level, work.region)


def _quick_sensor(work: Work) -> Pixels:
    return work.sensor.draft(work.level, work.region)


def _geometry(work: Work, camera: NodePatch) -> Pixels:
    return work.mapping.drawn(camera.pixels, camera.region, work.level, work.region)


def _source(work: Work) -> tuple[int, int, int, int]:
    return work.mapping.source(work.level, work.region)


def _balance(work: Work) -> Balance:
    colour, light = work.sensor.frame.colour, work.recipe.light
    return partly(balance(colour, light_xy(colour, light)), light.adaptation_percent / 100.0)


def _highlights(work: Work) -> Pixels | None:
    """Colour round clipped places on a grid of the picture; None where nothing is clipped."""
    ratios = work.sensor.highlights
    mapping = work.mapping
    if ratios is None or mapping.is_idle or (mapping.is_lens_alone and work.recipe.processing < MAPPED_HIGHLIGHTS):
        return ratios
    three = np.ascontiguousarray(np.dstack([ratios, ratios[..., :1]]))
    whole = (0, 0, *mapping.size_at(HIGHLIGHTS_LEVEL))
    x, y, w, h = held = mapping.source(HIGHLIGHTS_LEVEL, whole)
    source = np.ascontiguousarray(three[y : y + h, x : x + w])
    return np.ascontiguousarray(mapping.drawn(source, held, HIGHLIGHTS_LEVEL, whole)[..., :2])


def _light(work: Work, camera: NodePatch) -> Pixels:
    to, ratios = work.ask.product(BALANCE), work.ask.product(HIGHLIGHTS)
    gains, matrix = to.gains.astype(np.float32), to.matrix.astype(np.float32)
    clip = work.sensor.frame.full_level
    if ratios is None:
        return to_working(camera.pixels, gains, matrix, clip=clip)
    scale = 2.0 ** (work.level - HIGHLIGHTS_LEVEL)
    corner = (work.region[0] * scale, work.region[1] * scale)
    return to_working(camera.pixels, gains, matrix, clip=clip, ratios=ratios, scale=scale, corner=corner)


def _fall_off(work: Work, working: NodePatch) -> Pixels:
    return work.mapping.brightened(working.pixels, work.level, work.region)


def _rendition(work: Work, scene: NodePatch) -> Pixels:
    """Without anything that places change after it."""
    tone = work.recipe.tone
    return rendered(scene.pixels, display_table(tone), channel_curves(tone.curve), _gain(work), when=_when(work))


def _rendition_with(masks: Node) -> Callable[[Work, NodePatch], Pixels]:
    """The rendition, what places change of it, then colours, then the curves of single channels."""

    def run(work: Work, scene: NodePatch) -> Pixels:
        tone, changes, pegs = work.recipe.tone, display_changes(work.recipe), pegs_of(work.recipe)
        table, channels, when = display_table(tone), channel_curves(tone.curve), _when(work)
        how = moves_of(work.recipe.colour) if pegs is not None or not is_plain(work.recipe.colour) else None
        if changes is None and pegs is None and how is not None:
            return rendered_coloured(scene.pixels, table, channels, _gain(work), how, when=when)
        early = channels if how is None else None
        if changes is None:
            shown = rendered(scene.pixels, table, early, _gain(work), when=when)
        else:
            own, (light, bends, blends) = work.take(masks), changes
            shown = display_placed(scene.pixels, table, early, _gain(work), own, light, bends, TO_WHITE, when=when)
            shown = blended(shown, own, blends) if blends.any() else shown
        if how is None:
            return shown
        if pegs is None:
            return coloured(shown, how, channels, when=when)
        return coloured_placed(shown, how, work.take(masks), pegs, channels, when=when)

    return run


def _fit(work: Work, shown: NodePatch) -> Pixels:
    return _fitted(shown.pixels, work.recipe, _TO_SRGB)


def _fitted(shown: Pixels, recipe: Recipe, matrix: Pixels) -> Pixels:
    when = BEFORE_FIT if recipe.processing >= CURVES_BEFORE_FIT else AFTER_FIT
    return fitted(shown, matrix, channel_curves(recipe.tone.curve), when=when)


def fit_to(shown: Pixels, recipe: Recipe, from_rec2020: Pixels) -> Pixels:
    """What is rendered (height, width, 3) fitted into the gamut of another output space, linear 0..1. from_rec2020:
    (3, 3) from linear Rec.2020."""
    height, width = shown.shape[:2]
    if min(height, width) < 2:
        # the kernels take no single row or column
        wide = np.pad(shown, [(0, max(2 - height, 0)), (0, max(2 - width, 0)), (0, 0)], mode="edge")
        return fit_to(wide, recipe, from_rec2020)[:height, :width]
    return _fitted(np.ascontiguousarray(shown, np.float32), recipe, from_rec2020.astype(np.float32))


def _screen_with(masks: Node) -> Callable[[Work, NodePatch], Pixels]:
    """In one pass, as long as places change nothing after the rendition."""
    shown = _rendition_with(masks)

    def run(work: Work, scene: NodePatch) -> Pixels:
        tone, changes, pegs = work.recipe.tone, display_changes(work.recipe), pegs_of(work.recipe)
        curves = channel_curves(tone.curve)
        if pegs is not None or not is_plain(work.recipe.colour):
            if changes is None and pegs is None and curves is None:
                how = moves_of(work.recipe.colour)
                return screen_coloured(scene.pixels, display_table(tone), _TO_SRGB, _gain(work), how)
            return coded(shown(work, scene), _TO_SRGB, curves=curves, when=_when(work))
        if changes is not None:
            table, bends, blends = changes
            if curves is None and not blends.any():
                return _coded_where(work, scene.pixels, work.take(masks), table, bends)
            return coded(shown(work, scene), _TO_SRGB, curves=curves, when=_when(work))
        return screen(scene.pixels, display_table(tone), _TO_SRGB, _gain(work), curves=curves, when=_when(work))

    return run


def _coded_where(work: Work, scene: Pixels, masks: Pixels, table: Pixels, bends: Pixels) -> Pixels:
    """For the screen, by the slower pass only between the first and the last row that any place reaches."""
    curve, gain = display_table(work.recipe.tone), _gain(work)
    count = masks.shape[2]
    own = range(count if count <= FEW_PLACES else 0)
    reached = [np.flatnonzero(masks[..., n].max(axis=1)) for n in own] or [np.array([0, len(masks) - 1])]
    rows = np.concatenate(reached)
    if not len(rows):
        return screen(scene, curve, _TO_SRGB, gain)
    # whole tasks of the pipelines
    top, bottom = int(rows.min()) // SPAN * SPAN, min(-(-(int(rows.max()) + 1) // SPAN) * SPAN, len(scene))
    if bottom - top > MOST_REACHED * len(scene):
        return display_coded(scene, curve, gain, masks, table, bends, TO_WHITE, _TO_SRGB)
    parts = [
        screen(scene[:top], curve, _TO_SRGB, gain) if top else None,
        display_coded(scene[top:bottom], curve, gain, masks[top:bottom], table, bends, TO_WHITE, _TO_SRGB),
        screen(scene[bottom:], curve, _TO_SRGB, gain) if bottom < len(scene) else None,
    ]
    return np.concatenate([part for part in parts if part is not None])


def _gain(work: Work) -> float:
    return float(2.0**work.recipe.tone.exposure_EV)


def _when(work: Work) -> int:
    return BEFORE_FIT if work.recipe.processing >= CURVES_BEFORE_FIT else AFTER_FIT


def _at_full_size(level: int) -> bool:
    """Smaller levels lie in the sensor's own store."""
    return level == 0


@dataclass(frozen=True)
class Variant:
    """A way through the graph: where its pixels come from, and what it leaves out for speed."""

    suffix: str
    """Of the names of its nodes, which are unique."""
    sensor: Node
    method: NoiseMethod | None
    """How noise is taken out; None: neither noise nor blur are."""
    sharpens: bool


@dataclass(frozen=True)
class Chain:
    """The nodes of a variant, from camera values to what is fitted for files."""

    camera: Node
    working: Node
    toned: Toning
    reference: Node
    """The toned scene rendered without places: what masks read."""
    scene: Node
    masks: Node
    lit: Node
    rendition: Node
    fit: Node


@dataclass(frozen=True)
class Shared:
    """What all variants read of the small picture."""

    working: Node
    haze: Node
    reference: Node
    glow: Node
    blurring: Blurring


def build(variant: Variant, shared: Shared | None = None) -> tuple[Chain, Shared]:
    """The nodes of a variant. shared: of the small picture; None for the small picture itself, which gives it."""
    of, (camera, working, choice) = variant.suffix, _begun(variant)
    small = shared.working if shared else working
    haze = shared.haze if shared else haze_node(working)
    toned = toning(f"scene{of}", working, small, haze)
    reference = Node(f"reference{of}", _rendition, (toned.scene,), _RENDITION)
    small_reference = shared.reference if shared else reference
    scene, masks = placing(f"places{of}", toned, reference, small_reference, choice)
    if shared is None:
        shared = Shared(small, haze, reference, glow_product(scene), Blurring.of(scene, toned, reference))
    behind = shared.blurring.node(of, scene, toned, reference, shared.reference)
    lit = fallen_off(of, glowing(of, behind, shared.glow), toned, reference, shared.reference)
    run = _rendition_with(masks)
    rendition = Node(f"rendition{of}", run, (lit,), _DISPLAY, aside=(masks,), key=display_key)
    if variant.sharpens:
        rendition = sharpening(f"sharpened{of}", rendition, BALANCE, masks)
    rendition = finishing(of, rendition)
    fit = Node(f"fit{of}", _fit, (rendition,), ("tone.curve",))
    return Chain(camera, working, toned, reference, scene, masks, lit, rendition, fit), shared


def _begun(variant: Variant) -> tuple[Node, Node, Working | None]:
    """Camera values, scene-linear Rec.2020, and what places can choose from where noise is taken out."""
    of, camera = variant.suffix, repaired(variant.suffix, variant.sensor)
    if variant.method is None:
        return *_balanced(of, camera), None
    noise = denoised(of, camera, variant.method)
    geometry, own = _balanced(of, deblurred(of, noise.own))
    clean, noisy = (
        _balanced(kind + of, deblurred(kind + of, each, lambda _, left=left: left))[1]  # type: ignore[misc]
        for kind, each, left in ((" of all that is clean", noise.clean, LEFT), (" of all noise", noise.noisy, 1.0))
    )
    return geometry, own, Working(own, clean, noisy)


def _balanced(name: str, camera: Node) -> tuple[Node, Node]:
    """The nodes from camera values to scene-linear Rec.2020: as they lie in the picture, and balanced."""
    geometry = Node(
        f"geometry{name}", _geometry, (camera,), mapping.PLACES, grow=_source, is_idle=lambda work: work.mapping.is_idle
    )
    light = Node(f"light{name}", _light, (geometry, BALANCE, HIGHLIGHTS))
    fall_off = Node(
        f"fall-off{name}", _fall_off, (light,), mapping.LIGHT, is_idle=lambda work: not work.mapping.brightens
    )
    return geometry, fall_off


def _on_screen(name: str, chain: Chain) -> Node:
    """For the screen in one pass where nothing follows the rendition, else from what is shown."""
    plain = _screen_with(chain.masks)

    def run(work: Work, own: NodePatch) -> Pixels:
        if not (is_sharpening(work) or is_finishing(work.recipe)):
            return plain(work, own)
        shown = work.take(chain.rendition)
        return coded(shown, _TO_SRGB, curves=channel_curves(work.recipe.tone.curve), when=_when(work))

    return Node(name, run, (chain.lit,), _DISPLAY, aside=(chain.masks, chain.rendition), key=display_key)


BALANCE = product("balance", _balance, reads=_LIGHT)
HIGHLIGHTS = product("highlights", _highlights, reads=mapping.PLACES)
_SENSORS = {
    name: Node(name, read, keeps=_at_full_size)
    for name, read in (("sensor", _sensor), ("small sensor", _small_sensor), ("quick sensor", _quick_sensor))
}
SMALL, SHARED = build(Variant(" of the small picture", _SENSORS["small sensor"], None, sharpens=False))
FULL, _ = build(Variant("", _SENSORS["sensor"], WELL, sharpens=True), SHARED)
QUICK, _ = build(Variant(" of the draft", _SENSORS["quick sensor"], QUICKLY, sharpens=True), SHARED)
HAZE = SHARED.haze


def mask(*wanted: Masked) -> Node:
    """The node that makes masks of a picture, (height, width, masks)."""
    return masks_node("a mask", FULL.toned.scene, FULL.reference, SMALL.reference, lambda _: wanted)


def place_mask(recipe: Recipe, ident: str) -> tuple[Node, int]:
    """The node of a place's mask, and which of those that it makes: of a place at work it is the one of the picture."""
    return _of_place(recipe, ident, FULL.masks, mask)


def small_place_mask(recipe: Recipe, ident: str) -> tuple[Node, int]:
    """The same of the small picture."""
    return _of_place(recipe, ident, SMALL.masks, small_mask)


def small_mask(wanted: Masked) -> Node:
    """The node that makes one mask of the small picture, (height, width, 1)."""
    reference = SMALL.reference
    return masks_node("a mask of the small picture", SMALL.toned.scene, reference, reference, lambda _: (wanted,))


def _of_place(recipe: Recipe, ident: str, made: Node, alone: Callable[[Masked], Node]) -> tuple[Node, int]:
    working = [name for name, _ in at_work(recipe)]
    return (made, working.index(ident)) if ident in working else (alone(mask_of(recipe, ident)), 0)


ENDS: dict[str, Node] = {
    "camera": FULL.camera,
    "working": FULL.working,
    "scene": FULL.scene,
    "rendered": FULL.rendition,
    "display": FULL.fit,
    "screen": _on_screen("screen", FULL),
    "draft": _on_screen("draft", QUICK),
    "small camera": SMALL.camera,
    "small working": SMALL.working,
    "small toned": SMALL.toned.scene,
    "small scene": SMALL.scene,
    "small rendered": SMALL.rendition,
    "small display": SMALL.fit,
}
"""Camera values; scene-linear Rec.2020 before exposure, after Tone's scene part and after all places; display-linear
Rec.2020 before the output gamut is fitted; display-linear sRGB for files; 8-bit blue-green-red-255 for the screen, and
the same from a quick demosaic. The small ones are for measuring: at a small level they are there at once, and always
the same."""
