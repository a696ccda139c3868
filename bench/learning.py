"""Learning what speaks for a light, and for two, from pictures under known lights; and testing it on others.

Pictures are in two halves by the photograph or scene they are of. What is learned on one half is tested on the other,
so no figure here is of a photograph that was learned from.
"""

import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Any

import cv2
import numpy as np
from scipy.optimize import minimize

from matiz.colour.types import Array
from matiz.measure.light.evidence import CUES, Evidence, gather
from matiz.measure.light.lights import KnownLight, Pair, divided, parted
from matiz.measure.table.values import LightValue

from .casts import Cast, Make, ones, twos
from .photographs import PLAIN, photographs

TARGET_MIRED, TARGET_DUV = 10.0, 0.003
"""How far beside the true light a candidate still counts as right in learning, as standard deviations."""
RESTRAINT, PAIR_RESTRAINT = 2.0, 3.0
"""Of weights: their squares cost this much against all pictures."""
RIGHT_SHARE, RIGHT_MAP = 0.10, 0.85
"""Two lights are right when both are within the one and the map of the other part of the pixels is."""
CAMERA_MIRED = 40.0
"""How far the camera's own choice is off in tests, as a standard deviation."""
WORKERS = 2


@dataclass(frozen=True, eq=False)
class Seen:
    """One picture under one light: the cues of all candidates, and where the truth lies among them."""

    of: str
    mired: float
    duv: float
    evidence: Evidence
    """Its candidates only."""
    cues: Array
    others: dict[str, float]
    """Mired by grey world, white patch and grey edge."""

    @property
    def target(self) -> Array:
        candidates = self.evidence.candidates
        off = ((candidates.mired - self.mired) / TARGET_MIRED) ** 2 + ((candidates.duv - self.duv) / TARGET_DUV) ** 2
        near = np.exp(-0.5 * off)
        return near / near.sum()


@dataclass(frozen=True, eq=False)
class Tried:
    """One picture as a pair of lights, and how right that is."""

    of: str
    kind: str
    signs: dict[str, float]
    warm_off: float
    cool_off: float
    """Relative, of the temperature in K."""
    map_right: float
    known_right: float = 0.0
    """Share of the pixels that the map has right as soon as a grey place of each light is named."""

    @property
    def is_right(self) -> bool:
        return self.kind != "one" and self.lights_right and self.map_right >= RIGHT_MAP

    @property
    def lights_right(self) -> bool:
        return max(self.warm_off, self.cool_off) < RIGHT_SHARE


def half(of: str) -> int:
    return zlib.crc32(of.encode()) & 1


def seen(each: int) -> list[Seen]:
    """All pictures under one light."""
    return [one for one in _over(_seen, (make for _, make in ones(each))) if one is not None]


def tried(each: int, weights: Sequence[Array]) -> list[Tried]:
    """All pictures, under one light and two, taken as two. weights: of cues, by the half that is tested."""
    casts = ((make, weights[half(of)]) for some in (ones(each), twos(each)) for of, make in some)
    return list(_over(_tried, casts))


def light_weights(pictures: Sequence[Seen]) -> Array:
    """(len(CUES),) that make the true lights most probable (conditional logit, a convex problem)."""
    spread = np.std(np.concatenate([one.cues[::7] for one in pictures]), axis=0) + 1e-6
    data = [(one.cues / spread, one.target) for one in pictures]

    def loss(weights: Array) -> tuple[float, Array]:
        total, slope = 0.5 * RESTRAINT * float(weights @ weights), RESTRAINT * weights
        for cues, target in data:
            score = cues @ weights
            odds = np.exp(score - score.max())
            total -= float(target @ (score - score.max())) - float(np.log(odds.sum()))
            slope = slope + cues.T @ (odds / odds.sum() - target)
        return total / len(data), slope / len(data)

    found = minimize(loss, np.zeros(len(CUES)), jac=True, method="L-BFGS-B", options={"maxiter": 150})
    return np.asarray(found.x / spread)


def pair_weights(pictures: Sequence[Tried]) -> dict[str, float]:
    """Of the signs, and their offset, by logistic regression on whether a pair is right."""
    names = list(pictures[0].signs)
    signs = np.array([[one.signs[name] for name in names] for one in pictures])
    right = np.array([one.is_right for one in pictures], np.float64)
    middle, spread = signs.mean(axis=0), signs.std(axis=0) + 1e-6
    terms = np.concatenate([(signs - middle) / spread, np.ones((len(signs), 1))], axis=1)

    def loss(weights: Array) -> tuple[float, Array]:
        score = terms @ weights
        held = weights * np.append(np.ones(len(names)), 0.0)
        total = np.logaddexp(0.0, score).sum() - right @ score + 0.5 * PAIR_RESTRAINT * held @ held
        return float(total), terms.T @ (1.0 / (1.0 + np.exp(-score)) - right) + PAIR_RESTRAINT * held

    found = minimize(loss, np.zeros(len(names) + 1), jac=True, method="L-BFGS-B", options={"maxiter": 300}).x
    weights = found[:-1] / spread
    return {**dict(zip(names, map(float, weights), strict=True)), "offset": float(found[-1] - weights @ middle)}


