"""Findings of places: one that does nothing, that ends too hard, that fills or crushes an end, that drains chroma."""

import math
from collections.abc import Iterator

from ..develop.places.weighing import is_decided
from ..measure.picture import PictureReading
from ..measure.places.mask_edge import WIDTH, EdgeReading, EdgeRow, EdgeSpot
from ..measure.places.places import PlaceReading
from ..measure.places.readings import EDGED
from ..measure.tone.stored import SEEN_L
from ..recipe.model import Recipe
from ..recipe.places import Brush, Ellipse, Lasso, MaskPart, Place, Ramp, Reach, Stroke
from ..recipe.shapes import Shape
from ..recipe.tree import Rows
from ..wording import EV, counted, number, percent
from .model import Finding, box, needs

LEAST_dE = 0.1
LEAST_END = 0.002
"""Of the picture that a place makes white or black: less is a sparkle."""
LEAST_LIFT_EV, MOST_KEPT = 0.15, 0.93
FEATHER = 0.02
"""Of the long side: what an edge is spread over at least. By eye, no source."""
MOST_FEATHER_PX, MOST_FIT_PX = 1000.0, 200.0
LEVEL_DEG = 10.0
"""By eye, no source."""
TIGHTEN, MOST_MENDED = "Snap it to the edge in the picture", 6
DRAWN = (Lasso, Brush, Reach)
"""Parts that end about where something in the picture does."""
HALO_L = 1.5
"""By eye, no source."""
JUST_UNDER, LEAST_KEPT = 0.9, 0.1
"""Of a step that is seen: what is aimed at; and of a place: what is worth keeping."""
ENDING = (Lasso, Ellipse, Ramp, Brush)
"""Parts whose edge lies where a hand put it."""


def _each(reading: PictureReading, recipe: Recipe) -> Iterator[tuple[str, str, Place, PlaceReading]]:
    """Path, name, place and reading of all that count."""
    for n, (ident, place) in enumerate(recipe.places.items(), 1):
        own = reading.places.get(ident)
        if isinstance(place, Place) and own is not None and place.active == "on" and is_decided(place):
            yield f"places.{ident}", place.name or f"Place {n}", place, own


