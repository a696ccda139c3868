"""Places in the graph: neutral ones change nothing, masks agree at every size, what is changed is what is said."""

import json

import cv2
import numpy as np
import pytest

from matiz.cli import main
from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import REC2020_TO_SRGB, encode_sRGB
from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import mask as mask_node
from matiz.develop.places.weighing import Masked, mask_of, warmer_stops
from matiz.develop.stages.rendition import curve as curved
from matiz.kernels.display_places import blended
from matiz.kernels.places import placed
from matiz.masks import parts as parts_module
from matiz.masks.view import lab
from matiz.recipe.change import Change
from matiz.recipe.document import Document
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added
from matiz.recipe.places import (
    Bright,
    Brush,
    Colour,
    Dim,
    Edges,
    Ellipse,
    Lasso,
    Mapped,
    Middle,
    Muted,
    Place,
    Ramp,
    Reach,
    SameAs,
    Saturated,
    Stroke,
    Zones,
)
from matiz.recipe.shapes import Grid, Shape
from matiz.recipe.toning import Contrast
from matiz.recipe.tree import Rows, replaced
from matiz.shoot.sidecar import load_document, save_document
from tests.conftest import SMALL, chart_frame

SRGB_TO_REC2020 = np.linalg.inv(REC2020_TO_SRGB)


def rows(*parts) -> Rows:
    return Rows((f"p{n}", part) for n, part in enumerate(parts))


SOFT = rows(Ellipse(x=0.5, y=0.3, w=0.5, h=0.4), Bright(join="intersect"))
MASKS = (
    SOFT, rows(Ramp(x=0.1, y=0.1, x2=0.8, y2=0.4)), rows(Zones(low=3.0, high=6.0, soft=2.0)),
    rows(Lasso(path=((0.2, 0.1), (0.8, 0.2), (0.5, 0.5)), feather_px=40.0)),
    rows(Colour(picks=((0.3, 0.3),), hue_deg=40.0)), rows(Saturated(chroma=20.0, soft=50.0)),
)  # fmt: skip


def mask(parts, dark=0.0, light=10.0):
    return mask_node(Masked(parts, dark, light))


def with_places(*places, base=None) -> Recipe:
    base = base or Recipe()
    return base.change_all(added(base, [("places", place) for place in places]), label="x")[0]


@pytest.mark.parametrize("place", [
    Place(mask=SOFT), Place(mask=SOFT, exposure_EV=1.0, strength_percent=0.0),
    Place(mask=SOFT, exposure_EV=1.0, active="off"), Place(name="neutral"),
])  # fmt: skip
def test_what_changes_nothing_is_bit_for_bit_the_picture_without_it(scene_engine, place):
    for result in ("screen", "display", "scene"):
        plain, other = (scene_engine.render(recipe, 0, result=result) for recipe in (Recipe(), with_places(place)))
        assert np.array_equal(plain, other)
    empty = Place(mask=rows(Bright(strength_percent=0.0)), exposure_EV=2.0)
    np.testing.assert_array_equal(
        scene_engine.render(with_places(empty), 0), scene_engine.render(Recipe(), 0), err_msg="an empty mask"
    )


@pytest.mark.parametrize("n", range(len(MASKS)))
def test_masks_agree_at_every_size_and_wherever_the_picture_lies(scene_engine, n):
    node = mask(MASKS[n])
    full = scene_engine.render(Recipe(), 0, result=node)[..., 0]
    small = scene_engine.render(Recipe(), 1, result=node)[..., 0]
    means = cv2.resize(full, small.shape[::-1], interpolation=cv2.INTER_AREA)
    assert 0.02 < full.mean() < 0.98 and np.abs(means - small).mean() < 0.01
    part = scene_engine.render(Recipe(), 0, (130, 90, 120, 100), result=mask(MASKS[n]))[..., 0]
    np.testing.assert_allclose(part, full[90:190, 130:250], atol=2e-3)
    recipe = Recipe().change_all([("mend.quarter_turns", "1"), ("mend.crop", (0.1, 0.1, 0.7, 0.5))], label="x")[0]
    turned = scene_engine.render(recipe, 0, result=mask(MASKS[n]))[..., 0]
    cut = full[60 : 60 + turned.shape[1], 60 : 60 + turned.shape[0]]
    assert np.abs(np.rot90(cut, -1) - turned).mean() < 0.004


