"""What Colour decides, as the kernels take it: pegs as tables by hue, the tint path and skin as tables by lightness,
the primaries as a matrix, a filter before the lens as weights of luminance.
"""

from collections.abc import Iterable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...colour.filters import seen_through
from ...colour.spaces import (
    LUMINANCE,
    OKLAB_AXES,
    OKLAB_CONES,
    REC2020_TO_XYZ,
    XYZ_TO_REC2020,
    Lab_to_Oklab,
    moved_primaries,
)
from ...colour.types import Array
from ...kernels.colour import BY_HUE, TONES, Moves, square_positions
from ...recipe.colour import NO_SKIN, REFERENCE_TONES, Grading, Peg, Primaries, Skin, TintNode
from ...recipe.tree import Rows

SKIN_HUE_DEG, SKIN_WIDE_DEG, SKIN_HELD = 50.0, 30.0, 0.8
"""Where skin is taken to lie in Oklab as long as none is picked, to how far around, and how much of what muted colours
gain it is spared. Common practice, no source."""
TINT_ENDS = 15.0
"""L* from black and from white within which a tint fades: they have no room for colour."""
NO_REACH = 1e-3
PER_LAB = 0.0025
"""Oklab's a and b to one of CIELAB's, about where skin lies."""

PLAIN = Grading()


def is_plain(colour: Grading) -> bool:
    """True when nothing of the picture is changed: pegs and nodes that stand at nothing do nothing."""
    return not (
        any(_is_peg_decided(peg) for peg in colour.pegs.values())
        or colour.chroma_percent
        or colour.muted_percent
        or any(node.a or node.b for node in colour.tint.values())
        or colour.primaries != PLAIN.primaries
        or (colour.skin.evenness_percent and colour.skin.reference != NO_SKIN)
        or colour.black_and_white == "on"
    )


def has_pegs(pegs: Rows[Peg]) -> bool:
    return any(_is_peg_decided(peg) for peg in pegs.values())


def _is_peg_decided(peg: Peg) -> bool:
    return bool(peg.hue_deg or peg.chroma != 1.0 or peg.lightness)


def moves_of(colour: Grading) -> Moves:
    """What the whole picture's colours are moved by."""
    skin = colour.skin
    held = skin.reference != NO_SKIN
    to_cones = OKLAB_CONES @ REC2020_TO_XYZ
    # white as it is here, to the last digit: greys are to stay grey
    to_cones = to_cones / to_cones.sum(axis=1, keepdims=True)
    primaries = _matrix(colour.primaries)
    meant = seen_through(colour.filter) if colour.black_and_white == "on" else LUMINANCE
    return Moves(
        _single(to_cones @ primaries),
        _single(OKLAB_AXES),
        _single(np.stack([meant @ primaries, LUMINANCE])),
        _hues(colour.pegs, colour.muted_percent, skin),
        _tones(colour.tint, skin),
        _single(np.linalg.inv(to_cones)),
        1.0 + colour.chroma_percent / 100.0,
        0.0 if colour.black_and_white == "on" else 1.0,
        skin.evenness_percent / 100.0 if held else 0.0,
        skin.reach * PER_LAB if held else NO_REACH,
    )


def _single(values: Array) -> NDArray[np.float32]:
    return np.ascontiguousarray(values, np.float32)


# ---- by hue


def off_deg(hues: Array | float, centre: float) -> Array:
    """How far hues lie from one, -180..180 degrees."""
    return np.asarray((np.asarray(hues) - centre + 180.0) % 360.0 - 180.0)


def shares(hues: Array, pegs: Iterable[Peg]) -> Array:
    """How much each peg holds of each hue, (pegs, hues), 0..1; together never more than all of it.

    A raised cosine about each; where they lie over each other they share. What they hold together rises smoothly to
    all, so that even pegs, each reaching to the next, part the circle among them (a partition of unity).
    """
    bumps = [np.where(np.abs(off) < reach, 0.5 + 0.5 * np.cos(np.pi * off / reach), 0.0)
             for off, reach in ((off_deg(hues, peg.at_deg), peg.reach_deg) for peg in pegs)]  # fmt: skip
    if not bumps:
        return np.zeros((0, len(hues)))
    all_ = np.stack(bumps)
    total = all_.sum(axis=0)
    held = np.minimum(total, 1.0)
    return np.asarray(all_ / np.maximum(total, 1e-9) * held * (2.0 - held))


@lru_cache(maxsize=128)
def by_hue(pegs: Rows[Peg]) -> NDArray[np.float32]:
    """What pegs do, (HUES + 1, 3): see `kernels.colour.BY_HUE`."""
    hues = np.degrees(square_positions())
    own = list(pegs.values())
    done = np.array([(np.radians(peg.hue_deg) / 2.0, peg.chroma - 1.0, peg.lightness) for peg in own])
    table = shares(hues, own).T @ done.reshape(-1, len(BY_HUE))
    return _kept(table)


