"""What the sidecar of a picture holds: its versions with their histories, and its sorting."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..errors import RecipeError
from .change import Change
from .history import History
from .model import Recipe, plain_recipe

FIRST_VERSION = "Version 1"
LAYOUT = 1
"""Version of what the sidecar holds round the recipes."""
SORTED_AS = ("", "keep", "hold", "drop")
MOST_CAPTION, MOST_KEYWORD, MOST_KEYWORDS = 4000, 64, 200
"""Characters of a caption and of a keyword, and how many of these."""
_OWN = ("matiz", "current", "sorted_as", "rank", "caption", "keywords", "silenced", "versions", "draft")


@dataclass(frozen=True)
class Version:
    """A named recipe of the picture, and how it came about."""

    recipe: Recipe = field(default_factory=Recipe)
    history: History = field(default_factory=History)
    unknown: Mapping[str, Any] = field(default_factory=dict)

    def record(self, recipe: Recipe, change: Change) -> "Version":
        return Version(recipe, self.history.push(change), self.unknown)

    def undo(self) -> "Version":
        return Version(*self.history.undo(self.recipe), self.unknown)

    def redo(self) -> "Version":
        return Version(*self.history.redo(self.recipe), self.unknown)

    def to_json(self) -> dict[str, Any]:
        return {**self.unknown, "recipe": self.recipe.to_json(), "history": self.history.to_json()}

    @classmethod
    def from_json(cls, data: Any) -> "Version":
        if not isinstance(data, dict):
            raise RecipeError(f"versions: expected a JSON object for each, got {type(data).__name__}")
        unknown = {name: value for name, value in data.items() if name not in ("recipe", "history")}
        history = History.from_json(data.get("history", {"changes": []}))
        return cls(Recipe.from_json(data.get("recipe", {})), history, unknown)


@dataclass(frozen=True)
class Draft:
    """A drag that is under way: values that are written so that a crash does not lose them, but not decided yet."""

    change: Change
    """As it would be recorded."""
    process: str
    """The process in which the hand drags, see `system.processes.own_name`."""

    def to_json(self) -> dict[str, Any]:
        return {"change": self.change.to_json(), "process": self.process}

    @classmethod
    def from_json(cls, data: Any) -> "Draft":
        if not isinstance(data, dict):
            raise RecipeError("draft: expected a JSON object")
        return cls(Change.from_json(data.get("change")), str(data.get("process", "")))


@dataclass(frozen=True)
class Document:
    """All that is kept about one picture. Immutable."""

    versions: Mapping[str, Version] = field(default_factory=lambda: {FIRST_VERSION: Version()})
    current: str = FIRST_VERSION
    sorted_as: str = ""
    rank: int = 0
    caption: str = ""
    """The caption of the picture."""
    keywords: tuple[str, ...] = ()
    silenced: tuple[str, ...] = ()
    """Keys of findings that are not to be mentioned for this picture."""
    unknown: Mapping[str, Any] = field(default_factory=dict)
    layout: int = LAYOUT
    draft: Draft | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.current, str) or self.current not in self.versions:
            raise RecipeError(f"current: no version is called {self.current!r:.80}")
        if self.sorted_as not in SORTED_AS:
            raise RecipeError(f"sorted_as: one of keep, hold, drop or empty; got {self.sorted_as!r:.80}")
        if not isinstance(self.rank, int) or isinstance(self.rank, bool) or self.rank not in range(6):
            raise RecipeError(f"rank: 0..5, got {self.rank!r:.80}")
        if not isinstance(self.caption, str) or len(self.caption) > MOST_CAPTION:
            raise RecipeError(f"caption: a text of {MOST_CAPTION} characters at most, got {self.caption!r:.80}")
        if len(self.keywords) > MOST_KEYWORDS or not all(0 < len(word) <= MOST_KEYWORD for word in self.keywords):
            raise RecipeError(f"keywords: {MOST_KEYWORDS} at most, of 1 to {MOST_KEYWORD} characters each")

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

    def with_recipe(self, recipe: Recipe) -> "Document":
        """With a recipe that is not recorded yet, such as that of a drag."""
        return self.with_version(replace(self.version, recipe=recipe))

    def with_draft_decided(self) -> "Document":
        """With the values of a drag as a step, as if the hand had let go; without them where they fit no more."""
        plain = replace(self, draft=None)
        if self.draft is None:
            return plain
        try:
            recipe = self.recipe.applied(self.draft.change.after())
        except RecipeError:
            return plain
        return plain.with_version(self.version.record(recipe, self.draft.change))

    def begun(self, start: str) -> "Document":
        """For a picture of this kind: with its own defaults, as long as nothing about its look has been decided."""
        untouched = len(self.versions) == 1 and not self.version.history.changes and self.recipe == plain_recipe()
        return self.with_recipe(plain_recipe(start)) if untouched and start != self.recipe.start else self

    def free_name(self) -> str:
        """A name that no version has."""
        number = len(self.versions) + 1
        while f"Version {number}" in self.versions:
            number += 1
        return f"Version {number}"

    def to_json(self) -> dict[str, Any]:
        own: dict[str, Any] = {
            "matiz": self.layout,
            "current": self.current,
            "sorted_as": self.sorted_as,
            "rank": self.rank,
            **({"caption": self.caption} if self.caption else {}),
            **({"keywords": list(self.keywords)} if self.keywords else {}),
            "silenced": list(self.silenced),
            "versions": {name: version.to_json() for name, version in self.versions.items()},
            **({"draft": self.draft.to_json()} if self.draft else {}),
        }
        return {**self.unknown, **own}

    @classmethod
    def from_json(cls, data: Any) -> "Document":
        """Read what `to_json` wrote; RecipeError says which field is wrong."""
        if not isinstance(data, dict) or not isinstance(data.get("versions"), dict):
            raise RecipeError("sidecar: expected a JSON object with versions")
        for name in ("silenced", "keywords"):
            if not isinstance(data.get(name, []), list):
                raise RecipeError(f"{name}: expected a JSON list")
        layout = data.get("matiz", LAYOUT)
        if not isinstance(layout, int) or isinstance(layout, bool) or layout < 1:
            raise RecipeError(f"matiz: expected a version number, got {layout!r:.40}")
        versions = {str(name): Version.from_json(version) for name, version in data["versions"].items()}
        return cls(
            versions,
            data.get("current", next(iter(versions), FIRST_VERSION)),
            data.get("sorted_as", ""),
            data.get("rank", 0),
            data.get("caption", ""),
            tuple(str(word) for word in data.get("keywords", [])),
            tuple(str(i) for i in data.get("silenced", [])),
            {name: value for name, value in data.items() if name not in _OWN},
            layout,
            Draft.from_json(data["draft"]) if data.get("draft") is not None else None,
        )
