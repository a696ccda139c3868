"""Repairs in the graph: the same at every level, in their order, made once, under all later changes."""

from dataclasses import replace
from functools import partial
from pathlib import Path
from threading import Thread

import cv2
import numpy as np
import pytest

from matiz.develop.graph.engine import Engine, full_picture
from matiz.errors import Cancelled
from matiz.image.reduce import halved
from matiz.raw.frame import CameraColour, Frame
from matiz.recipe.mending import Clone, Fill, Heal
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added

SIZE = (1504, 1000)


def engine() -> Engine:
    pixels = np.random.default_rng(4).random((SIZE[1], SIZE[0], 3), np.float32)
    return Engine(Frame(Path("a.tif"), CameraColour(), linear=cv2.GaussianBlur(pixels, (0, 0), 2.0)))


def at(x: float, y: float) -> tuple[float, float]:
    return (x + 0.5) / SIZE[0], (y + 0.5) / SIZE[0]


def clone(x, y, dx, dy, kind=Clone, **more):
    return kind(path=(at(x, y),), radius_px=20.0, feather_px=4.0, dx=dx / SIZE[0], dy=dy / SIZE[0], **more)


def with_repairs(*items) -> Recipe:
    recipe = Recipe()
    return recipe.change_all(added(recipe, [("mend.repairs", item) for item in items]), label="x")[0]


def test_a_clone_shows_its_source_at_every_level():
    made, recipe = engine(), with_repairs(clone(400, 300, 160, -80))
    full = made.render(recipe, 0, result="camera")
    assert np.array_equal(full[290:310, 390:410], made.frame.linear[210:230, 550:570])
    untouched = np.ones(full.shape[:2], bool)
    untouched[270:331, 370:431] = False
    assert np.array_equal(full[untouched], made.frame.linear[untouched])
    expected = full
    for level in (1, 2, 3):
        expected = halved(expected)
        np.testing.assert_allclose(made.render(recipe, level, result="camera"), expected, atol=1e-5)


def test_later_repairs_see_earlier_ones_and_order_counts():
    first, second = clone(400, 300, 160, 0), clone(700, 300, -300, 0)
    made = engine()
    there = made.frame.linear[290:310, 550:570]
    both = made.render(with_repairs(first, second), 0, result="camera")
    assert np.array_equal(both[290:310, 690:710], there), "a copy of the copy"
    turned = made.render(with_repairs(second, first), 0, result="camera")
    assert np.array_equal(turned[290:310, 690:710], made.frame.linear[290:310, 390:410])


def test_one_change_makes_only_what_it_touches():
    items = [clone(100 + 130 * n, 200, 20, 300, Heal) for n in range(10)]
    made, recipe = engine(), with_repairs(*items)
    made.render(recipe, 0, (0, 0, 64, 64))
    assert made.sensor.patches.runs == 10
    ident = recipe.mend.repairs.order[4]
    moved = recipe.change(f"mend.repairs.{ident}.dx", 0.05)[0]
    made.render(moved, 0, (0, 0, 64, 64))
    assert made.sensor.patches.runs == 11
    runs = dict(made.runs)
    made.render(moved.change("tone.exposure_EV", 1.0)[0], 0, (0, 0, 64, 64))
    assert made.sensor.patches.runs == 11 and made.runs["sensor"] == runs["sensor"]
    off = recipe.change(f"mend.repairs.{ident}.active", "off")[0]
    shown = made.render(off, 0, result="camera")
    assert np.array_equal(shown[190:210, 610:630], made.frame.linear[190:210, 610:630])
    assert made.sensor.patches.runs == 11


def test_they_stay_in_their_place_under_every_geometry_and_in_the_file():
    made, recipe = engine(), with_repairs(clone(400, 300, 160, -80))
    bent = recipe.change_all(
        [("mend.level_deg", 4.0), ("mend.distortion_percent", -3.0), ("mend.quarter_turns", "1"),
         ("mend.crop", (0.1, 0.1, 0.6, 0.4))], label="x")[0]  # fmt: skip
    mapping = made.mapping(bent)
    x, y = mapping.to_picture([(400.0, 300.0)])[0]
    shown = made.render(bent, 0, result="camera")[round(y) - 5 : round(y) + 6, round(x) - 5 : round(x) + 6]
    # what would be there if the whole frame were the source's
    moved = np.roll(made.frame.linear, (80, -160), axis=(0, 1))
    other = Engine(replace(made.frame, linear=np.ascontiguousarray(moved)))
    plain = bent.change_all([(f"mend.repairs.{bent.mend.repairs.order[0]}.active", "off")], label="x")[0]
    truth = other.render(plain, 0, result="camera")[round(y) - 5 : round(y) + 6, round(x) - 5 : round(x) + 6]
    np.testing.assert_allclose(shown, truth, atol=1e-4)
    np.testing.assert_allclose(full_picture(made, bent), made.render(bent, 0, result="display"), atol=5e-3)


def test_recipes_with_repairs_go_to_json_and_back():
    recipe = with_repairs(clone(400, 300, 160, -80), clone(10, 10, 50, 0, Heal, active="off"))
    assert Recipe.from_json(recipe.to_json()) == recipe
    assert [item["kind"] for item in recipe.to_json()["mend"]["repairs"]] == ["clone", "heal"]


def outline(x: float, y: float, r: float) -> tuple[tuple[float, float], ...]:
    return at(x - r, y - r), at(x + r, y - r), at(x + r, y + r), at(x - r, y + r)


def test_an_outline_holds_all_inside():
    square = clone(400, 300, 160, -80)
    made, recipe = engine(), with_repairs(replace(square, path=outline(400, 300, 40), outline="on", radius_px=1.0))
    full = made.render(recipe, 0, result="camera")
    assert np.array_equal(full[262:339, 362:439], made.frame.linear[182:259, 522:599])
    stroke = with_repairs(replace(square, path=outline(400, 300, 40), radius_px=1.0))
    middle = made.render(stroke, 0, (390, 290, 20, 20), result="camera")
    assert np.array_equal(middle, made.frame.linear[290:310, 390:410])


def test_a_fill_is_made_once_follows_what_lies_below_and_can_be_stopped():
    made = engine()
    item = Fill(path=outline(400, 300, 30), outline="on", radius_px=1.0)
    recipe = with_repairs(item)
    kept, take = made.sensor.patches, partial(made.sensor.read, 0)
    with pytest.raises(Cancelled):
        kept.all(take, made.frame.size, recipe.mend.repairs, lambda share: share < 0.3)
    assert kept.runs == 0
    threads = [Thread(target=kept.all, args=(take, made.frame.size, recipe.mend.repairs)) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert kept.runs == 1, "who asks meanwhile waits"
    shown = made.render(recipe, 0, (370, 270, 60, 60), result="camera")
    assert kept.runs == 1 and np.abs(shown - made.frame.linear[270:330, 370:430]).mean() > 0.01
    # a repair in what it looks at changes it, one far away does not
    near, far = with_repairs(clone(500, 300, 0, 200), item), with_repairs(clone(1300, 800, 0, -200), item)
    for changed, more in ((far, 1), (near, 2)):
        before = kept.runs
        made.render(changed, 0, (370, 270, 60, 60), result="camera")
        assert kept.runs - before == more
    other = recipe.change(f"mend.repairs.{recipe.mend.repairs.order[0]}.turn", 3.0)[0]
    assert not np.array_equal(made.render(other, 0, (370, 270, 60, 60), result="camera"), shown)
