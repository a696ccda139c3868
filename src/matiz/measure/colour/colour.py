"""Readings of the Colour station: which hues there are and how strong, what the delivery cannot hold, skin."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ...colour.difference import delta_E_2000
from ...colour.spaces import REC2020_TO_SRGB, Lab_to_LCh, RGB_to_XYZ_matrix, XYZ_to_Oklab, sRGB_to_Lab
from ...colour.types import Array, Display
from ...develop.stages.colour import skin_place
from ...recipe.colour import NO_SKIN, Skin
from ..deliver.deliver import MARGIN
from ..table.values import Outline

HUE_BINS, CHROMA_BINS = 120, 24
MOST_CHROMA = 0.30
"""Oklab chroma at the top of the strip: sRGB's primaries reach 0.26 to 0.32."""
SECTORS = 12
COLOURED = 0.02
"""Oklab chroma from which on a colour has a hue worth counting: C*ab of about 8."""
STEP = 3
"""Px from one that counts to the next."""
CLOUD = 400
LEAST_SKIN = 0.002
"""Of the picture: with less of it nothing is said of skin."""
LEAST_SPOT = 0.0005
"""Of the picture: a smaller area is not framed."""
MOST_SPOTS = 6
_TO_XYZ = RGB_to_XYZ_matrix("sRGB")


@dataclass(frozen=True)
class Hue:
    """What lies within one sector of 30 degrees of hue."""

    share: float
    """Of the picture, 0..1."""
    chroma: float
    """Mean C*ab of it; 0 where there is none."""
    strongest: float = 0.0
    """C*ab that one in fifty of it exceeds."""


@dataclass(frozen=True)
class GamutReading:
    """What the delivery's space cannot hold, as the picture asks for it."""

    share: float
    """Of the picture, 0..1."""
    mean_dE: float
    """Mean ΔE00 between what is asked for and what is shown, over that share."""
    turn_deg: float
    """Mean turn of hue there, degrees in Oklab, without its sign."""
    hue_deg: float
    """The hue, Oklab, of most of it."""
    excess: float
    """By how much, on the mean, its chroma is beyond what can be shown: asked for over shown."""
    spots: tuple[Outline, ...]
    """Round the largest areas, px of the picture that was read."""


@dataclass(frozen=True)
class ColourReading:
    """The colours of a picture as it is shown."""

    population: NDArray[np.float32]
    """(HUE_BINS, CHROMA_BINS) share of the picture by Oklab hue from 0 degrees and chroma up to MOST_CHROMA."""
    hues: tuple[Hue, ...]
    """By 30 degrees of Oklab hue, from 0."""
    out_of_gamut: GamutReading


@dataclass(frozen=True)
class SkinReading:
    """Skin, by the reference that was picked. L*, C*ab and CIELAB hue."""

    share: float
    """Of the picture, 0..1."""
    L: float
    chroma: float
    hue_deg: float
    hue_spread_deg: float
    """Half the distance between the hues that one in six falls short of and one in six exceeds: the reference at its
    own lightness taken off."""
    chroma_spread: float
    redness_deg: float
    """By how many degrees of hue the reddest tenth of it is redder than its middle."""
    cloud: tuple[tuple[float, float], ...] = ()
    """Hue and L* of some of it."""


def oklch_of(display: Array) -> Array:
    """L, chroma and hue in degrees, Oklab (..., 3), of display-linear sRGB."""
    return Lab_to_LCh(XYZ_to_Oklab(display.astype(np.float64) @ _TO_XYZ.T))


def read_colour(display: Display, wanted: Display) -> ColourReading:
    """display: the picture in display-linear sRGB; wanted: the same in Rec.2020 before it was fitted; any level."""
    display, wanted = (np.ascontiguousarray(each[::STEP, ::STEP]) for each in (display, wanted))
    lch = oklch_of(display).reshape(-1, 3)
    chroma, hue = lch[:, 1], lch[:, 2] % 360.0
    across = np.minimum((hue * (HUE_BINS / 360.0)).astype(int), HUE_BINS - 1)
    up = np.minimum((chroma * (CHROMA_BINS / MOST_CHROMA)).astype(int), CHROMA_BINS - 1)
    shares = np.bincount(across * CHROMA_BINS + up, minlength=HUE_BINS * CHROMA_BINS).reshape(HUE_BINS, CHROMA_BINS)
    Lab = sRGB_to_Lab(display).reshape(-1, 3)
    C = np.hypot(Lab[:, 1], Lab[:, 2])
    sector = np.minimum((hue / (360.0 / SECTORS)).astype(int), SECTORS - 1)
    hues = []
    for n in range(SECTORS):
        own = C[(sector == n) & (chroma > COLOURED)]
        hues.append(
            Hue(len(own) / len(C), float(own.mean()), float(np.quantile(own, 0.98))) if len(own) else Hue(0.0, 0.0)
        )
    return ColourReading((shares / len(lch)).astype(np.float32), tuple(hues), _gamut(display, wanted))