def test_a_place_changes_what_it_says_where_it_is(scene_engine):
    place = Place(mask=rows(Ellipse(x=0.5, y=0.3, w=0.4, h=0.3, soft_percent=10.0)), exposure_EV=1.5)
    plain, made = (scene_engine.render(r, 0, result="scene") for r in (Recipe(), with_places(place)))
    own = scene_engine.render(Recipe(), 0, result=mask(place.mask))[..., :1]
    np.testing.assert_allclose(made, plain * 2.0 ** (1.5 * own), rtol=2e-3, atol=1e-5)
    twice = with_places(place, place)
    shown = scene_engine.render(twice, 0, result="scene")
    np.testing.assert_allclose(shown, plain * 2.0 ** (3.0 * own), rtol=3e-3, atol=1e-5)
    doubled = with_places(Place(mask=place.mask, exposure_EV=1.5, strength_percent=200.0))
    np.testing.assert_allclose(scene_engine.render(doubled, 0), scene_engine.render(twice, 0), atol=1)


def test_no_place_feeds_back_into_a_mask(scene_engine):
    dark = Place(exposure_EV=-3.0)
    own = scene_engine.render(Recipe(), 1, result=mask(SOFT))
    assert np.array_equal(own, scene_engine.render(with_places(dark), 1, result=mask(SOFT)))
    brighter = scene_engine.render(Recipe().change("tone.exposure_EV", 1.0)[0], 1, result=mask(SOFT))
    assert brighter.mean() > own.mean() * 1.05, "but what the whole does is seen"


def test_a_drag_in_a_place_makes_no_mask_anew(scene_engine):
    engine = Engine(scene_engine.frame)
    recipe = with_places(Place(mask=SOFT, exposure_EV=0.5), Place(mask=MASKS[4], chroma_percent=30.0))
    engine.render(recipe, 1)
    runs, ident = dict(engine.runs), recipe.places.order[0]
    engine.render(recipe.change(f"places.{ident}.exposure_EV", 0.8)[0], 1)
    made = {name for name, count in engine.runs.items() if count > runs.get(name, 0)}
    assert made == {"places", "screen"}
    engine.render(recipe.change(f"places.{ident}.mask.p1.exponent", 3.0)[0], 1)
    assert engine.runs["masks of the places"] == runs["masks of the places"] + 1
    assert engine.runs["picks of masks of the places"] == runs["picks of masks of the places"]


def test_warmer_light_and_chroma_keep_luminance():
    for mired in (-150.0, 40.0, 200.0):
        red, _, blue = warmer_stops(mired)
        assert (red > 0 > blue) == (mired > 0) and np.sign(red) == -np.sign(blue)
        weights = np.array([0.2627, 0.6780, 0.0593])
        assert abs(float(2.0 ** warmer_stops(abs(mired)) @ weights) - 1.0) < 5e-3
        np.testing.assert_allclose(warmer_stops(-mired, 0.004), -warmer_stops(mired, -0.004))
    assert warmer_stops(0.0, 0.01)[1] > 0.0 > warmer_stops(0.0, 0.01)[0], "greener"
    pixels = np.random.default_rng(0).random((6, 7, 3), np.float32)
    ones = np.ones((6, 7, 1), np.float32)
    white = np.ones((1, 3))
    made = placed(pixels, ones, np.array([[0.0, 0.5]], np.float32), white)
    bright = pixels @ np.array([0.2627, 0.6780, 0.0593], np.float32)
    np.testing.assert_allclose(made, bright[..., None] + 1.5 * (pixels - bright[..., None]), atol=1e-5)
    grey = placed(pixels, 2.0 * ones, np.array([[0.0, -1.0]], np.float32), white)
    np.testing.assert_allclose(grey, np.repeat(bright[..., None], 3, axis=2), atol=1e-5)


