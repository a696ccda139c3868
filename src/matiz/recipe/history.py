"""Undo and redo as a value: a list of changes and how many of them are in force."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..errors import RecipeError
from .change import Change
from .model import Recipe


@dataclass(frozen=True)
class History:
    """Changes in order; those from `position` on are undone and can be redone."""

    changes: tuple[Change, ...] = ()
    position: int = 0
    unknown: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not 0 <= self.position <= len(self.changes):
            raise RecipeError(f"history: position {self.position} of {len(self.changes)} changes")

    @property
    def last_label(self) -> str:
        """Of the last step in force; nothing where there is none."""
        return self.changes[self.position - 1].label if self.position else ""

    def push(self, change: Change) -> "History":
        """With one more change; what had been undone is forgotten. An empty change adds nothing."""
        if not change:
            return self
        return History((*self.changes[: self.position], change), self.position + 1, self.unknown)

    def undo(self, recipe: Recipe) -> tuple[Recipe, "History"]:
        """One step back, or the same when there is none."""
        if self.position == 0:
            return recipe, self
        before = self.changes[self.position - 1].before()
        return recipe.applied(before), History(self.changes, self.position - 1, self.unknown)

    def redo(self, recipe: Recipe) -> tuple[Recipe, "History"]:
        """One step forward, or the same when there is none."""
        if self.position == len(self.changes):
            return recipe, self
        after = self.changes[self.position].after()
        return recipe.applied(after), History(self.changes, self.position + 1, self.unknown)

    def to_json(self) -> dict[str, Any]:
        return {**self.unknown, "position": self.position, "changes": [c.to_json() for c in self.changes]}

    @classmethod
    def from_json(cls, data: Any) -> "History":
        if not isinstance(data, dict) or not isinstance(data.get("changes"), list):
            raise RecipeError("history: expected an object with changes and position")
        position = data.get("position", 0)
        if not isinstance(position, int) or isinstance(position, bool):
            raise RecipeError(f"history: position: expected a number of changes, got {position!r:.40}")
        unknown = {name: value for name, value in data.items() if name not in ("changes", "position")}
        return cls(tuple(map(Change.from_json, data["changes"])), position, unknown)
