"""Findings of the Mend station."""

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Protocol, TypeVar

import cv2
import numpy as np

from ..colour.types import Array
from ..measure.picture import PictureReading
from ..measure.table.values import Outline
from ..recipe.mending import Heal, Repair
from ..recipe.model import Recipe
from ..recipe.tree import Rows, Section
from ..wording import EV, counted, degrees, number, percent
from .model import Finding, needs

LEAST_FRINGE_PX = 0.5
"""At the corner. Common practice, no source: less is not seen at 1:1."""
LEAST_CERTAINTY = 0.5
LEAST_STRETCH_PERCENT, LEAST_FALL_OFF_EV = 0.3, 0.15
MOST_FRINGE_PX = 10.0
LEAST_TILT_DEG = 0.2
"""Common practice, no source: less is not seen."""
LEAST_VERTICAL_DEG, MOST_VERTICAL_DEG = 1.0, 12.0
"""Common practice, no source: less is not seen, and a camera that looked further up or down meant it."""
LEAST_DUST_CERTAINTY, MOST_DUST = 0.5, 30
"""More shadows than this are a texture."""
LEAST_ANGLE_CERTAINTY = 0.6
"""From here on a photograph that was turned was read within 0.3 degrees in 95 of 100 (`./dev bench mend`)."""