def _gamut(display: Display, wanted: Display) -> GamutReading:
    asked = wanted.astype(np.float64) @ REC2020_TO_SRGB.T
    outside: NDArray[np.bool_] = np.asarray(((asked < -MARGIN) | (asked > 1.0 + MARGIN)).any(axis=-1))
    if not outside.any():
        return GamutReading(0.0, 0.0, 0.0, 0.0, 1.0, ())
    shown, meant = display[outside], asked[outside]
    dE = delta_E_2000(sRGB_to_Lab(shown), sRGB_to_Lab(np.maximum(meant, 0.0)))
    before, after = oklch_of(meant), oklch_of(shown)
    off = np.abs((after[:, 2] - before[:, 2] + 180.0) % 360.0 - 180.0)
    coloured = after[:, 1] > COLOURED
    middle = np.degrees(np.angle(np.exp(1j * np.radians(before[:, 2])).mean())) % 360.0
    excess = float((before[:, 1] / np.maximum(after[:, 1], 1e-3))[coloured].mean()) if coloured.any() else 1.0
    turn = float(off[coloured].mean()) if coloured.any() else 0.0
    return GamutReading(float(outside.mean()), float(dE.mean()), turn, float(middle), excess, _spots(outside))


def _spots(where: NDArray[np.bool_]) -> tuple[Outline, ...]:
    """Upright rectangles round the largest areas, px of the picture that was read."""
    _, _, found, _ = cv2.connectedComponentsWithStats(cv2.dilate(where.astype(np.uint8), np.ones((3, 3), np.uint8)))
    boxes = [tuple(int(v) * STEP for v in each[:4]) for each in sorted(found[1:], key=lambda each: -each[4])
             if each[4] > LEAST_SPOT * where.size]  # fmt: skip
    return tuple(
        tuple((float(px), float(py)) for px, py in ((x, y), (x + w, y), (x + w, y + h), (x, y + h)))
        for x, y, w, h in boxes[:MOST_SPOTS]
    )


def read_skin(display: Display, skin: Skin) -> SkinReading | None:
    """Skin of a picture, display-linear sRGB, by a reference; None without one or where hardly any is."""
    if skin.reference == NO_SKIN:
        return None
    Lab = sRGB_to_Lab(display[::STEP, ::STEP]).reshape(-1, 3)
    off = np.linalg.norm(Lab[:, 1:] - skin_place(skin, Lab[:, 0]), axis=1)
    own = Lab[(off < skin.reach) & (Lab[:, 0] > 10.0) & (Lab[:, 0] < 97.0)]
    if len(own) < LEAST_SKIN * len(Lab):
        return None
    L, C, h = Lab_to_LCh(own).T
    _, held_C, held_h = Lab_to_LCh(np.column_stack([own[:, 0], skin_place(skin, own[:, 0])])).T
    turned = (h - held_h + 180.0) % 360.0 - 180.0
    low, middle, high = np.quantile(turned, (0.16, 0.5, 0.84))
    C_low, C_high = np.quantile(C - held_C, (0.16, 0.84))
    centre, thin = np.median(own, axis=0), max(1, len(h) // CLOUD)
    _, chroma, hue = (float(v) for v in Lab_to_LCh(centre))
    return SkinReading(
        len(own) / len(Lab), float(np.median(L)), chroma, hue, float(high - low) / 2.0, float(C_high - C_low) / 2.0,
        float(middle - np.quantile(turned, 0.1)),
        tuple((float(hue), float(light)) for hue, light in zip(h[::thin], L[::thin], strict=True)),
    )  # fmt: skip