def taught(pictures: Sequence[Seen]) -> list[Seen]:
    """Those to learn from: scenes, and photographs whose greys are grey. Others are toned by taste, mostly warm."""
    toned = {photograph.sha256 for photograph in photographs() if photograph.kind != PLAIN}
    return [one for one in pictures if one.of not in toned]


def left_out_lights(pictures: Sequence[Seen]) -> list[Array]:
    """Weights by the half that they are tested on."""
    return [light_weights([one for one in taught(pictures) if half(one.of) != tested]) for tested in (0, 1)]


def left_out_pairs(pictures: Sequence[Tried]) -> list[dict[str, float]]:
    return [pair_weights([one for one in pictures if half(one.of) != tested]) for tested in (0, 1)]


def _over(work: Callable[[Any], Any], items: Iterable[Any]) -> Iterator[Any]:
    with get_context("spawn").Pool(WORKERS, initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        yield from pool.imap(work, items, chunksize=4)


def _seen(make: Make) -> Seen | None:
    cast = make()
    evidence = gather(cast.colour, cast.camera)
    if evidence is None:
        return None
    cues = evidence.cues(np.ones(evidence.rows * evidence.columns))
    bare = Evidence(evidence.candidates, (), evidence.rows, evidence.columns)
    return Seen(cast.of, cast.mired[0], cast.duv, bare, cues, _others(evidence, cast))


def _tried(item: tuple[Make, Array]) -> Tried:
    make, weights = item
    cast = make()
    evidence, split = gather(cast.colour, cast.camera), divided(cast.colour, cast.camera)
    if evidence is None or split is None:
        return Tried(cast.of, cast.kind, {}, 1.0, 1.0, 0.0)
    pair = Pair.measured(evidence, split, weights)
    if cast.warm_share is None:
        return Tried(cast.of, cast.kind, pair.signs, 1.0, 1.0, 0.0)
    right = map_right(split.share, cast.warm_share)
    warm_off, cool_off = (abs(true / e.mired - 1.0) for true, e in zip(cast.mired, (pair.warm, pair.cool), strict=True))
    known = parted(cast.colour, cast.camera, *named(cast))
    known_right = 0.0 if known is None else map_right(known, cast.warm_share)
    return Tried(cast.of, cast.kind, pair.signs, warm_off, cool_off, right, known_right)


def map_right(found: Array, truth: Array) -> float:
    """Share of the pixels (height, width) of `truth` in which the same of two lights gives the more."""
    found = cv2.resize(found, truth.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return float(((found > 0.5) == (truth > 0.5)).mean())


def named(cast: Cast) -> tuple[KnownLight, KnownLight]:
    """The warm and the cool light as a hand would name them: where each gives most, a little inside the border."""
    assert cast.warm_share is not None
    share = cv2.GaussianBlur(cast.warm_share.astype(np.float32), (0, 0), 0.05 * max(cast.warm_share.shape))
    down, across = (n // 10 for n in share.shape)
    inner = share[down:-down, across:-across]
    lights = []
    for mired, at in zip(cast.mired, (inner.argmax(), inner.argmin()), strict=True):
        y, x = np.unravel_index(int(at), inner.shape)
        place = (float(x + across) / share.shape[1], float(y + down) / share.shape[0])
        lights.append(KnownLight(LightValue(1e6 / mired, 0.0), place))
    return lights[0], lights[1]


def _others(evidence: Evidence, cast: Cast) -> dict[str, float]:
    """The methods of the literature, without the prior of likely lights: the nearest candidate's mired."""
    flat = cast.camera.reshape(-1, 3).astype(np.float64)
    usable = (flat.max(axis=1) < 0.95) & (flat.min(axis=1) > 0.003)
    smooth = cv2.GaussianBlur(cast.camera, (0, 0), 2.0)
    edges = sum(np.abs(cv2.Sobel(smooth, cv2.CV_32F, *way)).reshape(-1, 3)[usable] for way in ((1, 0), (0, 1)))
    whites = {
        "grey world": flat[usable].mean(axis=0),
        "white patch": np.quantile(flat[usable], 0.99, axis=0),
        "grey edge": np.asarray(edges).mean(axis=0),
    }
    out = {}
    for name, white in whites.items():
        logs = np.log2(np.maximum(white[[0, 2]], 1e-9) / max(white[1], 1e-9))
        nearest = int(np.argmin(((evidence.candidates.logs - logs) ** 2).sum(axis=1)))
        out[name] = float(evidence.candidates.mired[nearest])
    return out


def camera_choice(one: Seen, rng: np.random.Generator) -> LightValue:
    """A camera's own choice, off as cameras are."""
    return LightValue(1e6 / float(np.clip(one.mired + rng.normal(0.0, CAMERA_MIRED), 60.0, 560.0)), 0.0, 1.0)
