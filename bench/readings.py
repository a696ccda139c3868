"""Readings on real photographs: figures of what is claimed against what is known.

The photographs are those that are there (see photographs.py). What was learned is tested on photographs and scenes
that it was not learned from. A photograph's own balance is a matter of taste: "changes" are between its casts.
"""

from collections.abc import Sequence

import numpy as np

from matiz.colour.types import Array
from matiz.measure.light.evidence import NEAR_MIRED, Estimate
from matiz.measure.light.lights import LEAST_CERTAINTY, believed

from .learning import (
    RIGHT_MAP,
    Seen,
    Tried,
    camera_choice,
    half,
    left_out_lights,
    left_out_pairs,
    seen,
    tried,
)  # fmt: skip
from .noise import zones_off_dB
from .photographs import GREY, PLAIN, photographs
from .rims import rim_L

EACH = 4
SURE = 0.7
HAZE = [("tone.haze_percent", 60.0)]


def run() -> dict[str, float]:
    return {"photographs": float(len(photographs())), **_rims(), **_noise(), **_lights()}


def _rims() -> dict[str, float]:
    """Of every second photograph with colours."""
    some = [each for each in photographs() if each.kind != GREY][::2]
    found = np.array([rim for rim in (rim_L(each, HAZE) for each in some) if rim is not None])
    return {
        "rims of haze taken away by 60 %, median of p95 in L*": float(np.median(found)),
        "rims of haze taken away by 60 %, nine in ten below, L*": float(np.quantile(found, 0.9)),
        "rims of haze taken away by 60 %, share of photographs over 1 L*": float((found > 1.0).mean()),
    }


def _noise() -> dict[str, float]:
    """Of every fourth photograph with colours, by sensors that differ from the common one by a third."""
    some = [each for each in photographs() if each.kind != GREY][::4]
    out: dict[str, float] = {}
    for iso in (100, 800, 6400):
        off = np.concatenate([zones_off_dB(each, iso, wells) for each in some for wells in (0.75, 1.35)])
        out |= {
            f"signal over noise within 2 dB at ISO {iso}, share of zones": float((np.abs(off) < 2.0).mean()),
            f"signal over noise off at ISO {iso}, median dB": float(np.median(off)),
        }
    return out


def _lights() -> dict[str, float]:
    pictures = seen(EACH)
    weights = left_out_lights(pictures)
    pairs = tried(EACH, weights)
    learned = left_out_pairs([one for one in pairs if one.signs])
    sure = np.array([believed(one.signs, learned[half(one.of)]) if one.signs else 0.0 for one in pairs])
    return {**_one(pictures, weights), **_literature(pictures), **_two(pairs, sure)}


def _one(pictures: Sequence[Seen], weights: Sequence[Array]) -> dict[str, float]:
    rng = np.random.default_rng(5)
    plain = {p.sha256 for p in photographs() if p.kind == PLAIN}
    true = np.array([one.mired for one in pictures])
    alone, helped = [], []
    for one in pictures:
        tested = weights[half(one.of)]
        alone.append(_estimate(one, tested, None))
        helped.append(_estimate(one, tested, rng))
    out = {}
    for name, found in (("", alone), (", with the camera's choice", helped)):
        off = np.array([each.mired for each in found]) - true
        changes = off - _own(pictures, off)
        certain = np.array([each.certainty for each in found])
        sure, neutral = certain > SURE, np.array([one.of in plain for one in pictures])
        out |= {
            f"light off, median mired{name}": float(np.median(np.abs(off))),
            f"light off where greys are grey, median mired{name}": float(np.median(np.abs(off[neutral]))),
            f"light's changes off, median mired{name}": float(np.median(np.abs(changes))),
            f"light sure, share{name}": float(sure.mean()),
            f"light's changes off when sure, median mired{name}": float(np.median(np.abs(changes[sure]))),
            f"light off over 25 mired when sure, share{name}": float((np.abs(off[sure]) > NEAR_MIRED).mean()),
            f"light's changes off over 25 mired when sure, share{name}": float(
                (np.abs(changes[sure]) > NEAR_MIRED).mean()
            ),
        }
    return out


def _estimate(one: Seen, weights: Array, rng: np.random.Generator | None) -> Estimate:
    score = one.cues @ weights
    if rng is not None:
        score = score + one.evidence.camera_score(camera_choice(one, rng))
    odds = np.exp(score - score.max())
    return one.evidence.estimate(odds / odds.sum())


def _own(pictures: Sequence[Seen], off: Array) -> Array:
    """Of every picture, how far those of its photograph or scene are off in the median."""
    of = np.array([one.of for one in pictures])
    return np.array([np.median(off[of == each]) for each in of])


def _literature(pictures: Sequence[Seen]) -> dict[str, float]:
    out = {}
    for name in pictures[0].others:
        off = np.array([one.others[name] - one.mired for one in pictures])
        out[f"by {name}: light off, median mired"] = float(np.median(np.abs(off)))
        out[f"by {name}: light's changes off, median mired"] = float(np.median(np.abs(off - _own(pictures, off))))
    return out


def _two(pairs: Sequence[Tried], sure: Array) -> dict[str, float]:
    single = np.array([one.kind == "one" for one in pairs])
    lights = np.array([one.lights_right for one in pairs])
    maps = np.array([one.map_right for one in pairs])
    simple = np.array([one.kind in ("half", "soft", "room") for one in pairs])
    known = np.array([one.known_right for one in pairs])[~single]
    out = {
        "one light said to be two, share": float((sure[single] > LEAST_CERTAINTY).mean()),
        "pixels of the map right once both are named, mean share": float(known.mean()),
        f"map right for {RIGHT_MAP:.0%} of pixels once both are named, share": float((known > RIGHT_MAP).mean()),
    }
    for least in (LEAST_CERTAINTY, SURE):
        said = (sure > least) & ~single
        out |= {
            f"two lights said at over {least:g}, share of all pairs": float(said.sum() / (~single).sum()),
            f"of halves and rooms at over {least:g}, share": float((said & simple).sum() / simple.sum()),
            f"both lights within a tenth at over {least:g}, share": float(lights[said].mean()),
            f"map right for {RIGHT_MAP:.0%} of pixels at over {least:g}, share": float((maps[said] > RIGHT_MAP).mean()),
            f"pixels of the map right at over {least:g}, mean share": float(maps[said].mean()),
        }
    return out
