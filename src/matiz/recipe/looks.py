"""Looks: parts of a recipe as files, which can be laid on any picture at any strength.

A file is JSON: {"look": 1, "name": ..., "why": ..., "recipe": {...}}, the recipe with only what the look decides. Only
what says how a picture looks can be part of it, never where anything lies in it.
"""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..assets import FOLDER
from ..errors import FileError, FormatError, RecipeError
from ..system.files import write_text_whole
from ..system.own_files import read_small
from .as_json import plain, section_from
from .change import Settings
from .leaves import Number, Numbers
from .model import RAW, Recipe, plain_recipe, specs
from .paths import leaves
from .tree import ABSENT, Rows, Section, replaced

LAYOUT = 1
STATIONS = ("tone", "colour")
LEFT_OUT = ("active", "reference")
"""Of those: whether a station counts, and what was measured on one picture."""
MOST_STRENGTH = 2.0
MOST_BYTES, MOST_TEXT = 200_000, 300
_OWN = ("look", "name", "why", "recipe")


@dataclass(frozen=True)
class Look:
    """A named part of a recipe."""

    name: str
    why: str
    """What it is for, in a sentence."""
    recipe: Mapping[str, Any]
    """As in a recipe's JSON."""

    def settings(self, recipe: Recipe, strength: float = 1.0) -> Settings:
        """What it sets in a recipe, at a strength 0..2: numbers between their defaults and the look's, or as far beyond
        as their limits allow; pegs and nodes of those tables in place of what is there."""
        if not 0.0 <= strength <= MOST_STRENGTH:
            raise RecipeError(f"strength of a look: 0..{100 * MOST_STRENGTH:.0f} %, got {100 * strength:g} %")
        base = plain_recipe(recipe.start)
        whole = section_from(base, self.recipe)
        out: list[tuple[str, Any]] = []
        for path, leaf in specs().items():
            value, default = whole.get(path), base.get(path)
            if path.split(".")[0] in STATIONS and value != default and path.split(".")[-1] not in LEFT_OUT:
                out.append((path, _scaled(leaf, default, value, strength)))
        for path in _tables(self.recipe):
            rows: Rows[Any] = whole.get(path)
            out += [(f"{path}.{ident}", ABSENT) for ident in recipe.get(path) if ident not in rows]
            out += [(f"{path}.{ident}", _scaled_section(item, strength)) for ident, item in rows.items()]
        return tuple(out)

    def write(self, path: Path) -> None:
        """As a file, whole or not at all. Raises OSError."""
        write_text_whole(path, json.dumps(self.to_json(), indent=2, ensure_ascii=False) + "\n")

    def to_json(self) -> dict[str, Any]:
        return {"look": LAYOUT, "name": self.name, "why": self.why, "recipe": dict(self.recipe)}


def _tables(data: Mapping[str, Any], prefix: str = "") -> Iterator[str]:
    for name, value in data.items():
        if isinstance(value, list) and value and isinstance(value[0], Mapping):
            yield f"{prefix}{name}"
        elif isinstance(value, Mapping):
            yield from _tables(value, f"{prefix}{name}.")


def _scaled(leaf: Any, default: Any, value: Any, strength: float) -> Any:
    match leaf:
        case Number():
            return leaf.check("", min(max(default + (value - default) * strength, leaf.low), leaf.high))
        case Numbers():
            each = leaf.each
            return tuple(_scaled(each, before, after, strength) for before, after in zip(default, value, strict=True))
    # words and curves cannot be taken by halves
    return value if strength > 0.0 else default


def _scaled_section(item: Section, strength: float) -> Section:
    """A peg or a node: where it stands stays, what it does is scaled."""
    values = {}
    for name, leaf, value in leaves(item):
        if isinstance(leaf, Number) and name not in ("at", "at_deg", "reach_deg"):
            values[name] = _scaled(leaf, leaf.default, value, strength)
    return replaced(item, **values)


def look_of(recipe: Recipe, name: str, why: str = "") -> Look:
    """What Tone and Colour decide in a recipe, as a look; exposure and what was measured on the picture left out."""
    base, kept = plain_recipe(recipe.start), {}
    for station in STATIONS:
        own = _less(plain(getattr(recipe, station)), plain(getattr(base, station)))
        if own:
            kept[station] = own
    kept.get("tone", {}).pop("exposure_EV", None)
    kept = {station: own for station, own in kept.items() if own}
    if not kept:
        raise RecipeError("no edits in Tone or Colour that could be saved as a look")
    return Look(name, why, kept)


def _less(own: Mapping[str, Any], base: Mapping[str, Any]) -> dict[str, Any]:
    out = {}
    for name, value in own.items():
        if name in LEFT_OUT or value == base[name]:
            continue
        out[name] = _less(value, base[name]) if isinstance(value, Mapping) else value
    return out


def read_look(path: Path) -> Look:
    """A look's file, checked. Raises RecipeError with what is wrong, or OSError."""
    try:
        text = read_small(path, MOST_BYTES)
        if text is None:
            raise FileError(f"{path}: there is no such file")
        data = json.loads(text)
    except (ValueError, RecursionError, FormatError) as error:
        raise RecipeError(f"{path.name}: not a look: {error}") from None
    return look_from(data, path.name)


def look_from(data: Any, called: str) -> Look:
    """A look of what JSON holds, checked: every value is one that a recipe takes. called: what an error names it by."""
    if not isinstance(data, dict) or data.get("look") != LAYOUT or not isinstance(data.get("recipe"), dict):
        raise RecipeError(f'{called}: not a look: expected {{"look": {LAYOUT}, "name": ..., "recipe": {{...}}}}')
    unknown = [name for name in data if name not in _OWN]
    name, why, recipe = data.get("name"), data.get("why", ""), data["recipe"]
    if unknown:
        raise RecipeError(f"{called}: a look has {', '.join(_OWN)}, not {unknown[0]!r:.40}")
    if not all(isinstance(text, str) and text.isprintable() and len(text) <= MOST_TEXT for text in (name, why)):
        raise RecipeError(f"{called}: name and why of a look are lines of up to {MOST_TEXT} characters")
    outside = [station for station in recipe if station not in STATIONS]
    if outside:
        raise RecipeError(f"{called}: a look holds edits of {' and '.join(STATIONS)}, not {outside[0]!r:.40}")
    try:
        section_from(Recipe.starting(RAW), recipe)
    except RecipeError as error:
        raise RecipeError(f"{called}: {error}") from None
    return Look(name or Path(called).stem, why, recipe)


def own_looks() -> list[Look]:
    """Those that ship, by name."""
    return sorted((read_look(path) for path in (FOLDER / "looks").glob("*.json")), key=lambda look: look.name)


def schema() -> dict[str, Any]:
    """The JSON schema of a look's file; its recipe is a part of the recipe's own."""
    line = {"type": "string", "maxLength": MOST_TEXT}
    inside = {"type": "object", "propertyNames": {"enum": list(STATIONS)}, "description": "A part of a recipe."}
    named = {"look": {"const": LAYOUT}, "name": line, "why": line, "recipe": inside}
    needed = ["look", "name", "recipe"]
    return {"type": "object", "properties": named, "required": needed, "additionalProperties": False}
