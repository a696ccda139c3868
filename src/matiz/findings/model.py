"""What a finding is, and what a judge is that finds it."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from ..develop.frame.tiles import Region
from ..measure.picture import PictureReading
from ..measure.table.values import Outline
from ..recipe.change import Settings
from ..recipe.mending import Fill
from ..recipe.model import Recipe
from ..recipe.paths import added
from ..recipe.tree import Section


@dataclass(frozen=True)
class Finding:
    """One claim about a picture."""

    id: str
    """What kind of claim it is, such as "tone.under_exposed"."""
    station: str
    claim: str
    """What, where and how much, in a sentence."""
    evidence: dict[str, float | str] = field(default_factory=dict)
    """Numbers by name, the unit in the name."""
    outlines: tuple[Outline, ...] = ()
    """Where; none for all of the picture."""
    fix: Settings | None = None
    """Recipe paths and values."""
    adds: tuple[tuple[str, Section], ...] = ()
    """Items that the fix puts into tables of the recipe: the table's path, and the item."""
    fix_label: str = ""
    """What the fix will do."""
    then: str = ""
    """What is worth doing once the fix is done."""
    subject: str = ""
    """What of its kind it is about, when there can be several: stable between readings of the same picture."""
    certainty: float = 1.0
    gain: float = 0.0
    """How much the fix changes the picture: mean ΔE00 times certainty."""

    @property
    def fills(self) -> bool:
        """Whether its fix fills an area, which takes a while."""
        return any(isinstance(item, Fill) for _, item in self.adds)

    @property
    def key(self) -> str:
        """Under which it can be silenced."""
        return f"{self.id}:{self.subject}" if self.subject else self.id

    @property
    def changes_picture(self) -> bool:
        """Whether its fix is one of the recipe."""
        return bool(self.fix or self.adds)

    @property
    def has_fix(self) -> bool:
        return self.changes_picture

    @property
    def is_somewhere(self) -> bool:
        """Whether what it is about can be shown."""
        return bool(self.outlines)

    @property
    def area(self) -> Region | None:
        """The upright rectangle round its outlines."""
        points = [point for outline in self.outlines for point in outline]
        if not points:
            return None
        (left, right), (top, bottom) = ((min(values), max(values)) for values in zip(*points, strict=True))
        return round(left), round(top), max(1, round(right - left)), max(1, round(bottom - top))

    def settings(self, recipe: Recipe) -> Settings:
        """What its fix sets in a recipe, items it adds included, as one step."""
        return (*(self.fix or ()), *added(recipe, self.adds))

    def to_json(self) -> dict[str, Any]:
        area = self.area
        return {
            "id": self.id,
            "station": self.station,
            "claim": self.claim,
            "evidence": self.evidence,
            "area": list(area) if area else None,
            "fix": [{"path": path, "value": value} for path, value in self.fix] if self.fix else None,
            "certainty": round(self.certainty, 3),
        } | ({"subject": self.subject} if self.subject else {})


def box(area: Region) -> Outline:
    """The outline of an area."""
    x, y, w, h = area
    return ((x, y), (x + w, y), (x + w, y + h), (x, y + h))


Judgement = Callable[[PictureReading, Recipe], Iterator[Finding]]


@dataclass(frozen=True)
class Judge:
    """A pure function from readings and recipe to findings, and the readings that it needs."""

    needs: tuple[str, ...]
    judge: Judgement

    def __call__(self, reading: PictureReading, recipe: Recipe) -> list[Finding]:
        return list(self.judge(reading, recipe))


def needs(*names: str) -> Callable[[Judgement], Judge]:
    """Declare which readings a judge needs: it is asked as soon as they are there."""
    return lambda judge: Judge(names, judge)