def test_where_a_mask_is_a_share_of_a_light_the_light_is_a_mixture():
    """A grey under a mixture of two lights is grey again, whatever the share."""
    other = np.array([1.6, 0.95, 0.3], np.float32)
    share = np.linspace(0.0, 1.0, 42, dtype=np.float32).reshape(6, 7, 1)
    lit = 0.4 * (1.0 - share + share * other)
    made = placed(lit, share, np.zeros((1, 2)), other[None])
    np.testing.assert_allclose(made, 0.4, atol=1e-5)


def test_a_pinned_place_keeps_its_colours_as_the_whole_is_warmed(scene_engine):
    base = Recipe().change_all([("light.cct_K", 5500.0)], label="x")[0]
    pinned = with_places(Place(pinned_K=5500.0), base=base)
    for cct_K in (5500.0, 4200.0, 7500.0):
        moved, free = (recipe.change("light.cct_K", cct_K)[0] for recipe in (pinned, base))
        before, held, warmed = (lab(scene_engine.render(r, 1, result="rendered")) for r in (base, moved, free))
        off, would = (delta_E_2000(before, each).mean() for each in (held, warmed))
        assert off < 0.2 * would + 0.05
    # however far the eye is taken to be adapted
    half = base.change("light.adaptation_percent", 50.0)[0]
    held, wanted = (
        lab(scene_engine.render(recipe, 1, result="rendered"))
        for recipe in (with_places(Place(pinned_K=5500.0), base=half.change("light.cct_K", 7500.0)[0]), half)
    )
    assert delta_E_2000(held, wanted).mean() < 0.6
    off = with_places(Place(pinned_K=5500.0), base=base.change("light.cct_K", 7500.0)[0])
    unpinned = off.change(f"places.{off.places.order[0]}.pinned_K", 0.0)[0]
    cooler = base.change("light.cct_K", 7500.0)[0]
    assert np.array_equal(scene_engine.render(unpinned, 1), scene_engine.render(cooler, 1))


def test_a_map_lies_over_the_frame_however_the_picture_is_turned(scene_engine):
    shares = Grid.of(np.tile(np.linspace(0.0, 1.0, 12), (8, 1)))
    own = scene_engine.render(Recipe(), 0, result=mask(rows(Mapped(shares=shares))))[..., 0]
    np.testing.assert_allclose(own[:, 300], 0.5, atol=0.01)
    assert own[200, 20] < 0.02 and own[200, 580] > 0.98
    turned = Recipe().change("mend.quarter_turns", "1")[0]
    there = scene_engine.render(turned, 0, result=mask(rows(Mapped(shares=shares))))[..., 0]
    np.testing.assert_allclose(there, np.rot90(own, -1), atol=2e-3)


def test_places_go_to_json_and_back_and_through_history():
    recipe = with_places(Place(name="Sky", mask=MASKS[3], warmer_mired=20.0), Place(mask=SOFT))
    assert Recipe.from_json(recipe.to_json()) == recipe
    ident = recipe.places.order[1]
    moved, change = recipe.change(f"places.{ident}.mask.p0.w", 0.9)
    assert moved.places[ident].mask["p0"].w == 0.9
    assert moved.applied(change.before()) == recipe
    assert recipe.untouched() == Recipe() and not recipe.with_plain("places").places


def test_masks_are_written_by_the_command_line(tmp_path, shoot):
    scene_file = shoot / "CORVA_0011.dng"
    out = tmp_path / "mask.png"
    assert main(["mask", str(scene_file), "--part", "ramp,x=0.1,y=0.1,x2=0.8,y2=0.4", "-o", str(out)]) == 0
    codes = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert codes.dtype == np.uint16 and codes.shape == (SMALL[1], SMALL[0])
    assert codes.max() > 60_000 and codes.min() == 0
    recipe = with_places(Place(name="Sky", mask=MASKS[1], exposure_EV=1.0))
    (tmp_path / "r.json").write_text(json.dumps(recipe.to_json()))
    again = tmp_path / "again.png"
    arguments = ["mask", str(scene_file), "--recipe", str(tmp_path / "r.json"), "-o", str(again), "--place"]
    assert main([*arguments, "Sky"]) == 0
    assert np.array_equal(codes, cv2.imread(str(again), cv2.IMREAD_UNCHANGED))
    assert main([*arguments, "Sea"]) == 2 and main(["mask", str(scene_file), "-o", str(out)]) == 2
    assert main(["mask", str(scene_file), "--part", "bright", "-o", str(tmp_path / "a.jpg")]) == 2


