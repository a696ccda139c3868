"""What a careful colleague would look at before a picture is written by an order, each with a way to mend it."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from math import floor

import numpy as np

from ..colour.outputs import SPACES
from ..colour.spaces import decode_sRGB, sRGB_to_Lab
from ..develop.stages.border import border_px
from ..develop.stages.rendition import curve as value_at
from ..findings.model import Finding
from ..measure.deliver.deliver import PAPER_DARK, PAPER_LIGHT
from ..measure.picture import PictureReading
from ..recipe.leaves import Points
from ..recipe.model import Recipe
from ..wording import number, percent
from .orders import CM_PER_INCH, FORMATS, Order

STATION = "deliver"
LEAST_LIGHT, LEAST_DARK = 0.005, 0.02
"""Of the picture, from which on detail that a paper cannot hold is spoken of: what is lost in lights is seen sooner."""
LEAST_OUTSIDE, HELD, MUCH_LESS = 0.01, 0.002, 0.25
"""Of the picture outside a colour space: spoken of, as good as none, and what another space must bring it down to."""
WIDE = ("Rec.2020", "ROMM RGB")
"""Too wide for 8 bits: smooth areas show steps. Common practice, no source."""
DEEPER = {"PNG 8": "PNG", "TIFF 8": "TIFF"}
LEAST_PPI, GOOD_PPI = 180, 240
"""Of a print in the hand. Common practice, no source."""
MOST_SOFT_PX, GOOD_SOFT_PX = 1.2, 0.8
"""Spread of edges in px of the delivery on a screen."""
MOST_SOFT_MM = 0.2
"""Spread of edges on a print: from 40 cm an eye sees a minute of arc, 0.12 mm. Common practice, no source."""
MUCH_SMALLER = 0.67
"""Side of a delivery against the picture's from which on it is worth sharpening for the screen."""
KNEE = 0.12
"""Of the lightness scale at either end, in which a curve bends into a paper's range."""
_TOLD_APART = ("{name}", "{counter", "{time}")


@dataclass(frozen=True)
class Check(Finding):
    """A finding about a delivery; what mends it may be another order."""

    order: Order | None = None

    @property
    def has_fix(self) -> bool:
        return self.order is not None or super().has_fix


@dataclass(frozen=True)
class DeliveryLook:
    """What checks look at."""

    reading: PictureReading
    recipe: Recipe
    order: Order
    size: tuple[int, int]
    """(width, height) of the picture with its border, px."""

    @property
    def scale(self) -> float:
        """Side of the delivery as a share of the picture's."""
        return max(self.order.size_of(self.size)) / max(self.size)

    @property
    def ppi(self) -> float:
        """Px of the picture per inch of its print."""
        return max(self.size) / ((self.order.print_cm or 1.0) / CM_PER_INCH)

    @property
    def is_for_paper(self) -> bool:
        return self.order.print_cm is not None or self.order.sharpening in ("matte", "glossy")


def checks(reading: PictureReading, recipe: Recipe, order: Order, size: tuple[int, int]) -> list[Finding]:
    """What is to be said before a picture of `size` px is written, as far as its readings are there."""
    width, height = size
    around = 2 * border_px(recipe.finish.border, size)
    look = DeliveryLook(reading, recipe, order, (width + around, height + around))
    return [check for needs, one in CHECKS if reading.has(needs) for check in one(look)]


def _paper_range(look: DeliveryLook) -> Iterator[Finding]:
    told = look.reading.delivery
    light, dark = told.light_detail >= LEAST_LIGHT, told.dark_detail >= LEAST_DARK
    if not look.is_for_paper or not (light or dark):
        return
    what = " and ".join(
        f"{percent(share)} {words}" for is_told, share, words in (
            (light, told.light_detail, f"is lighter than {number(PAPER_LIGHT, 0)} of 255"),
            (dark, told.dark_detail, f"is darker than {number(PAPER_DARK, 0)}"),
        ) if is_told
    )  # fmt: skip
    curve = into_paper(look.recipe.tone.curve.lightness, light=light, dark=dark)
    yield Check(
        id="deliver.paper_range",
        station=STATION,
        claim=f"Detail that paper cannot hold: of the picture {what}",
        evidence={"light_detail_%": round(100.0 * told.light_detail, 2),
                  "dark_detail_%": round(100.0 * told.dark_detail, 2)},
        fix=(("tone.curve.lightness", curve),) if curve is not None else None,
        fix_label="Bend the ends of the curve into the paper's range" if curve is not None else "",
        certainty=0.6,
    )  # fmt: skip


def into_paper(curve: Points, *, light: bool, dark: bool) -> Points | None:
    """A lightness curve (points 0..1) whose lights and darks end where paper does; None where it has no room."""
    most, least = (_L_of(code) / 100.0 if wanted else end for code, wanted, end in
                   ((PAPER_LIGHT, light, 1.0), (PAPER_DARK, dark, 0.0)))  # fmt: skip
    bent = [(x, float(np.clip(y, least, most))) for x, y in curve]
    # two points hold what lies beyond the bend where it was
    knees = [x for end, is_wanted in ((0.0, dark), (1.0, light)) if is_wanted
             for x in (abs(end - KNEE), abs(end - 2.0 * KNEE))]  # fmt: skip
    for x in knees:
        if all(abs(x - other) > 0.02 for other, _ in bent):
            bent.append((x, float(np.clip(value_at(curve, x), least, most))))
    points = tuple((round(x, 4), round(y, 4)) for x, y in sorted(bent))
    rises = all(a[1] <= b[1] for a, b in pairwise(points))
    return points if rises and points != tuple(curve) else None


