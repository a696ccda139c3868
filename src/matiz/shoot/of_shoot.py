"""What a careful colleague would say of a whole shoot: which frame of a burst is sharpest, what was taken twice, where
a grey card lies, whether a bracket has a gap, how the light went."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ..colour.types import Array
from ..findings.model import Finding
from ..measure.sort.look import likeness
from ..measure.table.values import LightValue
from ..recipe.change import Settings
from ..wording import counted, number, percent
from .one_light import OneLight, PictureFacts, middle
from .sets import Proposed, time_of

SHARPER = 0.85
"""Of the next frame's edge spread: what is sharper by less is left to the eye."""
TWICE_S, TWICE = 60.0, 0.9
"""Between two pictures, and how alike they look, for them to be taken for the same one. Tried on four photographs whose
cuts lie 1 to 10 % apart: up to 5 % all are over 0.84, at 10 % none is over 0.8; other views of one place under 0.65."""
UNEVEN = 1.6
"""Widest step of a bracket over its narrowest, from which on it has a gap."""
DRIFT_MIRED, ORDERED = 25.0, 0.7
"""From one end of a drift of the light to the other, and how well what is measured keeps to one way (Kendall 1938)."""
LEAST_DRIFT = 5
"""Pictures that tell it."""
WANDER_MIRED, STEADIER = 20.0, 0.6
"""By how much balances differ in one light, and how much less the light itself does."""
SURE_CARD, NEAR_CARD_MIRED = 0.7, 120.0
"""And how far its light may lie from what is measured of the pictures round it: a plain wall is no card."""
SCATTERS = 2.5
"""How many times the scatter about it a drift must go: what is measured of a light hangs on what is in the picture."""
DRIFT_SURE = 0.5
"""Certainty of a drift that keeps to one way throughout, for the same reason."""
LEAST_NIGHT, MOST_MARKED = 4, 1.0 / 3.0
"""Frames of a night that say what it is like, and the share of them that may have a streak."""


@dataclass(frozen=True)
class OfShoot(Finding):
    """A finding about several pictures; its fix goes to some of them."""

    pictures: tuple[Path, ...] = ()
    """What it is about."""
    sorts: tuple[tuple[Path, str], ...] = ()
    """How its fix sorts pictures."""
    gives: tuple[tuple[Path, Settings], ...] = ()
    """What its fix decides, by picture."""
    merges: tuple[Path, ...] = ()
    """What its fix merges."""

    @property
    def is_somewhere(self) -> bool:
        return bool(self.pictures)

    @property
    def has_fix(self) -> bool:
        return bool(self.sorts or self.gives or self.merges)


def found(
    pictures: Iterable[PictureFacts], sets: Iterable[Proposed], lights: Iterable[OneLight], merged: Iterable[Path] = ()
) -> list[OfShoot]:
    """Everything, the surest first. merged: pictures that are already part of a merge."""
    known = {each.path: each for each in pictures}
    all_sets, done = list(sets), set(merged)
    in_set = {path for own in all_sets for path in own.pictures}
    out: list[OfShoot] = []
    for own in all_sets:
        if own.kind == "burst":
            out += _sharpest(own, known)
        if own.kind == "bracket" and not done.intersection(own.pictures):
            out += _bracket(own)
    out += _twice([each for each in known.values() if each.path not in in_set])
    for light in lights:
        out += _card(light, known)
        out += _drifting(light, known)
        out += _wandering(light, known)
        out += _streaks(light, known)
    return sorted(out, key=lambda finding: -finding.certainty)


def _sharpest(burst: Proposed, known: Mapping[Path, PictureFacts]) -> Iterator[OfShoot]:
    told = [(each.brief.edges_px, path) for path in burst.pictures
            if (each := known.get(path)) and each.brief and each.brief.edges_px]  # fmt: skip
    if len(told) < 2 or any(known[path].sorted_as for path in burst.pictures if path in known):
        return
    (best, path), (after, _) = sorted(told)[:2]
    assert best is not None and after is not None
    if best <= SHARPER * after:
        yield OfShoot(
            id="sort.sharpest",
            station="sort",
            claim=f"{path.stem} is the sharpest of {len(burst.pictures)}: edges {number(best, 1, 'px')}, "
            f"next {number(after, 1, 'px')}",
            evidence={"edges_px": best, "next_px": after},
            fix_label="Mark it keep and the others hold",
            then="Edges anywhere in the picture count: for a better answer, pick what must be sharp.",
            subject=path.name,
            certainty=0.5,
            pictures=burst.pictures,
            sorts=tuple((each, "keep" if each == path else "hold") for each in burst.pictures),
        )