def test_a_place_without_a_mask_does_what_its_stations_do(scene_engine):
    zones = (0.0, 0.0, 0.6, 0.5, 0.3, 0.0, -0.2, -0.4, 0.0, 0.0, 0.0)
    for path, value in (
        ("zones_EV", zones), ("contrast.fine_dB", 6.0), ("contrast.middle_dB", 5.0), ("contrast.broad_dB", -4.0),
        ("haze_percent", 40.0),
    ):  # fmt: skip
        place = with_places(Place())
        ident = place.places.order[0]
        here = scene_engine.render(place.change(f"places.{ident}.{path}", value)[0], 1, result="scene")
        whole = scene_engine.render(Recipe().change(f"tone.{path}", value)[0], 1, result="scene")
        plain = scene_engine.render(Recipe(), 1, result="scene")
        assert np.abs(whole - plain).max() > 0.01, path
        np.testing.assert_allclose(here, whole, rtol=2e-3, atol=2e-5, err_msg=path)
    curve = ((0.0, 0.0), (0.4, 0.55), (1.0, 1.0))
    bent = scene_engine.render(with_places(Place(curve=curve)), 1, result="rendered")
    L, expected = (lab(each)[..., 0] / 100.0 for each in (bent, scene_engine.render(Recipe(), 1, result="rendered")))
    inside = bent.max(axis=2) < 0.98
    np.testing.assert_allclose(L[inside], curved(curve, expected)[inside], atol=4e-3)


@pytest.mark.parametrize("rendition", ["standard", "soft", "strong", "linear"])
def test_lightening_holds_chroma_and_can_let_it_go(rendition):
    frame, scene = chart_frame("daylight:6500")
    engine, base = Engine(frame), Recipe().change("tone.rendition", rendition)[0]

    def patches(*places, result="rendered") -> np.ndarray:
        shown = engine.render(with_places(*places, base=base), 0, result=result).astype(np.float64)
        areas = [area for name, area in scene.areas.items() if name != "grey"]
        means = np.array([[shown[y : y + h, x : x + w].mean(axis=(0, 1)) for x, y, w, h in areas]])
        return lab((means if result == "rendered" else means @ SRGB_TO_REC2020.T).astype(np.float32))[0]

    lighter, loose = Place(exposure_EV=1.0), Place(exposure_EV=1.0, hold_chroma="off")
    plain, held, free = patches(), patches(lighter), patches(loose)
    before, after, let_go = (np.hypot(each[:, 1], each[:, 2]) for each in (plain, held, free))
    coloured = (before > 8.0) & (held[:, 0] < 90.0)
    assert coloured.sum() >= 12 and (held - plain)[coloured, 0].min() > 3.0
    assert np.abs(after / before - 1.0)[coloured].max() < 0.03
    assert np.abs(let_go / before - 1.0)[coloured].mean() > 0.05
    # and in the file, but for what has no room in its gamut once it is lighter
    file = patches(lighter, result="display")
    fits = coloured & (np.abs(file - held).max(axis=1) < 0.5)
    assert fits.sum() >= 6
    np.testing.assert_allclose(np.hypot(file[fits, 1], file[fits, 2]), before[fits], rtol=0.03)
    darker = (Place(exposure_EV=-1.0),), (Place(exposure_EV=-1.0, hold_chroma="off"),)
    assert np.array_equal(*(engine.render(with_places(*each), 1) for each in darker))


def test_a_tint_lays_a_colour_over_it_and_keeps_lightness(scene_engine):
    plain = lab(scene_engine.render(Recipe(), 1, result="rendered"))
    tinted = lab(scene_engine.render(with_places(Place(tint_chroma=8.0, tint_hue_deg=90.0)), 1, result="rendered"))
    middle = (plain[..., 0] > 20.0) & (plain[..., 0] < 80.0)
    np.testing.assert_allclose((tinted - plain)[middle].mean(axis=0), (0.0, 0.0, 8.0), atol=0.15)
    assert np.abs((tinted - plain)[middle][:, 0]).max() < 0.5