def _L_of(code: float) -> float:
    return float(sRGB_to_Lab(np.full((1, 3), decode_sRGB(code / 255.0)))[0, 0])


def _gamut(look: DeliveryLook) -> Iterator[Finding]:
    """Colours that the order's space cannot hold; of a profile that comes as a file the paper view tells."""
    outside = look.reading.delivery.out_of_gamut
    share = outside.get(look.order.space, 0.0)
    if share < LEAST_OUTSIDE:
        return
    better = max(HELD, MUCH_LESS * share)
    wider = next((name for name in SPACES if outside[name] <= better and not _is_coarse(look.order, name)), None)
    evidence: dict[str, float | str] = {"outside_%": round(100.0 * share, 2)}
    if wider:
        evidence[f"in {wider}_%"] = round(100.0 * outside[wider], 2)
    yield Check(
        id="deliver.gamut",
        station=STATION,
        claim=f"{percent(share)} of the picture has colours that {look.order.space} cannot show: they will be "
        "compressed",
        evidence=evidence,
        order=replace(look.order, space=wider) if wider else None,
        fix_label=f"Write it in {wider}, for wide-gamut screens" if wider else "",
        certainty=0.7,
    )


def _is_coarse(order: Order, space: str) -> bool:
    return space in WIDE and FORMATS[order.format].bits == 8 and order.format not in DEEPER


def _coarse(look: DeliveryLook) -> Iterator[Finding]:
    order = look.order
    if order.space not in WIDE or FORMATS[order.format].bits != 8:
        return
    deeper = DEEPER.get(order.format)
    better = replace(order, format=deeper) if deeper else replace(order, space="Display P3")
    yield Check(
        id="deliver.coarse",
        station=STATION,
        claim=f"{order.space} is too wide for 8 bits: smooth areas may band when the file is edited",
        order=better,
        fix_label=f"16 bits: {deeper}" if deeper else "Display P3 instead",
        certainty=0.7,
    )


def _few_px(look: DeliveryLook) -> Iterator[Finding]:
    order = look.order
    if order.print_cm is None or look.ppi >= LEAST_PPI:
        return
    fits_cm = float(max(1, floor(max(look.size) / GOOD_PPI * CM_PER_INCH)))
    yield Check(
        id="deliver.few_px",
        station=STATION,
        claim=f"A print of {number(order.print_cm, 0, 'cm')} has only {number(look.ppi, 0)} pixels per inch",
        evidence={"ppi": round(look.ppi)},
        order=replace(order, print_cm=fits_cm),
        fix_label=f"Print it {number(fits_cm, 0, 'cm')} long",
        certainty=0.7,
    )


def _soft(look: DeliveryLook) -> Iterator[Finding]:
    """The edges at the size of the delivery, px on a screen and mm on a print."""
    told = look.reading.blur_after
    if told is None or told.blur_px is None:
        return
    order = look.order
    if order.print_cm is not None:
        spread_mm = told.blur_px * 10.0 * order.print_cm / max(look.size)
        fits_cm = float(floor(order.print_cm * MOST_SOFT_MM / spread_mm)) if spread_mm else 0.0
        # a print of too few px is soft by that alone, which is said
        if spread_mm <= MOST_SOFT_MM or fits_cm < 1.0 or look.ppi < LEAST_PPI:
            return
        claim = f"Edges spread over {number(spread_mm, 2, 'mm')} on a print of {number(order.print_cm, 0, 'cm')}"
        evidence: dict[str, float | str] = {"spread_mm": round(spread_mm, 2)}
        better, label = replace(order, print_cm=fits_cm), f"Print it {number(fits_cm, 0, 'cm')} long"
    else:
        spread = told.blur_px * look.scale
        side = int(max(look.size) * GOOD_SOFT_PX / told.blur_px)
        if spread <= MOST_SOFT_PX or FORMATS[order.format].bits != 8 or side < 16:
            return
        long_px = max(order.size_of(look.size))
        claim = f"At {number(long_px, 0, 'px')} the sharpest edges spread over {number(spread, 1, 'px')}"
        evidence = {"spread_px": round(spread, 2)}
        better = replace(order, short_side=None, megapixels=None, long_side=side)
        label = f"{number(side, 0, 'px')} long: edges of {number(GOOD_SOFT_PX, 1, 'px')}"
    yield Check(
        id="deliver.soft", station=STATION, claim=claim, evidence=evidence, order=better, fix_label=label,
        certainty=0.4,
    )  # fmt: skip


def _made_softer(look: DeliveryLook) -> Iterator[Finding]:
    order = look.order
    if order.sharpening != "none" or look.scale > MUCH_SMALLER or FORMATS[order.format].bits != 8:
        return
    yield Check(
        id="deliver.made_softer",
        station=STATION,
        claim=f"Reduced to {percent(look.scale, 0)} without output sharpening",
        order=replace(order, sharpening="screen"),
        fix_label="Sharpen it for a screen",
        certainty=0.5,
    )


def _same_names(look: DeliveryLook) -> Iterator[Finding]:
    order = look.order
    if any(part in order.pattern for part in _TOLD_APART):
        return
    better = replace(order, pattern=f"{order.pattern}-{{counter:03}}")
    yield Check(
        id="deliver.same_names",
        station=STATION,
        claim="Several pictures would get the same name",
        order=better,
        fix_label=f"Name them {better.pattern}",
        certainty=0.9,
    )


CHECKS: tuple[tuple[tuple[str, ...], Callable[[DeliveryLook], Iterator[Finding]]], ...] = (
    (("delivery",), _paper_range), (("delivery",), _gamut), ((), _coarse), ((), _few_px), (("blur_after",), _soft),
    ((), _made_softer), ((), _same_names),
)  # fmt: skip
"""And the readings that each needs."""
