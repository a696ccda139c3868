"""The white level found in the data, on simulated sensors that fill before their file says so."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.raw.frame import Mosaic
from matiz.raw.white import found_white
from matiz.recipe.model import Recipe
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import chart, grey

SIZE = (480, 320)
BLACK, WHITE = 512.0, 16_000.0


def _filled(mosaic: Mosaic, share: float, *, spread: float = 6.0) -> Mosaic:
    """The same mosaic from a sensor that fills at a share of the range, give or take a few counts."""
    black = float(mosaic.black.max())
    full = black + share * (mosaic.white - black)
    rng = np.random.default_rng(5)
    edge = full + rng.normal(0.0, spread, mosaic.values.shape)
    return replace(mosaic, values=np.minimum(mosaic.values, edge).round().astype(np.uint16))


@pytest.fixture(scope="module")
def bright():
    """A chart four times over-exposed: its lighter patches are full in all channels."""
    return expose(chart(SIZE, "daylight:5500"), Settings(ev=2.0))


@pytest.mark.parametrize("share", [0.8, 0.93, 0.97])
def test_an_early_white_level_is_found(bright, share):
    """Within one percent of the range, from below."""
    mosaic = _filled(bright.mosaic, share)
    black = float(mosaic.black.max())
    found = (found_white(mosaic) - black) / (mosaic.white - black)
    assert share - 0.01 < found < share


def test_highlights_are_white_where_the_file_promises_too_much(bright):
    """Left at the file's level the white patch turns magenta; with the level found it is neutral."""
    early = replace(bright, mosaic=_filled(bright.mosaic, 0.93))
    mended = replace(early, mosaic=replace(early.mosaic, white=found_white(early.mosaic)))

    def worst_tint(frame) -> float:
        shown = Engine(frame).render(Recipe(), 2, result="display")
        brightest = shown[shown.min(axis=2) > 0.85 * shown.min(axis=2).max()]
        return float(np.abs(np.median(brightest[:, 0] / brightest[:, 1]) - 1.0))

    assert worst_tint(mended) < 0.02
    assert worst_tint(early) > 2 * worst_tint(mended)


@pytest.mark.parametrize("noise", [True, False])
def test_an_evenly_lit_wall_is_not_taken_for_a_full_one(noise):
    frame = expose(grey(SIZE), Settings(ev=1.5, noise=noise))
    assert found_white(frame.mosaic) == frame.mosaic.white


def test_a_right_white_level_and_an_unclipped_frame_are_kept(bright):
    assert found_white(bright.mosaic) == bright.mosaic.white
    dark = expose(chart(SIZE, "daylight:5500"), Settings(ev=-2.0))
    assert found_white(dark.mosaic) == dark.mosaic.white


def test_a_few_hot_photosites_above_do_not_hide_the_pile(bright):
    mosaic = _filled(bright.mosaic, 0.9)
    values = mosaic.values.copy()
    values[::191, ::173] = int(mosaic.white)
    black = float(mosaic.black.max())
    found = (found_white(replace(mosaic, values=values)) - black) / (mosaic.white - black)
    assert 0.89 < found < 0.9


@pytest.mark.parametrize("share", [0.85, 0.9, 0.95])
def test_a_white_level_that_only_green_reaches_is_found(share):
    """A blue sky over-exposed in green alone: it must not turn magenta."""
    frame = expose(grey(SIZE), Settings(ev=2.0))
    mosaic = frame.mosaic
    black = float(mosaic.black.max())
    rows = np.linspace(0.5, 1.6, mosaic.values.shape[0])[:, None]
    tint = np.array([0.55, 1.0, 0.7])[np.tile(mosaic.pattern, (SIZE[1] // 2, SIZE[0] // 2))]
    signal = (mosaic.values.astype(float) - black) * rows * tint
    sky = replace(mosaic, values=np.clip(signal + black, 0, 65_535).astype(np.uint16))
    filled = _filled(sky, share, spread=4.0)
    found = (found_white(filled) - black) / (mosaic.white - black)
    assert share - 0.01 < found < share


def test_one_colour_that_is_bright_and_evenly_lit_is_not_taken_for_full():
    frame = expose(grey(SIZE), Settings(ev=1.2))
    mosaic = frame.mosaic
    black = float(mosaic.black.max())
    tint = np.array([0.4, 1.0, 0.5])[np.tile(mosaic.pattern, (SIZE[1] // 2, SIZE[0] // 2))]
    values = (mosaic.values.astype(float) - black) * tint + black
    lit = replace(mosaic, values=np.clip(values, 0, 65_535).astype(np.uint16))
    assert found_white(lit) == mosaic.white
