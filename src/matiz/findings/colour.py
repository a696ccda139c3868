"""Findings about colours: what the delivery cannot hold, hues that are stronger than anything has, skin that is red or
uneven, a cast on an animal that is white or grey."""

from collections.abc import Iterator

from ..measure.colour.colour import SECTORS, Hue
from ..measure.picture import PictureReading
from ..recipe.colour import Peg
from ..recipe.model import Recipe
from ..recipe.places import Colour, Place, Reach
from ..recipe.tree import Rows
from ..wording import counted, number, percent
from .mend import unsettled
from .model import Finding, box, needs

LEAST_OUT, LEAST_OUT_dE = 0.004, 2.0
"""Of the picture outside of the delivery's space, and by how much on the mean: less is a lamp or a petal."""
LEAST_SHARE, LOUD_C, LOUD_OVER, GROWN = 0.01, 60.0, 1.5, 1.25
"""Of the picture in a hue; C*ab that one in fifty of it exceeds; times as much as any hue of the picture had before,
and as this one had. Common practice, no source: few things in daylight are stronger."""
QUIET_C = 0.75
"""What such a hue keeps of its chroma."""
UNEVEN_DEG, UNEVEN_C, RED_DEG = 6.0, 5.0, 14.0
"""Spread of hue and of chroma, and by how much its reddest tenth is redder: more is seen. By eye, no source."""
EVENNESS = 50.0
"""About half is enough; more looks like plastic. Common practice, no source."""
MOST_ON_SKIN = 30
"""More of them are what the skin is like."""
NAMES = ("red", "orange", "amber", "yellow-green", "green", "sea-green", "cyan", "azure", "blue", "violet", "purple",
         "pink")  # fmt: skip
"""Of Oklab's hues by 30 degrees from 0."""


CAST_PLACE, GREEN_TO = "Without the cast", 190.0
"""What the place is called that takes a cast away, and the CIELAB hue up to which one is green."""
FAR_MIRED, EACH_SHARE = 120.0, 0.3
"""Apart, and of the exposure each: two lights that no one balance reconciles."""


def hue_name(hue_deg: float) -> str:
    """A word for a hue of Oklab."""
    return NAMES[int(hue_deg % 360.0 / (360.0 / SECTORS))]