@lru_cache(maxsize=128)
def _hues(pegs: Rows[Peg], muted_percent: float, skin: Skin) -> NDArray[np.float32]:
    hues = np.degrees(square_positions())
    centre = skin_hue_deg(skin)
    near = np.clip(1.0 - np.abs(off_deg(hues, centre)) / SKIN_WIDE_DEG, 0.0, 1.0)
    held = SKIN_HELD * near * near * (3.0 - 2.0 * near) if muted_percent > 0.0 else 0.0 * near
    muted = muted_percent / 100.0 * (1.0 - held)
    return _kept(np.column_stack([by_hue(pegs), muted]))


def skin_hue_deg(skin: Skin) -> float:
    """The hue of skin, Oklab: that of its reference's middles, or the usual one."""
    if skin.reference == NO_SKIN:
        return SKIN_HUE_DEG
    _, a, b = Lab_to_Oklab(np.array(skin.reference).reshape(REFERENCE_TONES, 3)[1])
    return float(np.degrees(np.arctan2(b, a)) % 360.0)


# ---- by lightness


@lru_cache(maxsize=128)
def _tones(tint: Rows[TintNode], skin: Skin) -> NDArray[np.float32]:
    """See `kernels.colour.BY_TONE`."""
    L = lightness_of_grey(np.linspace(0.0, 1.0, TONES))
    a, b = tint_at(tint, L)
    return _kept(np.column_stack([_over_grey(L, a, b), skin_at(skin, L)]))


def _over_grey(L: Array, a: Array, b: Array) -> Array:
    """Oklab's a and b, (n, 2), of CIELAB's, less those of greys: by the published digits they have some."""
    colours, greys = (Lab_to_Oklab(np.column_stack([L, share * a, share * b])) for share in (1.0, 0.0))
    return np.asarray((colours - greys)[:, 1:])


def lightness_of_grey(oklab: Array) -> Array:
    """L* 0..100 of greys of Oklab's L 0..1."""
    # a grey's L is the cube root of its luminance
    return np.asarray(np.where(oklab > 6 / 29, 116.0 * oklab - 16.0, oklab**3 * (29 / 3) ** 3))


def tint_at(tint: Rows[TintNode], L: Array) -> tuple[Array, Array]:
    """What the tint path adds to a* and b* at lightnesses L*, smoothly through its nodes; beyond the first and the
    last it goes on, and fades toward black and white."""
    nodes = sorted((node.at, node.a, node.b) for node in tint.values())
    if not nodes:
        return np.zeros(len(L)), np.zeros(len(L))
    # nodes at one lightness are one, in their middle
    at = np.array(sorted({node[0] for node in nodes}))
    means = np.array([np.mean([node[1:] for node in nodes if node[0] == each], axis=0) for each in at])
    fade = np.clip(np.minimum(L, 100.0 - L) / TINT_ENDS, 0.0, 1.0)
    fade = fade * fade * (3.0 - 2.0 * fade)
    # from node to node with ease, so that none is overshot
    place = np.interp(L, at, np.arange(len(at), dtype=np.float64))
    before = np.minimum(place.astype(int), max(len(at) - 2, 0))
    after, t = np.minimum(before + 1, len(at) - 1), place - before
    t = (t * t * (3.0 - 2.0 * t))[:, None]
    a, b = ((means[before] * (1.0 - t) + means[after] * t) * fade[:, None]).T
    return a, b


def skin_at(skin: Skin, L: Array) -> Array:
    """Where skin is held at lightnesses L*, Oklab's a and b, (n, 2): chroma and hue along its reference."""
    if skin.reference == NO_SKIN:
        return np.zeros((len(L), 2))
    return _over_grey(L, *np.moveaxis(skin_place(skin, L), -1, 0))


def skin_place(skin: Skin, L: Array) -> Array:
    """a* and b* (..., 2) that a reference has at lightnesses L*."""
    reference = np.array(skin.reference).reshape(REFERENCE_TONES, 3)
    reference = reference[np.argsort(reference[:, 0])]
    return np.stack([np.interp(L, reference[:, 0], reference[:, n]) for n in (1, 2)], axis=-1)


# ---- primaries


@lru_cache(maxsize=64)
def _matrix(primaries: Primaries) -> Array:
    """(3, 3) of linear Rec.2020: where the primaries are taken to, white held."""
    turns = [primaries.red_deg, primaries.green_deg, primaries.blue_deg]
    factors = [primaries.red_chroma, primaries.green_chroma, primaries.blue_chroma]
    return XYZ_TO_REC2020 @ moved_primaries("Rec.2020", turns, factors)


def _kept(table: Array) -> NDArray[np.float32]:
    out = np.ascontiguousarray(table, np.float32)
    out.flags.writeable = False
    return out
