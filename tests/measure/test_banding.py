"""Bands in smooth areas of pictures with few values, pulled apart by a place."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.colour.spaces import decode_sRGB, lightness
from matiz.develop.graph.engine import Engine
from matiz.findings.find import fixed, judged
from matiz.measure.picture import Meter, PictureReading
from matiz.measure.places.banding import PATCH_PX, Banding, bands_L, smooth_patches
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Place, Ramp
from matiz.recipe.tree import Rows
from tests.findings.test_findings import picture_of

SIZE = (600, 400)


def sky(noise=0.0, bits=8, first=16.0):
    """A dark sky of 14 values of 255 from top to bottom, stored in so many bits."""
    values = np.linspace(first, first + 14.0, SIZE[1])[:, None] + np.zeros((1, SIZE[0]))
    values = values + np.random.default_rng(2).normal(0, 1.0, values.shape) * noise
    stored = np.rint(values * (2**bits - 1) / 255.0) / (2**bits - 1)
    linear = np.repeat(decode_sRGB(stored)[..., None], 3, axis=2).astype(np.float32)
    engine = picture_of(np.full(SIZE[::-1], 50.0))
    return Engine(replace(engine.frame, linear=linear))


def told(engine, place):
    base = Recipe()
    recipe = base.change_all(added(base, [("places", place)]), label="x")[0]
    reading = PictureReading(Meter(engine).read(recipe, ["banding", "full_size"]))
    return recipe, reading.banding, [each for each in judged(reading, recipe) if each.id == "places.bands"]


def lifted(EV):
    """Over all but a strip below, so that it has an edge where it is calm."""
    return Place("Sky", mask=Rows([("m", Ramp(x=0.5, y=0.46, x2=0.5, y2=0.48))]), exposure_EV=EV)


def test_steps_of_a_smooth_patch_are_those_between_its_values():
    rows = np.repeat(np.linspace(50.0, 54.0, 9), 15)[:PATCH_PX].astype(np.float32)
    bands = np.repeat(rows[:, None], PATCH_PX, axis=1)
    assert bands_L(bands) == pytest.approx(0.5, abs=1e-3)
    noisy = bands + np.random.default_rng(1).normal(0, 0.3, bands.shape).astype(np.float32)
    assert bands_L(noisy) == 0.0, "noise hides them"
    assert bands_L(np.full_like(bands, 50.0)) == 0.0
    thing = bands.copy()
    thing[40:60, 50:90:4] += 9.0
    assert bands_L(thing) == 0.0, "a thing in the patch is no band"
    lines = np.tile(np.array([50.0, 50.5], np.float32).repeat(PATCH_PX).reshape(2, -1), (PATCH_PX // 2, 1))
    assert bands_L(lines) == 0.0, "a texture is none either"
    smooth = np.repeat(np.linspace(50.0, 54.0, PATCH_PX, dtype=np.float32)[:, None], PATCH_PX, axis=1)
    assert bands_L(smooth) == 0.0, "a gradient of enough values has no bands"


def test_patches_lie_in_the_mask_where_it_is_smooth_and_apart():
    random = np.random.default_rng(3)
    L = np.full((200, 300), 60.0, np.float32) + np.linspace(0, 4, 200, dtype=np.float32)[:, None]
    L[:, 150:] += random.normal(0, 3.0, (200, 150)).astype(np.float32)
    mask = np.zeros_like(L)
    mask[:140] = 1.0
    patches = smooth_patches(mask, L, 4, (1200, 800))
    assert patches
    for n, (x, y, w, h) in enumerate(patches):
        assert x >= 0 and y >= 0 and x + w <= 1200 and y + h <= 140 * 4 + 4
        assert all(abs(x - a) >= PATCH_PX or abs(y - b) >= PATCH_PX for a, b, _, _ in patches[:n])
    assert patches[0][0] + PATCH_PX <= 150 * 4, "the smoothest first"
    assert not smooth_patches(np.zeros_like(L), L, 4, (1200, 800))
    assert not smooth_patches(mask, L, 1, (200, 200)), "too small to have a clear sky"


def test_a_place_that_pulls_stored_values_apart_is_told_and_its_fix_mends_it():
    engine = sky()
    recipe, banding, found = told(engine, lifted(3.0))
    (own,) = banding.values()
    # counted another way: the lightness values that a column of the developed picture has
    shown = engine.render(recipe, 0, own.at, result="rendered")[:, 60, 1]
    levels = np.unique(np.round(lightness(shown.astype(np.float64)), 2))
    assert own.step_L == pytest.approx(np.median(np.diff(levels)), abs=0.05) and 1.0 < own.step_L < 1.6
    assert own.before_L < 0.3
    (finding,) = found
    assert "Sky" in finding.claim and "bands" in finding.claim and finding.outlines
    better = fixed(recipe, finding)
    after = PictureReading(Meter(engine).read(better, ["banding", "full_size"]))
    assert not [each for each in judged(after, better) if each.id == "places.bands"]
    (kept,) = after.banding.values()
    assert 0.7 < kept.step_L < 1.0, "as much of it is kept as can be"


def test_noise_and_finer_values_and_small_changes_are_silent():
    assert not told(sky(noise=1.2), lifted(3.0))[2]
    assert not told(sky(bits=16), lifted(3.0))[1], "not stored in 8 bits"
    assert told(sky(first=90.0), lifted(1.0))[1] and not told(sky(first=90.0), lifted(0.02))[1]
    assert Banding(1.3, 0.4, (0, 0, 9, 9)).is_seen and not Banding(1.3, 0.0, (0, 0, 9, 9)).is_seen
    assert not Banding(0.9, 0.4, (0, 0, 9, 9)).is_seen and not Banding(1.9, 1.2, (0, 0, 9, 9)).is_seen


def test_where_bands_all_but_show_without_the_place_no_fix_is_offered():
    recipe = Recipe().change_all(added(Recipe(), [("places", lifted(1.0))]), label="x")[0]
    (ident,) = recipe.places.order
    for before, can_be in ((0.4, True), (0.89, False), (0.97, False)):
        reading = PictureReading({"banding": {ident: Banding(1.4, before, (0, 0, 9, 9))}, "full_size": SIZE})
        (finding,) = [each for each in judged(reading, recipe) if each.id == "places.bands"]
        assert (finding.fix is not None) == bool(finding.fix_label) == can_be