def _bracket(bracket: Proposed) -> Iterator[OfShoot]:
    steps = np.diff(np.sort(bracket.steps_EV))
    if len(steps) and steps.max() > UNEVEN * steps.min():
        low = float(np.sort(bracket.steps_EV)[int(steps.argmax())])
        between = f"{number(low, 1, signed=True)} and {number(low + float(steps.max()), 1, signed=True)} EV"
        yield OfShoot(
            id="sort.bracket_gap",
            station="sort",
            claim=f"The bracket from {bracket.pictures[0].stem} on has a gap between {between}",
            evidence={"widest_EV": round(float(steps.max()), 2), "narrowest_EV": round(float(steps.min()), 2)},
            subject=bracket.pictures[0].name,
            certainty=0.9,
            pictures=bracket.pictures,
        )
        return
    yield OfShoot(
        id="sort.bracket",
        station="sort",
        claim=f"{bracket.pictures[0].stem} and the next {len(bracket.pictures) - 1} form a complete {bracket.name}",
        evidence={"steps_EV": round(float(steps.mean()), 2)} if len(steps) else {},
        fix_label="Merge it into one frame",
        subject=bracket.pictures[0].name,
        certainty=0.8,
        pictures=bracket.pictures,
        merges=bracket.pictures,
    )


def _twice(pictures: Sequence[PictureFacts]) -> Iterator[OfShoot]:
    """Pictures that follow each other closely and look the same, and belong to no set."""
    timed = [(time, each) for each in pictures if (time := time_of(each.exposure.time_utc or "")) is not None]
    timed.sort(key=lambda one: (one[0], one[1].path.name))
    row: list[PictureFacts] = []
    for n, (time, each) in enumerate(timed):
        is_again = bool(row) and (time - timed[n - 1][0]).total_seconds() <= TWICE_S and _are_alike(row[-1], each)
        if not is_again:
            yield from _as_twice(row)
            row = []
        row.append(each)
    yield from _as_twice(row)


def _are_alike(one: PictureFacts, other: PictureFacts) -> bool:
    if one.brief is None or other.brief is None or not (one.brief.look and other.brief.look):
        return False
    return likeness(one.brief.look, other.brief.look) >= TWICE


def _as_twice(row: list[PictureFacts]) -> Iterator[OfShoot]:
    if len(row) < 2 or any(each.sorted_as for each in row):
        return
    spreads = {each.path: each.brief.edges_px for each in row if each.brief and each.brief.edges_px}
    first = row[0].path
    # one that tells no edges surely is no worse for it
    best = min(spreads, key=lambda path: spreads[path]) if len(spreads) == len(row) else None
    paths = tuple(each.path for each in row)
    yield OfShoot(
        id="sort.twice",
        station="sort",
        claim=f"{first.stem} was taken {len(row)} times" if len(row) > 2
        else f"{first.stem} and {paths[1].stem} are nearly the same",
        evidence={f"{path.stem} edges_px": round(float(spread), 1) for path, spread in spreads.items() if spread},
        fix_label=f"Mark {best.stem}, the sharper, keep and the rest hold" if best is not None else "",
        subject=first.name,
        certainty=0.6,
        pictures=paths,
        sorts=tuple((path, "keep" if path == best else "hold") for path in paths) if best is not None else (),
    )  # fmt: skip


def _card(light: OneLight, known: Mapping[Path, PictureFacts]) -> Iterator[OfShoot]:
    cards = [(card.certainty, path) for path in light.pictures if (card := _card_of(known[path])) is not None]
    if not cards:
        return
    _, path = max(cards, key=lambda one: one[0])
    card = _card_of(known[path])
    assert card is not None
    wanted = _manual(card)
    if abs(card.mired - light.mired) > NEAR_CARD_MIRED:
        return
    balanced = [known[each].balance for each in light.pictures]
    if all(own is not None and _is_near(own, card) for own in balanced):
        return
    yield OfShoot(
        id="sort.card",
        station="sort",
        claim=f"{path.stem} shows a grey card: its light is {number(round(card.cct_K, -1), 0, 'K')}",
        evidence={"card_K": round(card.cct_K), "card_duv": round(card.duv, 4)},
        fix_label=f"Balance {counted(len(light.pictures), 'picture')} for it",
        subject=path.name,
        certainty=card.certainty,
        pictures=light.pictures,
        gives=tuple((each, wanted) for each in light.pictures),
    )


