"""Places: what ten of them cost, and how a tape of one follows the hand."""

from pathlib import Path

import numpy as np

from matiz.develop.engine import Engine, full_picture
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.model import Recipe
from matiz.recipe.places import (
    Bright,
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
    Zones,
)
from matiz.recipe.tree import Rows, added

from .timing import side_by_side

SIZE = (6000, 4000)
LEVEL = 2
PARTS: tuple[MaskPart, ...] = (
    Bright(exponent=2.0), Dim(), Middle(), Zones(), Colour(picks=((0.3, 0.3),)), Muted(), Ramp(), Ellipse(),
    Lasso(path=((0.2, 0.1), (0.8, 0.2), (0.5, 0.5)), feather_px=60.0), Reach(picks=((0.6, 0.4),)),
)  # fmt: skip


def run() -> dict[str, float]:
    rng = np.random.default_rng(0)
    engine = Engine(Frame(Path("a.tif"), CameraColour(), linear=rng.random((SIZE[1], SIZE[0], 3), np.float32)))
    plain = Recipe()
    places = [Place(mask=Rows([("a", part)]), exposure_EV=0.3, chroma_percent=20.0) for part in PARTS]
    ten = plain.change_all(added(plain, [("places", place) for place in places]), label="x")[0]
    ident = ten.places.order[3]
    tapes = [ten.change(f"places.{ident}.exposure_EV", 0.05 * n)[0] for n in range(12)]

    def first(recipe: Recipe) -> None:
        engine.forget()
        engine.render(recipe, LEVEL)

    views = side_by_side({"none": lambda: first(plain), "ten": lambda: first(ten)}, rounds=3)
    drag = side_by_side({"drag": lambda: [engine.render(each, LEVEL) for each in tapes]}, rounds=3)["drag"]
    calls = {"none": lambda: full_picture(engine, plain), "ten": lambda: full_picture(engine, ten)}
    files = side_by_side(calls, rounds=1)
    return {
        "first view of 24 MP at a quarter, ten places over none": views["ten"] / views["none"],
        "24 MP developed, ten places over none": files["ten"] / files["none"],
        "a tape of one of ten places, views of 1,500x1,000 px a second": len(tapes) / drag,
    }