@needs("colour")
def out_of_gamut(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Colours that sRGB cannot hold, by more than is lost without being seen."""
    found = reading.colour.out_of_gamut
    if found.share < LEAST_OUT or found.mean_dE < LEAST_OUT_dE or recipe.colour.black_and_white == "on":
        return
    keep = round(min(max(1.0 / found.excess, 0.6), 0.95), 2)
    peg = Peg(at_deg=round(found.hue_deg, 1), reach_deg=40.0, chroma=keep)
    yield Finding(
        id="colour.out_of_gamut",
        station="colour",
        claim=f"{percent(found.share, 1)} of the picture, most of it {hue_name(found.hue_deg)}, is outside sRGB: "
        f"it will be compressed by ΔE {number(found.mean_dE, 1)}, hue shifted by {number(found.turn_deg, 1, '°')}",
        evidence={
            "share_%": round(100.0 * found.share, 2),
            "mean_dE": round(found.mean_dE, 2),
            "turn_deg": round(found.turn_deg, 2),
            "hue_deg": round(found.hue_deg, 1),
        },
        outlines=found.spots,
        adds=(("colour.pegs", peg),),
        fix_label=f"Lower the chroma of {hue_name(found.hue_deg)} to {number(100.0 * keep, 0, '%')}",
        certainty=0.8,
    )


@needs("colour", "colour_before")
def over_saturated(reading: PictureReading, _: Recipe) -> Iterator[Finding]:
    """A hue far stronger than anything in the picture was, made so by what was decided here: the strongest of them."""
    hues, before = reading.colour.hues, reading.colour_before.hues
    own = max((was.strongest for was in before if was.share > LEAST_SHARE), default=0.0)
    # what is strong by itself is the picture's own affair
    loud = [
        (hue.strongest, n)
        for n, (hue, was) in enumerate(zip(hues, before, strict=True))
        if hue.share > LEAST_SHARE
        and hue.strongest > max(LOUD_C, LOUD_OVER * own)
        and hue.strongest > GROWN * max(was.strongest, 1.0)
    ]
    if loud:
        n = max(loud)[1]
        yield _too_strong(n, hues[n], before[n])


def _too_strong(n: int, hue: Hue, was: Hue) -> Finding:
    middle = (n + 0.5) * 360.0 / SECTORS
    keep = round(max(1.15 * was.strongest / hue.strongest, 0.5), 2) if was.strongest else QUIET_C
    return Finding(
        id="colour.over_saturated",
        station="colour",
        claim=f"The {hue_name(middle)}s stand out: chroma {number(hue.strongest, 0)}, before "
        f"{number(was.strongest, 0)}, on {percent(hue.share, 1)} of the picture",
        evidence={"chroma": round(hue.strongest, 1), "before": round(was.strongest, 1),
                  "share_%": round(100.0 * hue.share, 2)},
        adds=(("colour.pegs", Peg(at_deg=middle, reach_deg=45.0, chroma=keep)),),
        fix_label=f"Lower the chroma of {hue_name(middle)} to {number(100.0 * keep, 0, '%')}",
        subject=hue_name(middle),
        certainty=0.6,
    )  # fmt: skip


@needs("skin")
def uneven_skin(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Skin that was picked is uneven, or red in parts."""
    skin, evenness = reading.skin, recipe.colour.skin.evenness_percent
    if skin is None or evenness >= EVENNESS:
        return
    is_red = skin.redness_deg > RED_DEG
    if skin.hue_spread_deg < UNEVEN_DEG and skin.chroma_spread < UNEVEN_C and not is_red:
        return
    what = (
        f"Part of the skin is {number(skin.redness_deg, 0, '°')} redder than the rest"
        if is_red
        else f"Skin is uneven: hue ±{number(skin.hue_spread_deg, 1, '°')}, chroma ±{number(skin.chroma_spread, 1)}"
    )
    yield Finding(
        id="colour.skin",
        station="colour",
        claim=what,
        evidence={
            "hue_spread_deg": round(skin.hue_spread_deg, 2),
            "chroma_spread": round(skin.chroma_spread, 2),
            "redness_deg": round(skin.redness_deg, 2),
        },
        fix=(("colour.skin.evenness_percent", EVENNESS),),
        fix_label=f"Even it out by {number(EVENNESS, 0, '%')}",
        certainty=0.4,
    )


@needs("blemishes", "blemishes_at")
def spots_on_skin(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Spots on faces that nobody healed or said to leave."""
    left = unsettled(reading.blemishes, reading.blemishes_at, recipe)
    if not left or len(left) > MOST_ON_SKIN:
        return
    faces = len({spot.face for spot, _, _ in left})
    yield Finding(
        id="colour.spots_on_skin",
        station="colour",
        claim=f"{counted(len(left), 'small spot')} on the skin of {counted(faces, 'face')}: the clearest differs by "
        f"ΔE {number(max(spot.dE for spot, _, _ in left), 0)}",
        evidence={"spots": len(left), "faces": faces, "strongest_dE": round(max(spot.dE for spot, _, _ in left), 1)},
        outlines=tuple(outline for _, _, outline in left),
        adds=tuple(("mend.repairs", heal) for _, heal, _ in left),
        fix_label=f"Heal {'it' if len(left) == 1 else 'them'}",
        then="Moles and scars belong to the person: the page Skin steps through the spots one by one.",
        certainty=min(spot.certainty for spot, _, _ in left),
    )


@needs("mismatch")
def two_hues(reading: PictureReading, _: Recipe) -> Iterator[Finding]:
    """A smooth area, such as a sky, of which a part has another hue than the rest."""
    if reading.mismatch is None:
        return
    found, match = reading.mismatch
    yield Finding(
        id="colour.two_hues",
        station="colour",
        claim=f"One smooth area in two hues: a part of it, {percent(found.share, 0)} of the picture, is off by "
        f"{number(abs(found.dh), 1, '°')} of hue (ΔE {number(found.dE00, 1)})",
        evidence={
            "dh_deg": round(found.dh, 2),
            "dE00": round(found.dE00, 2),
            "after_dE00": round(match.after.dE00, 2),
            "share_%": round(100.0 * found.share, 1),
        },
        outlines=(box(found.part), box(found.rest)),
        adds=tuple(("places", place) for place in match.places),
        fix_label="Bring the part to the hue of the rest, at its own lightness",
        then="Look along the border between them at 1:1",
        certainty=found.certainty,
    )


@needs("light")
def better_grey(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Two lights far apart, each with much of the exposure: if no balance will do, black and white is an answer."""
    lights = reading.light.lights
    if len(lights.found) < 2 or recipe.colour.black_and_white == "on" or lights.apart_mired < FAR_MIRED:
        return
    lesser = lights.found[1]
    if lesser.share < EACH_SHARE or any(isinstance(place, Place) for place in recipe.places.values()):
        return
    yield Finding(
        id="colour.better_grey",
        station="colour",
        claim=f"Two lights {number(lights.apart_mired, 0, 'mired')} apart share the picture, "
        f"{percent(lesser.share, 0)} for the weaker: if no balance works, consider black and white",
        evidence={"apart_mired": round(lights.apart_mired, 1), "second_share_%": round(100.0 * lesser.share, 1)},
        fix=(("colour.black_and_white", "on"), ("colour.filter", "green")),
        fix_label="Black and white with a green filter",
        then="Try the fixes in Light first.",
        certainty=0.3,
    )


@needs("cast", "full_size")
def cast_on_subject(reading: PictureReading, recipe: Recipe) -> Iterator[Finding]:
    """Green or blue that the surroundings throw onto a subject that is white or grey."""
    cast = reading.cast
    if (
        cast is None
        or recipe.colour.black_and_white == "on"
        or any(isinstance(place, Place) and place.name == CAST_PLACE for place in recipe.places.values())
    ):
        return
    x, y, w, h = cast.box
    long_side = max(reading.full_size)
    colour = Colour(picks=cast.picks, hue_deg=35.0, chroma=14.0, lightness=60.0)
    far = round(min(max(0.6 * max(w, h) / long_side, 0.01), 2.0), 3)
    near = Reach(join="intersect", picks=cast.picks, distance=far,
                 difference=40.0)  # fmt: skip
    what = "green" if cast.hue_deg < GREEN_TO else "blue"
    yield Finding(
        id="colour.cast",
        station="colour",
        claim=f"The subject is white or grey, and {percent(cast.share, 0)} of it is {what} (chroma "
        f"{number(cast.chroma, 0)}): perhaps light reflected from its surroundings",
        evidence={"hue_deg": round(cast.hue_deg, 1), "chroma": round(cast.chroma, 1),
                  "share_%": round(100.0 * cast.share, 1)},
        outlines=(((x, y), (x + w, y), (x + w, y + h), (x, y + h)),),
        adds=(("places", Place(name=CAST_PLACE, mask=Rows([("m1", colour), ("m2", near)]), chroma_percent=-70.0)),),
        fix_label="Remove 70 % of that colour there",
        then="The place's strength sets how much of it stays.",
        certainty=cast.certainty,
    )  # fmt: skip