@needs("mend")
def fringes(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Red or blue is drawn larger or smaller than green, and the recipe does not take it back."""
    found = reading.mend.fringes
    if found is None or found.certainty < LEAST_CERTAINTY:
        return
    left_red = found.red_px - recipe.mend.fringe_red_px
    left_blue = found.blue_px - recipe.mend.fringe_blue_px
    if max(abs(left_red), abs(left_blue)) < LEAST_FRINGE_PX:
        return
    if max(abs(found.red_px), abs(found.blue_px)) > MOST_FRINGE_PX:
        return
    colour, px = ("Red", left_red) if abs(left_red) >= abs(left_blue) else ("Blue", left_blue)
    way = "outside" if px > 0 else "inside"
    yield Finding(
        id="mend.fringes",
        station="mend",
        claim=f"{colour} fringes: {number(abs(px), 1, 'px')} {way} of green at the corner",
        evidence={
            "red_px": round(found.red_px, 2),
            "blue_px": round(found.blue_px, 2),
            "set_red_px": recipe.mend.fringe_red_px,
            "set_blue_px": recipe.mend.fringe_blue_px,
        },
        fix=(("mend.fringe_red_px", round(found.red_px, 2)), ("mend.fringe_blue_px", round(found.blue_px, 2))),
        fix_label=f"Correct {number(found.red_px, 1, signed=True)} and {number(found.blue_px, 1, 'px', signed=True)}",
        certainty=found.certainty,
    )


@needs("mend")
def lens_known(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The database knows the lens, and nothing of it is taken back yet, by the database or by hand."""
    known, mend = reading.mend.lens, recipe.mend
    if known is None or mend.lens == "known" or mend.distortion_percent or mend.fall_off_EV:
        return
    stretch = 100.0 * float(known.stretch[-1] - 1.0)
    dark_EV = float(known.fall_off_EV[-1])
    if abs(stretch) < LEAST_STRETCH_PERCENT and dark_EV < LEAST_FALL_OFF_EV:
        return
    shape = "barrel" if stretch < 0 else "pincushion"
    yield Finding(
        id="mend.lens_known",
        station="mend",
        claim=f"Known lens: {number(abs(stretch), 1, '%')} {shape} and {EV(dark_EV, signed=False)} of vignetting "
        "at the corner",
        evidence={"lens": known.name, "distortion_%": round(stretch, 2), "fall_off_EV": round(dark_EV, 2)},
        fix=(("mend.lens", "known"),),
        fix_label="Correct both",
        certainty=0.9,
    )


@needs("tilt", "leaning")
def tilted(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """The picture leans, as its lines say."""
    tilt = reading.tilt.tilt
    left = tilt.deg + recipe.mend.level_deg
    if tilt.certainty < LEAST_ANGLE_CERTAINTY or abs(left) < LEAST_TILT_DEG:
        return
    way = "clockwise" if left > 0 else "counter-clockwise"
    yield Finding(
        id="mend.tilted",
        station="mend",
        claim=f"The picture leans {degrees(abs(left))} {way}",
        evidence={"tilt_deg": round(tilt.deg, 2), "level_deg": recipe.mend.level_deg, "lines": len(reading.leaning)},
        outlines=reading.leaning,
        fix=(("mend.level_deg", round(-tilt.deg, 2)),),
        fix_label=f"Rotate by {degrees(-left, signed=True)}",
        certainty=tilt.certainty,
    )


@needs("tilt", "leaning")
def converging(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Upright things run together, as those of a camera that looked up or down do."""
    found = reading.tilt.vertical
    left = found.deg - recipe.mend.vertical_deg
    if found.certainty < LEAST_ANGLE_CERTAINTY or not LEAST_VERTICAL_DEG <= abs(left) <= MOST_VERTICAL_DEG:
        return
    way, where = ("up", "above") if left > 0 else ("down", "below")
    yield Finding(
        id="mend.converging",
        station="mend",
        claim=f"Verticals converge {where}: the camera was tilted {degrees(abs(left))} {way}",
        evidence={"vertical_deg": round(found.deg, 2), "set_deg": recipe.mend.vertical_deg},
        outlines=reading.leaning,
        fix=(("mend.vertical_deg", round(found.deg, 1)),),
        fix_label=f"Correct {degrees(found.deg, signed=True)}",
        certainty=0.8 * found.certainty,
    )


@needs("dust", "specks")
def dusty(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Shadows of dust lie on the picture that are not healed yet."""
    found = reading.dust
    left = [each for each in unsettled(found, reading.specks, recipe) if each[0].certainty >= LEAST_DUST_CERTAINTY]
    if not left or len(left) > MOST_DUST:
        return
    deepest = max(speck.depth for speck, _, _ in left)
    yield Finding(
        id="mend.dust",
        station="mend",
        claim=f"{counted(len(left), 'dust spot')}; the darkest takes {percent(deepest, 0)} of the light",
        evidence={"shadows": len(left), "deepest_%": round(100.0 * deepest, 1)},
        outlines=tuple(outline for _, _, outline in left),
        adds=tuple(("mend.repairs", heal) for _, heal, _ in left),
        fix_label=f"Heal {'it' if len(left) == 1 else 'them'}",
        certainty=min(speck.certainty for speck, _, _ in left),
    )


S = TypeVar("S", bound="DustSpot", covariant=True)


class DustSpot(Protocol):
    """A round place of the frame that may have to be healed, px of the upright full-size frame."""

    @property
    def x(self) -> float: ...
    @property
    def y(self) -> float: ...
    @property
    def r(self) -> float: ...


class DustSpots(Protocol[S]):
    """What a reading says of them."""

    @property
    def specks(self) -> Sequence[S]: ...
    @property
    def heals(self) -> Sequence[Heal]: ...
    @property
    def long_side(self) -> int: ...


def unsettled(found: DustSpots[S], outlines: Sequence[Outline], recipe: Recipe) -> list[tuple[S, Heal, Outline]]:
    """The spots about which something may be done still, with how each would be healed, and its outline."""
    each = zip(found.specks, found.heals, outlines, strict=False)
    return [(spot, heal, outline) for spot, heal, outline in each if not is_settled(spot, recipe, found)]


def is_settled(speck: DustSpot, recipe: Recipe, found: DustSpots[DustSpot]) -> bool:
    """Whether nothing is to be done about a spot any more: it is healed, or is to stay."""
    return is_declined(speck, recipe, found) or is_healed(speck, recipe, found)


def is_declined(speck: DustSpot, recipe: Recipe, found: DustSpots[DustSpot]) -> bool:
    """Whether the user said that a spot is to stay."""
    x, y = (speck.x + 0.5) / found.long_side, (speck.y + 0.5) / found.long_side
    reach = speck.r / found.long_side
    return any((px - x) ** 2 + (py - y) ** 2 < reach**2 for px, py in recipe.mend.no_dust)


def is_healed(speck: DustSpot, recipe: Recipe, found: DustSpots[DustSpot]) -> bool:
    """Whether a repair of the recipe covers the middle of a spot."""
    at = ((speck.x + 0.5) / found.long_side, (speck.y + 0.5) / found.long_side)
    places, radii, outlines = _repaired(recipe.mend.repairs)
    if (np.hypot(*(places - at).T) < radii / found.long_side).any():
        return True
    return any(cv2.pointPolygonTest(outline, at, False) > 0 for outline in outlines)


@lru_cache(maxsize=4)
def _repaired(repairs: Rows[Section]) -> tuple[Array, Array, list[Array]]:
    """The points of all repairs that count, (n, 2), the radius of each in px, and their outlines."""
    items = [item for item in repairs.values() if isinstance(item, Repair) and item.active == "on"]
    places = [point for item in items for point in item.path]
    radii = [item.radius_px for item in items for _ in item.path]
    outlines = [np.array(item.path, np.float32).reshape(-1, 1, 2) for item in items if item.outline == "on"]
    return np.array(places, np.float64).reshape(-1, 2), np.array(radii, np.float64), outlines
