"""The JSON schema of a recipe, for those who write recipes by hand or by script."""

from typing import Any

from .model import PROCESSING, RAW, RENDERED, SCHEMA, Recipe
from .tree import Part, Section, Table, parts_of


def json_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `Recipe.to_json` writes."""
    root = _section(Recipe)
    versions = {
        "schema": {"type": "integer", "minimum": 1, "default": SCHEMA},
        "processing": {"type": "integer", "minimum": 1, "maximum": PROCESSING, "default": PROCESSING},
        "start": {"enum": [RAW, RENDERED], "default": RAW},
    }
    root["properties"] = versions | root["properties"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Matiz recipe", **root}


def _section(section: type[Section]) -> dict[str, Any]:
    parts = {name: _part(part) for name, part in parts_of(section).items()}
    return {"type": "object", "additionalProperties": False, "properties": parts}


def _part(part: Part) -> dict[str, Any]:
    if isinstance(part, Table):
        items = [_item(kind, tagged=part.is_tagged) for kind in part.kinds]
        each = items[0] if len(items) == 1 else {"oneOf": items}
        return {"type": "array", "items": each, "maxItems": part.most}
    return _section(part) if isinstance(part, type) else part.schema()


def _item(section: type[Section], *, tagged: bool) -> dict[str, Any]:
    made = _section(section)
    named = {"id": {"type": "string"}} | ({"kind": {"const": section.KIND}} if tagged else {})
    return {**made, "properties": named | made["properties"], "required": list(named)}
