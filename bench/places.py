"""Places: what ten of them cost, how a tape of one follows the hand, and how strokes of a brush do."""

from dataclasses import replace

import numpy as np

from matiz.develop.graph.engine import Engine
from matiz.raw.frame import Frame
from matiz.recipe.document import Document
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import (
    Bright,
    Brush,
    Colour,
    Dim,
    Ellipse,
    Lasso,
    MaskPart,
    Middle,
    Muted,
    Place,
    Ramp,
    Reach,
    Stroke,
    Zones,
)
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows
from matiz_simcam.shoot import DEMO_SHOTS, simulate

from .timing import side_by_side

TIMES = 4
LEVEL = 2
STROKES = 3000
PARTS: tuple[MaskPart, ...] = (
    Bright(exponent=2.0), Dim(), Middle(), Zones(), Colour(picks=((0.3, 0.3),)), Muted(), Ramp(), Ellipse(),
    Lasso(path=((0.2, 0.1), (0.8, 0.2), (0.5, 0.5)), feather_px=60.0), Reach(picks=((0.6, 0.4),)),
)  # fmt: skip


def run() -> dict[str, float]:
    engine = Engine(frame())
    plain = Recipe()
    ten = _with(plain, *(Place(mask=Rows([("a", part)]), exposure_EV=0.3, chroma_percent=20.0) for part in PARTS))
    ident = ten.places.order[3]
    tapes = [ten.change(f"places.{ident}.exposure_EV", 0.05 * n)[0] for n in range(12)]

    def first(recipe: Recipe) -> None:
        engine.forget()
        engine.render(recipe, LEVEL)

    views = side_by_side({"none": lambda: first(plain), "ten": lambda: first(ten)}, rounds=5)
    drag = side_by_side({"drag": lambda: [engine.render(each, LEVEL) for each in tapes]}, rounds=5)["drag"]
    files = side_by_side({"none": lambda: develop(engine, plain), "ten": lambda: develop(engine, ten)}, rounds=2)
    return {
        "first view of 24 MP at a quarter, ten places over none": views["ten"] / views["none"],
        "24 MP developed, ten places over none": files["ten"] / files["none"],
        "a tape of one of ten places, views of 1,500x1,000 px a second": len(tapes) / drag,
        **_strokes(engine),
    }


def _strokes(engine: Engine) -> dict[str, float]:
    """One more stroke on top of many, and what a sidecar with all of them takes."""
    rng = np.random.default_rng(2)
    strokes = [_stroke(rng) for _ in range(STROKES + 24)]
    rows = Rows((f"s{n}", stroke) for n, stroke in enumerate(strokes[:STROKES]))
    place = Place(mask=Rows([("b", Brush(strokes=rows))]), exposure_EV=0.5)
    painted = _with(Recipe(), place)
    engine.render(painted, LEVEL)
    table = f"places.{painted.places.order[0]}.mask.b.strokes"
    to_come, grown = iter(strokes[STROKES:]), [painted]

    def paint_one() -> None:
        grown.append(grown[-1].insert(table, next(to_come), label="x")[0])
        engine.render(grown[-1], LEVEL)

    paint = side_by_side({"paint": paint_one}, rounds=20)["paint"]
    plain = side_by_side({"view": lambda: _again(engine, Recipe())}, rounds=5)["view"]
    data = _document(strokes[:STROKES]).to_json()
    load = side_by_side({"load": lambda: Document.from_json(data)}, rounds=3)["load"]
    return {
        f"strokes on top of {STROKES:,}, a second": 1.0 / paint,
        "a stroke to the screen over a view without places": paint / plain,
        f"a sidecar with 50 places and {STROKES:,} strokes read, s": load,
    }


def _again(engine: Engine, recipe: Recipe) -> None:
    engine.forget()
    engine.render(recipe, LEVEL)


def _document(strokes: list[Stroke]) -> Document:
    """Each stroke a step of the history, over 50 places."""
    document = Document()
    places = [Place(name=f"Place {n}", mask=Rows([("b", Brush())]), exposure_EV=0.1) for n in range(50)]
    document, _ = document.change_all(added(document.recipe, [("places", place) for place in places]), label="Places")
    for n, stroke in enumerate(strokes):
        table = f"places.{document.recipe.places.order[n % 50]}.mask.b.strokes"
        document, _ = document.change_all(added(document.recipe, [(table, stroke)]), label="Painted")
    return document


def _stroke(rng: np.random.Generator) -> Stroke:
    start, way = rng.random(2) * (0.9, 0.6), rng.normal(0.0, 0.006, (20, 2))
    return Stroke(path=Shape.of(start + way.cumsum(axis=0)), radius_px=float(rng.uniform(40.0, 200.0)))


def _with(recipe: Recipe, *places: Place) -> Recipe:
    return recipe.change_all(added(recipe, [("places", place) for place in places]), label="x")[0]


def develop(engine: Engine, recipe: Recipe) -> None:
    for _ in engine.full(recipe):
        pass


def frame() -> Frame:
    """24 MP of raw data, from a small frame laid side by side."""
    shot = DEMO_SHOTS[0]
    frame = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
    assert frame.mosaic is not None
    return replace(frame, mosaic=replace(frame.mosaic, values=np.tile(frame.mosaic.values, (TIMES, TIMES))))
