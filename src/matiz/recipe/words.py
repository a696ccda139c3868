"""A recipe in words: what was done to a picture."""

import json

from ..wording import number
from .as_json import plain
from .leaves import Number
from .model import Recipe, plain_recipe, specs
from .paths import leaves


def recipe_text(recipe: Recipe) -> str:
    """What was decided about a picture, line by line: what differs from what it starts with."""
    base = {path: value for path, _, value in leaves(plain_recipe(recipe.start))}
    lines: list[str] = []
    section = ""
    for path, leaf, value in leaves(recipe):
        start = base[path] if path in base else getattr(leaf, "default", None)
        if plain(start) == plain(value):
            continue
        station = path.partition(".")[0]
        if station != section:
            lines += ["", station.capitalize()] if lines else [station.capitalize()]
            section = station
        what = leaf.help.rstrip(".") if path in specs() else path.partition(".")[2]
        lines.append(f"  {what}: {_shown(leaf, value)}")
    return "\n".join(lines) + "\n" if lines else "No edits yet.\n"


def _shown(leaf: object, value: object) -> str:
    if isinstance(leaf, Number) and isinstance(value, int | float):
        return number(value, leaf.decimals, leaf.unit, signed=leaf.low < 0)
    text = json.dumps(plain(value), ensure_ascii=False) if not isinstance(value, str) else value
    return text if len(text) <= 80 else f"{text[:77]}\u2026"
