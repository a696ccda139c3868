"""A wide recipe, of 600 values with 50 places: a change, reading it, and a sidecar with 3,000 strokes."""

import json
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from matiz.recipe.document import Document, Version
from matiz.recipe.leaves import Choice, Number, Text, described
from matiz.recipe.model import Recipe, Tone
from matiz.recipe.paths import leaves
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows, Section, table
from matiz.shoot.sidecar import load_document, save_document

from .timing import side_by_side

PLACES, STROKES, STROKE_POINTS, STEPS = 50, 3000, 60, 400


@dataclass(frozen=True)
class Place(Section):
    """About what a place will hold."""

    name: str = described(Text("", "Its name."))
    on: str = described(Choice(("on", "off"), "on", "Whether it is on."))
    strength_percent: float = described(Number("%", 0.0, 200.0, 100.0, 1.0, 0, "How much of it."))
    tone: Tone = field(default_factory=Tone)


@dataclass(frozen=True)
class Wide(Recipe):
    """A recipe with places."""

    places: Rows[Place] = table(Place)


def run() -> dict[str, float]:
    recipe = Wide()
    for n in range(PLACES):
        recipe = recipe.insert("places", Place(f"place {n}"), label="")[0]  # type: ignore[assignment]
    path = f"places.{recipe.places.order[PLACES // 2]}.tone.exposure_EV"
    values = sum(1 for _ in leaves(recipe))
    text = json.dumps(recipe.to_json())
    state = {"n": 0}

    def change() -> None:
        state["n"] += 1
        recipe.change(path, (state["n"] % 100) / 50)

    taken = side_by_side({"change": change, "load": lambda: Wide.from_json(json.loads(text))})
    return {
        "values of the recipe": float(values),
        "a change, ms": 1e3 * taken["change"],
        "loading it, ms": 1e3 * taken["load"],
        **_sidecar(),
    }


def _sidecar() -> dict[str, float]:
    """The plain recipe's history stands for that of a place: the cost is that of its steps and shapes."""
    random = np.random.default_rng(1)
    document, version = Document(), Version()
    for _ in range(STROKES):
        document = document.with_shape(Shape.of(random.random((STROKE_POINTS, 3))))
    for n in range(STEPS):
        version = version.record(*version.recipe.change("tone.exposure_EV", (n % 100 + 1) / 50))
    document = document.with_version(version)
    with tempfile.TemporaryDirectory() as folder:
        picture = Path(folder) / "a.dng"
        taken = side_by_side(
            {"save": lambda: save_document(picture, document), "load": lambda: load_document(picture)}, rounds=3
        )
        size = sum(p.stat().st_size for p in Path(folder).iterdir())
    start = time.perf_counter()
    document.change_all([("tone.exposure_EV", 0.123)], label="x")
    return {
        "loading a sidecar of 3,000 strokes, s": taken["load"],
        "saving it, on its own thread, s": taken["save"],
        "its size, MB": size / 1e6,
        "a change of it, ms": 1e3 * (time.perf_counter() - start),
    }
