"""Values as people type them: on a tape, or on the command line."""

import json
import re
from collections.abc import Iterable
from typing import Any

from ..errors import RecipeError
from .leaves import Box, Choice, CurvePoints, FramePoints, Leaf, Number, Numbers, Values
from .model import Recipe
from .paths import leaf_at
from .places import MaskPart, Place
from .tree import Table, checked, parts_of


def apply_settings(recipe: Recipe, settings: Iterable[str]) -> Recipe:
    """A recipe changed by texts like "tone.exposure_EV=0.5", as the command line takes them."""
    pairs = []
    for text in settings:
        path, equals, value = (part.strip() for part in text.partition("="))
        if not equals:
            raise RecipeError(f"{text!r}: expected path=value, such as tone.exposure_EV=0.5")
        pairs.append((path, parsed(leaf_at(recipe, path), path, value)))
    return recipe.change_all(pairs, label="command line")[0]


def parsed_part(text: str) -> MaskPart:
    """A part of a mask from its kind and values, such as "bright,exponent=2" or "zones,low=6,high=9,join=intersect"."""
    # commas within brackets are those of a value
    kind, *pairs = [each.strip() for each in re.findall(r"(?:[^,\[]|\[(?:[^\[\]]|\[[^\]]*\])*\])+", text)] or [""]
    table = parts_of(Place)["mask"]
    assert isinstance(table, Table)
    section = table.kind(kind)
    if section is None:
        known = ", ".join(each.KIND for each in table.kinds)
        raise RecipeError(f"{kind!r} is no kind of mask part; one of {known}")
    leaves, values = parts_of(section), {}
    for pair in pairs:
        name, equals, value = (part.strip() for part in pair.partition("="))
        leaf = leaves.get(name)
        if not equals or leaf is None or isinstance(leaf, Table | type):
            raise RecipeError(f"{kind}: {pair!r} is not one of {', '.join(f'{each}=...' for each in leaves)}")
        values[name] = parsed(leaf, f"{kind}.{name}", value)
    made: Any = section(**values)
    return checked(made, kind)  # type: ignore[no-any-return]


def parsed(spec: Leaf, path: str, text: str) -> Any:
    """The value that `text` means for a field; RecipeError names the field, the text and the limits."""
    match spec:
        case Number():
            return number(spec, path, text)
        case Numbers():
            return numbers(spec, path, text)
        case Box():
            return box(spec, path, text)
        case CurvePoints() | FramePoints():
            try:
                return spec.check(path, json.loads(text))
            except (json.JSONDecodeError, RecursionError):
                raise RecipeError(f"{path}: expected [[x, y], ...], got {text!r}") from None
        case Choice():
            return spec.check(path, text.strip())
        case _:
            return spec.check(path, text)


def number(spec: Number, path: str, text: str) -> float:
    """A typed number, with or without its unit, comma or point, true or plain minus."""
    bare = text.replace("\u2212", "-").replace("\u2009", "").replace("\u202f", "").replace(",", ".").strip()
    if spec.unit and bare.lower().endswith(spec.unit.lower()):
        bare = bare[: -len(spec.unit)].strip()
    try:
        value = float(bare)
    except ValueError:
        raise RecipeError(f"{path}: {text!r} is not a number in {spec.unit or 'plain units'}") from None
    return spec.check(path, value)


def numbers(spec: Numbers, path: str, text: str) -> Values:
    """A JSON list, or numbers separated by commas."""
    parts = text.strip().strip("[]").split(",")
    return spec.check(path, [number(spec.each, f"{path}[{n}]", part) for n, part in enumerate(parts)])


def box(spec: Box, path: str, text: str) -> Values:
    """A JSON list, or four numbers separated by commas; nothing for none."""
    parts = [part for part in text.strip().strip("[]").split(",") if part.strip()]
    free = Number("", -1e9, 1e9, 0.0, 1.0, 0, "")
    return spec.check(path, [number(free, f"{path}[{n}]", part) for n, part in enumerate(parts)])