def test_blending_follows_its_formulas():
    """W3C Compositing and Blending Level 1: multiply, screen, soft-light, of a picture with itself."""
    shown = np.random.default_rng(0).random((8, 9, 3), np.float32)
    ones = np.ones((8, 9, 1), np.float32)
    e = encode_sRGB(shown)
    D = np.where(e <= 0.25, ((16 * e - 12) * e + 4) * e, np.sqrt(e))
    soft = np.where(e <= 0.5, e - (1 - 2 * e) * e * (1 - e), e + (2 * e - 1) * (D - e))
    for n, expected in enumerate((e * e, e + e - e * e, soft)):
        made = blended(shown, ones, np.eye(3, dtype=np.float32)[n : n + 1])
        np.testing.assert_allclose(encode_sRGB(made), expected, atol=2e-3)
        half = blended(shown, 0.5 * ones, np.eye(3, dtype=np.float32)[n : n + 1])
        np.testing.assert_allclose(encode_sRGB(half), (e + expected) / 2, atol=2e-3)
    assert np.array_equal(blended(shown, 0.0 * ones, np.ones((1, 3), np.float32)), shown)


def test_the_screen_shows_what_the_file_holds_whatever_a_place_changes(scene_engine):
    place = Place(mask=SOFT, exposure_EV=0.7, tint_chroma=5.0, curve=((0.0, 0.0), (0.5, 0.4), (1.0, 1.0)))
    red = Recipe().change("tone.curve.red", ((0.0, 0.0), (0.5, 0.55), (1.0, 1.0)))[0]
    for recipe in (with_places(place), with_places(place, base=red), with_places(replaced(place, blend="screen"))):
        screen = scene_engine.render(recipe, 0)[..., 2::-1].astype(float)
        file = encode_sRGB(scene_engine.render(recipe, 0, result="display")) * 255.0
        assert np.abs(screen - file).max() < 0.8


def test_the_mask_of_another_place_is_had_as_that_place_has_it(scene_engine):
    base = with_places(Place(name="Sky", mask=MASKS[1], spare_dark=4.0))
    sky = base.places.order[0]
    trees = Place(mask=rows(SameAs(of=sky), Zones(low=0.0, high=3.0, join="subtract")), exposure_EV=1.0)
    recipe = with_places(trees, base=base)
    own = scene_engine.render(Recipe(), 1, result=mask(MASKS[1], 4.0))
    dark = scene_engine.render(Recipe(), 1, result=mask(rows(Zones(low=0.0, high=3.0))))
    made = scene_engine.render(recipe, 1, result=mask_node(mask_of(recipe, recipe.places.order[1])))
    np.testing.assert_allclose(made, own * (1.0 - dark), atol=2e-3)
    assert own.max() > 0.5 and np.abs(made - own).max() > 0.1
    moved = recipe.change(f"places.{sky}.mask.p0.y2", 0.6)[0]
    assert np.abs(scene_engine.render(moved, 1) - scene_engine.render(recipe, 1).astype(float)).max() > 3
    # a place that has itself in it, or one that is gone, has nothing of it
    turned = recipe.change_all([(f"places.{sky}.mask.x", SameAs(of=recipe.places.order[1]))], label="x")[0]
    assert np.isfinite(scene_engine.render(turned, 1, result="scene")).all()
    gone = with_places(Place(mask=rows(SameAs(of="nobody")), exposure_EV=1.0))
    assert np.array_equal(scene_engine.render(gone, 1), scene_engine.render(Recipe(), 1))


