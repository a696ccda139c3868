"""Pictures of odd sizes are opened, shown, measured and delivered like any other."""

import numpy as np
import pytest
from PIL import Image as Pillow

from matiz.deliver.orders import Order
from matiz.deliver.write import deliver
from matiz.develop.frame.tiles import deepest
from matiz.develop.graph.engine import Engine
from matiz.errors import FormatError
from matiz.findings.find import find
from matiz.measure.picture import Meter
from matiz.raw.decode import read_frame
from matiz.recipe.detail import Deblur, Detail, NoiseOut, Sharpen
from matiz.recipe.finish import Behind, FallOff, Finish, Glow, Grain, Signature
from matiz.recipe.model import Mend, Recipe, Tone
from matiz.recipe.toning import Contrast

EVERYTHING = Recipe(
    mend=Mend(distortion_percent=3.0),
    tone=Tone(zones_EV=(0.5,) * 11, haze_percent=40.0, contrast=Contrast(3.0, 3.0, 3.0)),
    detail=Detail(NoiseOut(60.0, 80.0), Deblur(1.2), Sharpen(150.0, 3.0)),
    finish=Finish(
        FallOff(depth_EV=1.0),
        Behind(disc_px=40.0, sharp_y=0.9, far_y=0.3),
        Glow(amount_percent=50.0, radius_px=20.0),
        Grain(2.0),
        signature=Signature("Ana", 12.0),
    ),
)


@pytest.mark.parametrize("size", [(2, 2), (3, 3), (5, 12), (15, 15), (4000, 16), (16, 3000), (2000, 3)])
@pytest.mark.parametrize("recipe", [Recipe(), EVERYTHING], ids=["plain", "everything"])
def test_small_and_narrow_pictures_go_the_whole_way(tmp_path, size, recipe):
    pixels = (np.random.default_rng(1).random((size[1], size[0], 3)) * 255).astype(np.uint8)
    path, out = tmp_path / "a.png", tmp_path / "out.png"
    Pillow.fromarray(pixels).save(path)
    engine = Engine(read_frame(path))
    for level in range(deepest(size) + 1):
        assert engine.render(recipe, level).size
    find(engine, Meter(engine).picture(recipe), recipe)
    deliver(engine, recipe, Order("PNG"), out)
    with Pillow.open(out) as picture:
        assert picture.size == size


@pytest.mark.parametrize("size", [(1, 1), (1, 40), (40, 1)])
def test_a_single_row_or_column_is_no_picture(tmp_path, size):
    Pillow.fromarray(np.zeros((size[1], size[0], 3), np.uint8)).save(tmp_path / "a.png")
    with pytest.raises(FormatError, match="at least 2x2"):
        read_frame(tmp_path / "a.png")
