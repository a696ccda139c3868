"""Readings on real photographs: figures of what is claimed against what is known.

The photographs are those that are there (see photographs.py). What was learned is tested on photographs and scenes
that it was not learned from. A photograph's own balance is a matter of taste: "changes" are between its casts.
"""

from collections.abc import Sequence

import numpy as np

from matiz.colour.types import Array
from matiz.measure.evidence import NEAR_MIRED, Estimate
from matiz.measure.lights import LEAST_CERTAINTY

from .learning import (
    RIGHT_MAP,
    Seen,
    Tried,
    camera_choice,
    certainty,
    half,
    left_out_lights,
    left_out_pairs,
    seen,
    tried,
)  # fmt: skip
from .photographs import PLAIN, photographs

EACH = 4
SURE = 0.7


def run() -> dict[str, float]:
    return {"photographs": float(len(photographs())), **_lights()}


def _lights() -> dict[str, float]:
    pictures = seen(EACH)
    weights = left_out_lights(pictures)
    pairs = tried(EACH, weights)
    learned = left_out_pairs([one for one in pairs if one.signs])
    sure = np.array([certainty(one, learned[half(one.of)]) if one.signs else 0.0 for one in pairs])
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
    out = {"one light said to be two, share": float((sure[single] > LEAST_CERTAINTY).mean())}
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