def test_the_mask_of_another_place_is_made_once_for_all_that_use_it(scene_engine, monkeypatch):
    made = []
    of_ramp = parts_module.PARTS[Ramp]
    monkeypatch.setitem(parts_module.PARTS, Ramp, lambda *given: (made.append(1), of_ramp(*given))[1])
    base = with_places(Place(mask=rows(Ramp(y2=0.4)), exposure_EV=0.2))
    last = base.places.order[0]
    for _ in range(4):
        twice = rows(SameAs(of=last), SameAs(of=last, invert="on", join="intersect"), SameAs(of=last, feather_px=9.0))
        base = with_places(Place(mask=twice, exposure_EV=0.2), base=base)
        last = base.places.order[-1]
    shown = Engine(scene_engine.frame).render(base, 3, result="scene")
    assert 2 <= len(made) <= 4, "once for itself, once for all others that use it, and for a second tile"
    monkeypatch.setattr("matiz.develop.places.weighing.used_twice", lambda _: frozenset())
    made.clear()
    assert np.array_equal(Engine(scene_engine.frame).render(base, 3, result="scene"), shown) and len(made) > 50


def test_strokes_on_top_are_laid_alone_and_undone_ones_are_kept(scene_engine):
    engine = Engine(scene_engine.frame)
    rng = np.random.default_rng(1)
    strokes = [Stroke(path=Shape.of(rng.random((3, 2)) * (0.9, 0.6)), radius_px=30.0) for _ in range(6)]
    recipe = with_places(Place(mask=rows(Brush(strokes=Rows(enumerate_ids(strokes[:4])))), exposure_EV=1.0))
    table = f"places.{recipe.places.order[0]}.mask.p0.strokes"
    engine.render(recipe, 1)
    assert engine.sensor.paint.strokes_laid == 4
    more = recipe.insert(table, strokes[4], label="x")[0]
    shown = engine.render(more, 1)
    assert engine.sensor.paint.strokes_laid == 5
    longer = more.change(f"{table}.{more.get(table).order[-1]}.path", strokes[5].path)[0]
    engine.render(longer, 1)
    engine.render(recipe, 1)
    assert engine.sensor.paint.strokes_laid == 6
    np.testing.assert_array_equal(shown, Engine(scene_engine.frame).render(more, 1))
    turned = more.change("mend.level_deg", 3.0)[0]
    np.testing.assert_array_equal(engine.render(turned, 1), Engine(scene_engine.frame).render(turned, 1))


def test_strokes_that_keep_to_a_colour_follow_what_the_whole_does(scene_engine):
    engine = Engine(scene_engine.frame)
    path = Shape.of([(0.1, 0.2), (0.9, 0.5)])
    stroke = Stroke(path=path, radius_px=90.0, strength_percent=100.0, keep_to=8.0)
    recipe = with_places(Place(mask=rows(Brush(strokes=Rows([("s", stroke)]))), exposure_EV=1.0))
    before = engine.render(recipe, 1)
    darker = recipe.change("tone.curve.lightness", ((0.0, 0.0), (0.6, 0.2), (1.0, 1.0)))[0]
    after = engine.render(darker, 1)
    np.testing.assert_array_equal(after, Engine(scene_engine.frame).render(darker, 1))
    assert not np.array_equal(before, after)


def enumerate_ids(items):
    return ((f"s{n}", item) for n, item in enumerate(items))


def test_places_spare_the_darkest_and_the_lightest(scene_engine):
    full = scene_engine.render(Recipe(), 0, result=mask(rows()))
    spared = scene_engine.render(Recipe(), 0, result=mask(rows(), 3.0, 7.0))[..., 0]
    scene = scene_engine.render(Recipe(), 0, result="scene")
    zone = np.log2(np.maximum(scene @ np.array([0.2627, 0.678, 0.0593], np.float32), 1e-6) / 0.18) + 5.0
    assert (full == 1.0).all() and (spared[(zone > 3.05) & (zone < 6.95)] > 0.999).all()
    assert (spared[(zone < 1.95) | (zone > 8.05)] < 0.001).all()