def _drifting(light: OneLight, known: Mapping[Path, PictureFacts]) -> Iterator[OfShoot]:
    """The light goes one way, and the balance does not follow."""
    trend = light.trend_mired()
    told = np.isfinite(light.measured_mired)
    if trend is None or told.sum() < LEAST_DRIFT or abs(trend[-1] - trend[0]) < DRIFT_MIRED:
        return
    scatter = float(np.std(light.measured_mired[told] - trend[told]))
    ordered = abs(_kendall(light.measured_mired[told]))
    if ordered < ORDERED or abs(trend[-1] - trend[0]) < SCATTERS * scatter:
        return
    balance = light.balance_mired
    cast = balance - trend
    if not np.isfinite(cast).all() or abs(cast[-1] - cast[0]) < 0.6 * abs(trend[-1] - trend[0]):
        return
    wanted = trend + middle(cast)
    yield OfShoot(
        id="sort.drift",
        station="sort",
        claim=f"The measured light changes from {_kelvin(trend[0])} to {_kelvin(trend[-1])} through "
        f"{counted(len(light.pictures), 'picture')}, and the balance does not follow",
        evidence={"drift_mired": round(float(trend[-1] - trend[0]))},
        fix_label="Make each balance follow it",
        subject=light.pictures[0].name,
        certainty=round(DRIFT_SURE * ordered, 2),
        pictures=light.pictures,
        gives=_balanced(light, known, wanted),
    )


def _wandering(light: OneLight, known: Mapping[Path, PictureFacts]) -> Iterator[OfShoot]:
    """The balance differs from picture to picture while the light stays."""
    balance, told = light.balance_mired, np.isfinite(light.measured_mired)
    if len(balance) < LEAST_DRIFT or not np.isfinite(balance).all() or told.sum() < LEAST_DRIFT:
        return
    spread = _spread(balance)
    if spread < WANDER_MIRED or _spread(light.measured_mired[told]) > STEADIER * spread:
        return
    yield OfShoot(
        id="sort.wander",
        station="sort",
        claim=f"Balances differ by {number(spread, 0, 'mired')} in {counted(len(balance), 'picture')} of one light",
        evidence={"balance_mired": round(spread), "light_mired": round(_spread(light.measured_mired[told]))},
        fix_label=f"Balance all for {_kelvin(middle(balance))}",
        subject=light.pictures[0].name,
        certainty=0.7,
        pictures=light.pictures,
        gives=_balanced(light, known, np.full(len(balance), middle(balance))),
    )


def _streaks(light: OneLight, known: Mapping[Path, PictureFacts]) -> Iterator[OfShoot]:
    """Frames of a night through which something flew, unlike most of the others."""
    told = [(each.brief.streak, path) for path in light.pictures
            if (each := known[path]).brief is not None and each.brief.streak is not None]  # fmt: skip
    marked = [(share, path) for share, path in told if share]
    if len(told) < LEAST_NIGHT or not marked or len(marked) > MOST_MARKED * len(told):
        return
    for share, path in marked:
        if known[path].sorted_as:
            continue
        yield OfShoot(
            id="sort.streak",
            station="sort",
            claim=f"A straight streak crosses {percent(share, 0)} of {path.stem}; "
            f"{len(told) - len(marked)} others of that night have none",
            evidence={"length_%": round(100.0 * share)},
            fix_label="Mark it hold",
            then="Merging the series to a mean removes what is in one frame only.",
            subject=path.name,
            certainty=0.7,
            pictures=(path,),
            sorts=((path, "hold"),),
        )


def _balanced(
    light: OneLight, known: Mapping[Path, PictureFacts], wanted_mired: Array
) -> tuple[tuple[Path, Settings], ...]:
    out = []
    for path, value in zip(light.pictures, wanted_mired, strict=True):
        own = known[path].balance
        assert own is not None
        out.append((path, _manual(replace(own, cct_K=1e6 / float(value)))))
    return tuple(out)


def _manual(light: LightValue) -> Settings:
    return (
        ("light.source", "manual"),
        ("light.cct_K", float(min(max(round(light.cct_K), 1500), 25_000))),
        ("light.duv", float(min(max(round(light.duv, 4), -0.03), 0.03))),
    )


def _card_of(each: PictureFacts) -> LightValue | None:
    card = None if each.brief is None else each.brief.card
    return card if card is not None and card.certainty >= SURE_CARD else None


def _is_near(one: LightValue, other: LightValue) -> bool:
    return abs(one.mired - other.mired) < 3.0 and abs(one.duv - other.duv) < 0.001


def _spread(values: Array) -> float:
    """Between the tenth and the ninth of ten."""
    return float(np.subtract(*np.quantile(values, (0.9, 0.1))))


def _kendall(values: Array) -> float:
    """How far values rise, 1, or fall, -1, from one to the next."""
    ways = np.sign(values[None] - values[:, None])[np.triu_indices(len(values), 1)]
    return float(ways.mean())


def _kelvin(of_mired: float) -> str:
    return number(round(1e6 / float(of_mired), -1), 0, "K")