@needs("places")
def idle_place(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A place that changes nothing any more."""
    for path, name, place, own in _each(reading, recipe):
        # what it does to noise and edges is not seen at the size that is read
        is_of_detail = place.sharpen_percent or place.denoise_percent
        if own.most_dE < LEAST_dE and place.strength_percent and not (is_of_detail and own.coverage):
            why = "its mask is empty" if own.coverage == 0.0 else "its changes are too small"
            yield Finding(
                id="places.idle",
                station="places",
                claim=f"{name} makes no visible change: {why}",
                evidence={"most_dE": round(own.most_dE, 2), "coverage_%": round(100.0 * own.coverage, 2)},
                fix=((f"{path}.active", "off"),),
                fix_label="Switch it off",
                subject=path,
                certainty=0.9,
            )


@needs("places", "full_size")
def hard_edge(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The edge of a place is seen in a smooth area."""
    width, height = reading.full_size
    for path, name, place, own in _each(reading, recipe):
        if own.hard_edge is None:
            continue
        feather_px = min(float(round(max(own.hard_feather, FEATHER) * max(width, height))), MOST_FEATHER_PX)
        left, top, w, h = own.hard_edge
        x0, y0, x1, y1 = left * width, top * height, (left + w) * width, (top + h) * height
        parts = {ident: part for ident, part in place.mask.items() if isinstance(part, ENDING)}
        fix = tuple(
            (f"{path}.mask.{ident}.feather_px", feather_px) for ident, part in parts.items()
            if isinstance(part, MaskPart) and part.feather_px < feather_px
        )  # fmt: skip
        yield Finding(
            id="places.hard_edge",
            station="places",
            claim=f"{name} ends hard in a smooth area: lightness steps by {number(own.hard_dL, 1)} there",
            evidence={"step_L": round(own.hard_dL, 1)},
            outlines=(((x0, y0), (x1, y0), (x1, y1), (x0, y1)),),
            fix=fix or None,
            fix_label=f"Feather it by {number(feather_px, 0, 'px')}" if fix else "",
            subject=path,
            certainty=0.6,
        )


@needs("edges", "full_size")
def leaks(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A mask goes beyond an edge of the picture, or stops short of one."""
    told: set[frozenset[EdgeSpot]] = set()
    for n, (ident, place) in enumerate(recipe.places.items(), 1):
        own = reading.edges.get(ident)
        if own is None or not isinstance(place, Place) or place.active != "on":
            continue
        spots = sorted((*own.leaks, *own.gaps), key=lambda spot: -spot.px)
        # what leaks from a place is missing from the one that is its inverse
        if not spots or frozenset(spots) in told:
            continue
        told.add(frozenset(spots))
        ends = (own.leaks, "goes beyond an edge"), (own.gaps, f"stops short of {'one' if own.leaks else 'an edge'}")
        said = [f"{verb} at {counted(len(each), 'place')}" for each, verb in ends if each]
        fix = _fitted(f"places.{ident}", place, reading.full_size)
        parts, label = ((), TIGHTEN) if fix else _mended(own)
        yield Finding(
            id="places.leak",
            station="places",
            claim=f"{place.name or f'Place {n}'} {' and '.join(said)}, the largest {spots[0].w} by {spots[0].h} px",
            evidence={"leaks": len(own.leaks), "gaps": len(own.gaps), "largest_px": round(spots[0].px)},
            outlines=tuple(box((spot.x, spot.y, spot.w, spot.h)) for spot in spots),
            fix=fix or None,
            adds=tuple((f"places.{ident}.mask", part) for part in parts),
            fix_label=label,
            subject=f"places.{ident}",
            certainty=0.6,
        )


def _mended(own: EdgeReading) -> tuple[tuple[MaskPart, ...], str]:
    """Parts that take what leaks away and what is missing in; and what that is called."""
    if own.row is not None:
        return (_painted_out(own.row),), _along(own.row)
    each = [("subtract", spot) for spot in own.leaks] + [("add", spot) for spot in own.gaps]
    each = sorted(each, key=lambda one: -one[1].px)[:MOST_MENDED]
    joins = {join for join, _ in each}
    label = (
        "Correct it there" if len(joins) > 1 else "Remove what leaks" if "subtract" in joins else "Contract it there"
    )
    return tuple(Lasso(join=join, path=spot.outline) for join, spot in each), label


def _painted_out(row: EdgeRow) -> Brush:
    """A straight stroke that takes leaks away."""
    whole = Stroke(
        path=Shape.of(row.ends),
        radius_px=float(min(max(round(row.radius), 1), 4000)),
        hardness_percent=100.0,
        strength_percent=100.0,
    )
    return Brush(join="subtract", strokes=Rows([("s1", whole)]))


def _along(row: EdgeRow) -> str:
    return f"Paint it out along {'the horizon' if abs(row.turn_deg) < LEVEL_DEG else 'the line'}"


@needs("edges", "full_size")
def halo(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """What a place changes spills over the picture's edge, as a rim of light or shade."""
    for n, (ident, place) in enumerate(recipe.places.items(), 1):
        own = reading.edges.get(ident)
        if own is None or not isinstance(place, Place) or place.active != "on" or abs(own.halo_L) < HALO_L:
            continue
        fix, label = _fitted(f"places.{ident}", place, reading.full_size), TIGHTEN
        if not fix:
            fix, label = _unspread(f"places.{ident}", place), "Don't expand or feather it"
        yield Finding(
            id="places.halo",
            station="places",
            claim=f"{place.name or f'Place {n}'} leaves a rim {number(abs(own.halo_L), 1)} L* "
            f"{'lighter' if own.halo_L > 0 else 'darker'} along its edge",
            evidence={"halo_L": round(own.halo_L, 2)},
            fix=fix or None,
            fix_label=label if fix else "",
            subject=f"places.{ident}",
            certainty=0.5,
        )


def _fitted(path: str, place: Place, size: tuple[int, int]) -> tuple[tuple[str, float], ...]:
    """Settings that fit the parts which a hand has drawn; none where one is fitted already, or was found: that ends
    where it should but for a few places, and fitting would move the rest."""
    wide = min(float(round(WIDTH * max(size))), MOST_FIT_PX)
    own: dict[str, MaskPart] = {
        ident: part for ident, part in place.mask.items() if isinstance(part, EDGED) and part.join != "subtract"
    }
    if any(not isinstance(part, DRAWN) or part.fit_px >= wide for part in own.values()):
        return ()
    return tuple((f"{path}.mask.{ident}.fit_px", wide) for ident in own)


def _unspread(path: str, place: Place) -> tuple[tuple[str, float], ...]:
    """Settings that end what was found where it was found."""
    return tuple(
        (f"{path}.mask.{ident}.{name}", 0.0)
        for ident, part in place.mask.items() if isinstance(part, EDGED)
        for name in ("grow_px", "feather_px") if getattr(part, name) > 0.0
    )  # fmt: skip


@needs("places")
def lost_ends(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A place makes white or black what was not."""
    for path, name, _, own in _each(reading, recipe):
        for share, word, field, side, zone, low, high in (
            (own.blown, "white", "spare_light", "above", own.blown_zone - 1.0, 5.0, 9.9),
            (own.crushed, "black", "spare_dark", "below", own.crushed_zone + 1.0, 0.1, 5.0),
        ):
            if share < LEAST_END:
                continue
            # rounded to the side on which all of it is spared
            zone = math.floor(10.0 * zone) / 10.0 if word == "white" else math.ceil(10.0 * zone) / 10.0
            can_be = low <= zone <= high
            yield Finding(
                id="places.lost_ends",
                station="places",
                claim=f"{name} makes {percent(share)} of the picture {word}",
                evidence={"share_%": round(100.0 * share, 2), "zone": number(zone, 1)},
                fix=((f"{path}.{field}", zone),) if can_be else None,
                fix_label=f"Leave alone what lies {side} zone {number(zone, 1)}" if can_be else "",
                subject=f"{path}.{field}",
                certainty=0.8,
            )


@needs("banding", "full_size")
def bands(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A place pulls the few stored values of a smooth area so far apart that their steps show."""
    for n, (ident, place) in enumerate(recipe.places.items(), 1):
        own = reading.banding.get(ident)
        if own is None or not isinstance(place, Place) or place.active != "on" or not own.is_seen:
            continue
        kept = (JUST_UNDER * SEEN_L - own.before_L) / (own.step_L - own.before_L)
        strength = float(math.floor(kept * place.strength_percent))
        can_be = kept >= LEAST_KEPT
        yield Finding(
            id="places.bands",
            station="places",
            claim=f"{place.name or f'Place {n}'} shows bands in a smooth area: lightness steps by "
            f"{number(own.step_L, 1)} there, {number(own.before_L, 1)} without it",
            evidence={"step_L": round(own.step_L, 2), "before_L": round(own.before_L, 2)},
            outlines=(box(own.at),),
            fix=((f"places.{ident}.strength_percent", strength),) if can_be else None,
            fix_label=f"Lower its strength to {number(strength, 0, '%')}" if can_be else "",
            subject=f"places.{ident}",
            certainty=0.6,
        )


@needs("places")
def drained(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """A place lightens, and drains the colours by it."""
    for path, name, place, own in _each(reading, recipe):
        if place.exposure_EV < LEAST_LIFT_EV or place.hold_chroma == "on" or own.chroma_kept > MOST_KEPT:
            continue
        yield Finding(
            id="places.drained",
            station="places",
            claim=f"{name} lightens by {EV(place.exposure_EV, signed=False)} and loses "
            f"{percent(1.0 - own.chroma_kept, 0)} of its chroma",
            evidence={"chroma_kept_%": round(100.0 * own.chroma_kept, 1)},
            fix=((f"{path}.hold_chroma", "on"),),
            fix_label="Keep its chroma",
            subject=path,
            certainty=0.7,
        )
