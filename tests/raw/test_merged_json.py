"""What a merged DNG says of itself may be anything: it is checked once, when it is read."""

import json
import math
from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.frame.alignment import NUMBERS, Alignment
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.findings.find import find
from matiz.measure.picture import Meter
from matiz.raw import dng
from matiz.raw.decode import Decoder
from matiz.raw.frame import Merged
from matiz.recipe.mending import FromFrame
from matiz.recipe.model import plain_recipe
from matiz.recipe.paths import added
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import grey

IDENTITY = [*[1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0], *[0.0] * 20]
GOOD = {"kind": "bracket", "names": ["a.dng", "b.dng"], "exposures_EV": [0.0, 1.0], "moved": [[0, 0, 5, 5]],
        "moved_share": 0.1, "lies": [IDENTITY]}  # fmt: skip
BAD = {
    "kind": ["x", None, 3],
    "names": [[], ["../a.dng", "b.dng"], ["a.dng"], ["a.dng", ""], ["a.dng", 3], "ab", ["a\0.dng", "b"], ["a"] * 5000],
    "exposures_EV": [[], [0.0], [0.0, 1e300], [0.0, math.nan], [0.0, "x"], [0.0, 10**400], [0.0] * 5000],
    "moved": [
        [[0, 0]],
        [[0, 0, 0, 5]],
        [[-5, 0, 5, 5]],
        [[0, 0, 10**9, 5]],
        [[0, 0, 1e308, math.inf]],
        3,
        [[0, 0, 5, 5]] * 5000,
    ],
    "moved_share": [math.inf, -1.0, 2.0, None, []],
    "lies": [[[]], [IDENTITY, IDENTITY], [[math.nan] * NUMBERS], [["x"] * NUMBERS], 7],
}


def test_what_is_right_is_taken():
    made = Merged.from_json(json.loads(json.dumps(GOOD)))
    assert made.names == ("a.dng", "b.dng") and made.lies == (tuple(IDENTITY),)
    assert Merged.from_json({**GOOD, "lies": []}).lies == ()


@pytest.mark.parametrize("name, value", [(name, value) for name, values in BAD.items() for value in values])
def test_what_is_wrong_is_refused(name, value):
    with pytest.raises(ValueError, match=r"merged frame"):
        Merged.from_json({**GOOD, name: value})


@pytest.mark.parametrize("data", [None, [], {}, "x", 3, {"kind": "mean"}])
def test_what_is_no_description_is_refused(data):
    with pytest.raises(ValueError, match="merged frame"):
        Merged.from_json(data)


FAR_OFF = {
    "behind": [1, 0, 0, 0, 1, 0, 0, 0, -1],
    "at infinity": [1, 0, 0, 0, 1, 0, 0.1, 0, -3.0],
    "flat": [0] * 9,
    "far": [1, 0, 1e9, 0, 1, 0, 0, 0, 1],
    "huge": [1e300, 0, 0, 0, 1e300, 0, 0, 0, 1],
}


@pytest.mark.parametrize("name", FAR_OFF)
def test_an_alignment_that_lays_nothing_on_the_picture_is_refused(name):
    with pytest.raises(ValueError, match="alignment"):
        Alignment.of_numbers([*map(float, FAR_OFF[name]), *[0.0] * 20], (60, 40))
    with pytest.raises(ValueError, match="alignment"):
        Alignment.of_numbers([*IDENTITY[:9], *[1e6] * 20], (60, 40))


@pytest.fixture
def decoder():
    made = Decoder()
    yield made
    made.stop()


@pytest.mark.parametrize("name", ["kind", "names", "exposures_EV", "moved", "moved_share", "lies"])
def test_a_hostile_dng_is_opened_without_it(tmp_path, decoder, monkeypatch, name):
    """IndexError, ValueError and OverflowError went through batches."""
    pixels = np.full((40, 60, 3), 0.2, np.float32)
    frame = replace(expose(grey((60, 40)), Settings()), mosaic=None, linear=pixels, merged=Merged.from_json(GOOD))
    for n, value in enumerate([*BAD[name][:2], GOOD[name]]):
        monkeypatch.setattr(dng, "asdict", lambda _, value=value: {**GOOD, name: value})
        path = tmp_path / f"{n}.dng"
        write_frame(frame, path)
        opened = decoder.frame(path)
        assert (opened.merged is not None) == (n == 2)
        decoder.listing(path)
        engine, recipe = Engine(opened), plain_recipe(opened.start)
        recipe = recipe.change_all(
            added(recipe, [("mend.repairs", FromFrame(path=((0.5, 0.3),), frame=2.0))]), label="x"
        )[0]
        engine.render(recipe, 0)
        find(engine, Meter(engine).picture(recipe), recipe)
