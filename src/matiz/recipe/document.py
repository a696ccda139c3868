"""What the sidecar of a picture holds: its versions with their histories, and its sorting."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..errors import RecipeError
from .history import History
from .model import Change, Recipe

FIRST_VERSION = "Version 1"
SORTED_AS = ("", "keep", "hold", "drop")


@dataclass(frozen=True)
class Version:
    """A named recipe of the picture, and how it came about."""

    recipe: Recipe = field(default_factory=Recipe)
    history: History = field(default_factory=History)

    def record(self, recipe: Recipe, change: Change) -> "Version":
        return Version(recipe, self.history.push(change))

    def undo(self) -> "Version":
        return Version(*self.history.undo(self.recipe))

    def redo(self) -> "Version":
        return Version(*self.history.redo(self.recipe))


@dataclass(frozen=True)
class Document:
    """All that is kept about one picture. Immutable."""

    versions: Mapping[str, Version] = field(default_factory=lambda: {FIRST_VERSION: Version()})
    current: str = FIRST_VERSION
    sorted_as: str = ""
    rank: int = 0
    silenced: tuple[str, ...] = ()
    """Ids of findings that are not to be mentioned for this picture."""
    unknown: Mapping[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.current not in self.versions:
            raise RecipeError(f"current: no version is called {self.current!r}")
        if self.sorted_as not in SORTED_AS:
            raise RecipeError(f"sorted_as: one of keep, hold, drop or empty; got {self.sorted_as!r}")
        if self.rank not in range(6):
            raise RecipeError(f"rank: 0..5, got {self.rank!r}")

    @property
    def version(self) -> Version:
        return self.versions[self.current]

    @property
    def recipe(self) -> Recipe:
        return self.version.recipe

    def change_all(self, settings: Iterable[tuple[str, Any]], *, label: str) -> tuple["Document", Change]:
        """The current version's recipe changed as one step, and the record of it; itself where nothing changes."""
        recipe, change = self.recipe.change_all(settings, label=label)
        return (self.with_version(self.version.record(recipe, change)) if change else self), change

    def with_version(self, version: Version, name: str | None = None) -> "Document":
        """The version `name` (the current one when None) replaced or added, and made current."""
        name = name or self.current
        return replace(self, versions={**self.versions, name: version}, current=name)

    def to_json(self) -> dict[str, Any]:
        versions = {
            name: {"recipe": v.recipe.to_json(), "history": v.history.to_json()} for name, v in self.versions.items()
        }
        own = {
            "matiz": 1,
            "current": self.current,
            "sorted_as": self.sorted_as,
            "rank": self.rank,
            "silenced": list(self.silenced),
            "versions": versions,
        }
        return {**self.unknown, **own}

    @classmethod
    def from_json(cls, data: Any) -> "Document":
        """Read what `to_json` wrote; RecipeError says which field is wrong."""
        if not isinstance(data, dict) or not isinstance(data.get("versions"), dict):
            raise RecipeError("sidecar: expected a JSON object with versions")
        versions = {
            str(name): Version(
                Recipe.from_json(v.get("recipe", {})), History.from_json(v.get("history", {"changes": []}))
            )
            for name, v in data["versions"].items()
        }
        known = ("matiz", "current", "sorted_as", "rank", "silenced", "versions")
        unknown = {k: v for k, v in data.items() if k not in known}
        current = data.get("current", next(iter(versions), FIRST_VERSION))
        silenced = tuple(str(i) for i in data.get("silenced", []))
        return cls(versions, current, data.get("sorted_as", ""), data.get("rank", 0), silenced, unknown)
