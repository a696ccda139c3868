"""Colour: what all of its controls cost together, in the first view, in a drag and in a file."""

from matiz.develop.graph.engine import Engine
from matiz.recipe.colour import Grading, Peg, Primaries, Skin, TintNode
from matiz.recipe.model import Recipe
from matiz.recipe.tree import Rows, replaced

from .places import LEVEL, develop, frame
from .timing import side_by_side

ALL = Grading(
    pegs=Rows((f"p{n}", Peg(at_deg=30.0 * n, hue_deg=5.0, chroma=1.1, lightness=2.0)) for n in range(12)),
    chroma_percent=5.0,
    muted_percent=20.0,
    tint=Rows([("d", TintNode(at=20.0, a=-1.0, b=-4.0)), ("l", TintNode(at=80.0, a=1.0, b=4.0))]),
    primaries=Primaries(red_deg=3.0),
    skin=Skin(reference=(30.0, 15.0, 12.0, 55.0, 18.0, 16.0, 75.0, 14.0, 14.0), evenness_percent=50.0),
)


def run() -> dict[str, float]:
    engine = Engine(frame())
    plain = Recipe()
    graded = replaced(plain, colour=ALL)

    def first(recipe: Recipe) -> None:
        engine.forget()
        engine.render(recipe, LEVEL)

    def drag(recipe: Recipe) -> None:
        # a white point that was never there: nothing after the scene is kept
        for n in range(12):
            white = recipe.change("tone.white_EV", 0.001 * (n + 1) + drag.offset)[0]
            engine.render(white, LEVEL)
        drag.offset += 0.05

    drag.offset = 0.0
    views = side_by_side({"none": lambda: first(plain), "all": lambda: first(graded)}, rounds=7)
    again = side_by_side({"none": lambda: drag(plain), "all": lambda: drag(graded)}, rounds=7)
    files = side_by_side({"none": lambda: develop(engine, plain), "all": lambda: develop(engine, graded)}, rounds=3)
    return {
        "first view of 24 MP at a quarter, all of Colour over none": views["all"] / views["none"],
        "the display pass alone, all of Colour over none": again["all"] / again["none"],
        "a view of 1,500x1,000 px with all of Colour, ms": 1e3 * again["all"] / 12.0,
        "24 MP developed, all of Colour over none": files["all"] / files["none"],
    }
