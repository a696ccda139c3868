"""The JSON schema of a recipe, for those who write recipes by hand or by script."""

from typing import Any

from .model import PROCESSING, SCHEMA, specs


def json_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of what `Recipe.to_json` writes."""
    root = _section()
    root["properties"] = {
        "schema": {"type": "integer", "minimum": 1, "default": SCHEMA},
        "processing": {"type": "integer", "minimum": 1, "maximum": PROCESSING, "default": PROCESSING},
    }
    for path, spec in specs().items():
        *sections, name = path.split(".")
        here = root
        for part in sections:
            here = here["properties"].setdefault(part, _section())
        here["properties"][name] = spec.schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Matiz recipe", **root}


def _section() -> dict[str, Any]:
    return {"type": "object", "additionalProperties": False, "properties": {}}
