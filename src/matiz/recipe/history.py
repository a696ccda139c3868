"""Undo and redo as a value: a list of changes and how many of them are in force."""

from dataclasses import dataclass
from typing import Any

from ..errors import RecipeError
from .model import Change, Recipe


@dataclass(frozen=True)
class History:
    """Changes in order; those from `position` on are undone and can be redone."""

    changes: tuple[Change, ...] = ()
    position: int = 0

    def __post_init__(self) -> None:
        if not 0 <= self.position <= len(self.changes):
            raise RecipeError(f"history: position {self.position} of {len(self.changes)} changes")

    def push(self, change: Change) -> "History":
        """With one more change; what had been undone is forgotten. An empty change adds nothing."""
        if not change:
            return self
        return History((*self.changes[: self.position], change), self.position + 1)

    def undo(self, recipe: Recipe) -> tuple[Recipe, "History"]:
        """One step back, or the same when there is none."""
        if self.position == 0:
            return recipe, self
        return self.changes[self.position - 1].revert(recipe), History(self.changes, self.position - 1)

    def redo(self, recipe: Recipe) -> tuple[Recipe, "History"]:
        """One step forward, or the same when there is none."""
        if self.position == len(self.changes):
            return recipe, self
        return self.changes[self.position].apply(recipe), History(self.changes, self.position + 1)

    def to_json(self) -> dict[str, Any]:
        return {"position": self.position, "changes": [c.to_json() for c in self.changes]}

    @classmethod
    def from_json(cls, data: Any) -> "History":
        if not isinstance(data, dict) or not isinstance(data.get("changes"), list):
            raise RecipeError("history: expected an object with changes and position")
        return cls(tuple(map(Change.from_json, data["changes"])), int(data.get("position", 0)))