EVERY = (
    Bright(exponent=2.0), Dim(join="subtract", strength_percent=40.0), Middle(join="intersect", channel="green"),
    Zones(low=2.0, high=7.0), Colour(picks=((0.3, 0.3),)), Saturated(), Muted(join="subtract"), Edges(),
    Ramp(x=0.1, y=0.1, x2=0.8, y2=0.5, invert="on"), Ellipse(feather_px=20.0),
    Lasso(path=((0.2, 0.1), (0.8, 0.2), (0.5, 0.5))),
    Reach(picks=((0.6, 0.4),), keep_out=((0.1, 0.1),), join="subtract"), Mapped(shares=Grid.of(np.eye(4)), grow_px=3.0),
    Brush(strokes=Rows([("s1", Stroke(path=Shape.of([(0.1, 0.1, 0.5), (0.8, 0.5, 1.0)]), keep_to=20.0)),
                        ("s2", Stroke(path=Shape.of([(0.4, 0.3)]), erase="on"))])),
)  # fmt: skip


def test_a_place_of_everything_is_the_same_after_json_undo_and_on_another_size(scene_engine):
    place = Place(
        "All", mask=rows(*EVERY), exposure_EV=0.8, warmer_mired=-30.0, greener_duv=0.004, pinned_K=5000.0,
        zones_EV=(0.2,) * 11, contrast=Contrast(2.0, 3.0, -1.0), haze_percent=20.0, tint_chroma=6.0, blend="soft_light",
        curve=((0.0, 0.0), (0.4, 0.45), (1.0, 1.0)), chroma_percent=15.0, spare_dark=1.0, spare_light=9.0,
    )  # fmt: skip
    recipe, change = Recipe().change_all(added(Recipe(), [("places", place)]), label="x")
    shown = scene_engine.render(recipe, 0)
    back = Recipe.from_json(json.loads(json.dumps(recipe.to_json())))
    assert back == recipe and np.array_equal(Engine(scene_engine.frame).render(back, 0), shown)
    assert recipe.applied(change.before()) == Recipe()
    redone = Recipe().applied(Change.from_json(json.loads(json.dumps(change.to_json()))).after())
    assert np.array_equal(Engine(scene_engine.frame).render(redone, 0), shown)
    small = scene_engine.render(recipe, 1)[..., :3].astype(float)
    means = cv2.resize(shown[..., :3], small.shape[1::-1], interpolation=cv2.INTER_AREA).astype(float)
    assert np.abs(small - means).mean() < 2.5
    plain = scene_engine.render(Recipe(), 0)
    assert np.abs(shown.astype(float) - plain).mean() > 2.0


def test_places_and_strokes_are_the_same_after_a_restart_in_every_version(scene_engine, tmp_path):
    picture = tmp_path / "a.dng"
    document, _ = Document().change_all(added(Recipe(), [("places", Place("All", mask=rows(*EVERY)))]), label="x")
    ident = document.recipe.places.order[0]
    document, _ = document.change_all([(f"places.{ident}.exposure_EV", 0.7)], label="lighter")
    document = document.with_version(document.version, "Second")
    save_document(picture, document)
    back = load_document(picture)
    assert back == document and back.current == "Second"
    fresh = Engine(scene_engine.frame)
    for name in document.versions:
        shown = scene_engine.render(document.versions[name].recipe, 1)
        np.testing.assert_array_equal(fresh.render(back.versions[name].recipe, 1), shown)
    assert back.version.undo().recipe.places[ident].exposure_EV == 0.0
    assert back.version.undo().undo().recipe == Recipe()


def test_half_the_strength_is_half_the_stops_of_warmth(scene_engine):
    """Warmth is light of another colour: in stops, it goes with the strength."""

    def stops(strength):
        place = Place(
            mask=rows(Ellipse(x=0.5, y=0.3, w=3.0, h=3.0, feather_px=0.0)), warmer_mired=60.0, strength_percent=strength
        )
        with_place = Recipe().insert("places", place, label="x")[0]
        plain, warm = (scene_engine.render(each, 2, result="scene") for each in (Recipe(), with_place))
        return np.median(np.log2(np.maximum(warm, 1e-6) / np.maximum(plain, 1e-6)).reshape(-1, 3), axis=0)

    whole, half = stops(100.0), stops(50.0)
    assert np.abs(whole).max() > 0.1
    np.testing.assert_allclose(half, whole / 2.0, atol=0.02)
