"""The kernels of the simulated scenes say what is wrong with their arrays, and take any size."""

import numpy as np
import pytest

from matiz.errors import ArgumentError
from matiz.kernels.levels import levels, mended
from matiz.kernels.working import to_working
from matiz_simcam.kernels.layers import cut_layer, fill_behind
from matiz_simcam.kernels.lighting import bumped, ground_shadow, lamp_shadow, lit_by_lamps, sky_shadow
from matiz_simcam.kernels.noise import fractal_noise_in_space
from matiz_simcam.kernels.solids import COLUMNS, RESULTS, trace_solids

PIXELS = np.zeros((6, 7, 3), np.float32)
PLANE = np.zeros((6, 7), np.float32)
SPHERES = np.zeros((2, 4), np.float32)
LAMPS = np.zeros((3, 7), np.float32)
BODIES = np.zeros((2, COLUMNS), np.float32)
CAMERA = np.zeros((4, 3), np.float32)


@pytest.mark.parametrize(
    "call, names",
    [
        (lambda: cut_layer(PIXELS, PLANE[:4], 1), "place"),
        (lambda: cut_layer(PIXELS[..., :2], PLANE, 1), "light"),
        (lambda: fill_behind(np.zeros((4, 4, 4), np.float32), np.zeros((4, 5, 4), np.float32)), "layer"),
        (lambda: bumped(PIXELS, PIXELS[:3], PLANE), "normals"),
        (lambda: bumped(PIXELS, PIXELS, PLANE.astype(np.float64)), "height"),
        (lambda: lamp_shadow(PIXELS, SPHERES[:, :3], np.zeros(4, np.float32)), "spheres"),
        (lambda: lamp_shadow(PIXELS, SPHERES, np.zeros(3, np.float32)), "lamp"),
        (lambda: sky_shadow(PIXELS, PIXELS[:, :3], SPHERES), "normals"),
        (lambda: ground_shadow(PIXELS, (1, 1, 1, 1), (0, 1, 0), width=0.1, first_step=0.1), "ground"),
        (lambda: lit_by_lamps(PIXELS, PIXELS, LAMPS, np.zeros((2, 3, 3), np.float32), 4), "shadows"),
        (lambda: lit_by_lamps(PIXELS, PIXELS, LAMPS[:, :5], np.zeros((3, 3, 3), np.float32), 4), "lamps"),
        (lambda: fractal_noise_in_space(PLANE, PLANE, seed=1, octaves=2, roughness=0.5), "points"),
        (lambda: trace_solids(BODIES[:, :5], CAMERA, 0.1, (4, 4)), "bodies"),
        (lambda: trace_solids(BODIES, CAMERA[:3], 0.1, (4, 4)), "camera"),
        (lambda: mended(PIXELS, shot=1e-4, read=1e-3), "balanced"),
        (lambda: to_working(PIXELS, np.ones(3, np.float32), np.eye(3, dtype=np.float32), ratios=PIXELS), "ratios"),
        (lambda: levels(np.zeros((4, 6), np.uint16), SPHERES[:, :2], SPHERES[:, :2], columns=PLANE[0]), "columns"),
        (lambda: levels(np.zeros((4, 6), np.uint16), SPHERES[:, :2], SPHERES[:, :2], rows=PLANE[0]), "rows"),
    ],
)
def test_wrong_arrays_are_named(call, names):
    with pytest.raises(ArgumentError, match=names):
        call()


@pytest.mark.parametrize("shape", [(2, 2), (3, 17), (33, 5)])
def test_any_size_is_traced(shape):
    bodies = BODIES.copy()
    bodies[:, 2], bodies[:, 6], bodies[:, 3], bodies[:, 7] = 2.0, 2.0, 5.0, 5.0
    bodies[:, 4], bodies[:, 9], bodies[:, 12] = 1e-3, 1.0, 1.0
    camera = np.array([[0, 0, -9], [0, 0, 1], [1e-3, 0, 0], [0, 1e-3, 0]], np.float32)
    found = trace_solids(bodies, camera, 1.0, shape)
    assert found.shape == (*shape, RESULTS) and (found[..., 1] == 1.0).all()
    # the ball's front lies 6 m away; half a pixel is taken off
    np.testing.assert_allclose(found[..., 0], 6.0, atol=0.02)
    np.testing.assert_allclose(found[..., 4], -1.0, atol=0.01)


def test_columns_and_rows_are_taken_away_before_the_gain():
    counts = np.full((4, 6), 700, np.uint16)
    black, gain = np.full((2, 2), 500, np.float32), np.full((2, 2), 0.01, np.float32)
    columns, rows = np.arange(6, dtype=np.float32), 10 * np.arange(4, dtype=np.float32)
    expected = (200.0 - columns[None, :] - rows[:, None]) * 0.01
    np.testing.assert_allclose(levels(counts, black, gain, columns=columns, rows=rows), expected, rtol=1e-6)


def test_an_even_or_smooth_mosaic_is_left_as_it_is():
    y, x = np.mgrid[0:40, 0:52].astype(np.float32)
    for values in (np.full((40, 52), 0.3, np.float32), 0.01 * x + 0.002 * y, 0.2 + 0.1 * np.sin(x / 3)):
        np.testing.assert_array_equal(
            mended(values.astype(np.float32), shot=1e-5, read=1e-4), values.astype(np.float32)
        )


def test_ratios_decide_what_a_clipped_channel_becomes():
    camera = np.tile(np.array([0.4, 0.8, 1.0], np.float32), (4, 4, 1))
    gains, eye = np.ones(3, np.float32), np.eye(3, dtype=np.float32)
    for log2_blue in (0.5, 1.0):
        ratios = np.broadcast_to(np.array([-1.0, log2_blue], np.float32), (2, 2, 2)).copy()
        out = to_working(camera, gains, eye, ratios=ratios)
        np.testing.assert_allclose(out[0, 0], [0.4, 0.8, 0.8 * 2.0**log2_blue], rtol=5e-3)
    # less than the level at which it is full it cannot have been
    low = to_working(camera, gains, eye, ratios=np.full((2, 2, 2), -1.0, np.float32))
    assert low[0, 0, 2] == pytest.approx(1.0)
