"""How masks end: leaks and gaps are listed with their places, clean masks list none, rims are told."""

from dataclasses import replace
from types import SimpleNamespace

import cv2
import numpy as np
import pytest
from sklearn.datasets import load_sample_image

from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import small_place_mask
from matiz.findings.find import fixed
from matiz.findings.places import halo, leaks
from matiz.masks.view import lab
from matiz.measure.picture import Meter
from matiz.measure.places import readings as readings_module
from matiz.measure.places.mask_edge import EdgeReading, EdgeRow, EdgeSpot, read_edge
from matiz.raw.decode import read_frame
from matiz.recipe.model import Recipe, plain_recipe
from matiz.recipe.paths import added
from matiz.recipe.places import Brush, Lasso, People, Place, Ramp, Sky, Stroke, Subject
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows
from matiz_simcam.camera import expose
from matiz_simcam.shoot import DEMO_SHOTS, scene_of
from matiz_simcam.truth import truth_of

SIZE = (1500, 1000)


@pytest.fixture(scope="module", params=["CORVA_0012.dng", "CORVA_0031.dng"])
def seen(request):
    return scene_and_mask(request.param)


def scene_and_mask(name: str) -> tuple[np.ndarray, np.ndarray]:
    """L*, a*, b* of a frame, and a true mask of it: the sky of the pans, the lizard."""
    shot = next(s for s in DEMO_SHOTS if s.name == name)
    scene = scene_of(shot.scene, SIZE, view=shot.view)
    truth = truth_of(scene, shot.settings).masks
    mask = truth["sky"] if "sky" in truth else truth["subject"] + truth["eye"]
    Lab = lab(Engine(expose(scene, shot.settings)).render(Recipe(), 0, result="small rendered"))
    return Lab, np.ascontiguousarray(mask, np.float32)


def test_clean_masks_list_no_leak(seen):
    Lab, mask = seen
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.leaks == ()
    assert own.agreement > 0.6


def flower() -> tuple[np.ndarray, np.ndarray]:
    """A photograph of an orange flower before dark green, L*, a*, b*, and its mask by that colour."""
    picture = load_sample_image("flower.jpg")
    big = cv2.resize(picture, (1500, 1001), interpolation=cv2.INTER_CUBIC)
    Lab = cv2.cvtColor(big.astype(np.float32) / 255.0, cv2.COLOR_RGB2LAB)
    orange = cv2.medianBlur(((Lab[..., 1] > 8) & (Lab[..., 2] > 10)).astype(np.uint8), 11)
    solid = cv2.morphologyEx(orange, cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8))
    return Lab, cv2.GaussianBlur(solid.astype(np.float32), (0, 0), 1.0)


def pans() -> tuple[np.ndarray, np.ndarray]:
    return scene_and_mask("CORVA_0012.dng")


@pytest.mark.parametrize(("seen_in", "least"), [(pans, 12), (flower, 4)])
def test_leaks_of_twenty_px_are_listed_with_their_places(seen_in, least):
    """20 px here are 40 of a frame of 3000. Where flower and ground are alike nothing is said."""
    Lab, mask = seen_in()
    clean = read_edge(mask, Lab, mask)
    assert clean is not None and len(clean.leaks) <= 1, "the mask by colour has an error of its own"
    solid = (mask > 0.5).astype(np.uint8)
    rim = np.argwhere((cv2.dilate(solid, np.ones((3, 3), np.uint8)) > 0) & (solid == 0))
    inner = rim[(rim[:, 1] > 60) & (rim[:, 1] < SIZE[0] - 60) & (rim[:, 0] < SIZE[1] - 60)]
    found = 0
    at = inner[np.linspace(0, len(inner) - 1, 12).astype(int)]
    for y, x in at:
        leaking = mask.copy()
        cv2.circle(leaking, (int(x), int(y)), 20, 1.0, -1)
        own = read_edge(leaking, Lab, leaking)
        assert own is not None
        found += any(s.x - 8 <= x <= s.x + s.w + 8 and s.y - 8 <= y <= s.y + s.h + 8 for s in own.leaks)
    assert found >= least, f"{found} of {len(at)}"


def test_soft_masks_and_whole_ones_have_no_edge_to_judge(seen):
    Lab, _ = seen
    assert read_edge(np.ones(Lab.shape[:2], np.float32), Lab, Lab[..., 0]) is None
    ramp = np.repeat(np.linspace(0.0, 1.0, Lab.shape[1], dtype=np.float32)[None], Lab.shape[0], axis=0)
    assert read_edge(ramp, Lab, ramp) is None


def test_a_rim_of_light_beyond_the_edge_is_told():
    y, x = np.mgrid[0:300, 0:400]
    disc = (np.hypot(x - 200, y - 150) < 80).astype(np.float32)
    Lab = np.dstack([50.0 + 30.0 * disc, disc, disc]).astype(np.float32)
    Lab += np.random.default_rng(1).normal(0, 0.5, Lab.shape).astype(np.float32)
    wide = cv2.GaussianBlur((np.hypot(x - 200, y - 150) < 83).astype(np.float32), (0, 0), 3.0)
    own = read_edge(disc, Lab, 8.0 * wide)
    assert own is not None and own.halo_L > 2.0
    clean = read_edge(disc, Lab, 8.0 * disc)
    assert clean is not None and abs(clean.halo_L) < 0.3


def lasso_place(outline, engine: Engine | None = None) -> Recipe:
    place = Place(name="Sky", mask=Rows([("m1", Lasso(path=tuple(outline)))]), exposure_EV=-1.0)
    start = plain_recipe(engine.frame.start) if engine is not None else Recipe()
    return start.change_all(added(start, [("places", place)]), label="x")[0]


def test_the_finding_tightens_the_mask_and_is_then_silent(scene_engine):
    """The sky of the pans by an outline that dips into the hills."""
    meter = Meter(scene_engine)
    hills = np.argmax(scene_engine.render(Recipe(), 0, result="display")[..., 2] < 0.16, axis=0)
    ridge = [(x / 600.0, float(np.median(hills[max(x - 3, 0) : x + 4])) / 600.0) for x in range(0, 600, 6)]
    dipped = [(x, y + (0.022 if 0.4 < x < 0.5 else 0.0)) for x, y in ridge]
    recipe = lasso_place([(0.0, 0.0), *dipped, (1.0, dipped[-1][1]), (1.0, 0.0)])
    reading = meter.picture(recipe)
    told = leaks(reading, recipe)
    assert len(told) == 1 and told[0].evidence["leaks"] >= 1
    assert any(0.38 < box[0][0] / 600.0 < 0.52 for box in told[0].outlines)
    better = fixed(recipe, told[0])
    [before], [after] = (meter.take(each, "edges").values() for each in (recipe, better))
    assert sum(spot.px for spot in after.leaks) < 0.35 * sum(spot.px for spot in before.leaks)
    assert not any(0.4 < spot.x / 600.0 < 0.5 for spot in after.leaks), "the dip is gone"
    assert all(finding.fix is None for finding in leaks(meter.picture(better), better)), "it is offered once"


def test_a_rim_is_told_of_the_place_that_made_it(scene_engine):
    """Two places on one sky: what the other changes is not laid to this one."""
    outline = ((0.0, 0.0), (1.0, 0.0), (1.0, 0.12), (0.0, 0.12))
    idle = Place(name="Idle", mask=Rows([("m1", Lasso(path=outline))]), exposure_EV=0.0)
    strong = Place(
        name="Strong", mask=Rows([("m1", Lasso(path=tuple((x, y * 1.4) for x, y in outline)))]), exposure_EV=2.0
    )
    recipe = Recipe().change_all(added(Recipe(), [("places", idle), ("places", strong)]), label="x")[0]
    first = Meter(scene_engine).take(recipe, "edges").get(recipe.places.order[0])
    assert first is None or first.halo_L == 0.0


def test_a_ramp_is_not_judged(scene_engine):
    place = Place(mask=Rows([("m1", Ramp())]), exposure_EV=-1.0)
    recipe = Recipe().change_all(added(Recipe(), [("places", place)]), label="x")[0]
    assert Meter(scene_engine).take(recipe, "edges") == {}


def horizon(strip: tuple[int, int, int, int]) -> tuple[np.ndarray, np.ndarray]:
    """A sky over dark land, L*, a*, b*, and its mask, which takes a strip of the land: left, right, top, bottom."""
    y = np.mgrid[0:600, 0:900][0]
    Lab = np.dstack([np.where(y < 250, 80.0, 30.0), np.zeros(y.shape), np.where(y < 250, -15.0, 12.0)])
    Lab += np.random.default_rng(2).normal(0.0, 1.0, Lab.shape)
    mask = (y < 250).astype(np.float32)
    left, right, top, bottom = strip
    mask[top:bottom, left:right] = 1.0
    return Lab.astype(np.float32), mask


def test_what_looks_alike_beyond_a_seam_is_no_gap():
    """Two of one colour that touch, and the mask of one: it ends at the seam between them."""
    Lab = np.full((400, 600, 3), (70.0, -5.0, 5.0), np.float32)
    Lab[100:300, 100:300] = Lab[100:300, 302:322] = (35.0, 30.0, 20.0)
    Lab[100:300, 300:302] = (5.0, 0.0, 0.0)
    Lab += np.random.default_rng(2).normal(0.0, 1.0, Lab.shape).astype(np.float32)
    mask = np.zeros((400, 600), np.float32)
    mask[100:300, 100:301] = 1.0
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.gaps == () and own.leaks == ()
    # and where the mask stops short of its own edge
    mask[150:250, 100:114] = 0.0
    short = read_edge(mask, Lab, mask)
    assert short is not None and len(short.gaps) == 1 and 98 <= short.gaps[0].x <= 102


def test_another_thing_of_its_colour_that_touches_it_is_no_gap():
    """A part of an area is joined to it along its side; another thing touches it here and there."""
    Lab = np.full((400, 600, 3), (70.0, -5.0, 5.0), np.float32)
    Lab[100:300, 100:300] = Lab[190:216, 307:316] = Lab[190:197, 300:308] = (35.0, 30.0, 20.0)
    Lab += np.random.default_rng(2).normal(0.0, 1.0, Lab.shape).astype(np.float32)
    mask = np.zeros((400, 600), np.float32)
    mask[100:300, 100:300] = 1.0
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.gaps == ()
    mask[190:216, 291:300] = 0.0
    short = read_edge(mask, Lab, mask)
    assert short is not None and len(short.gaps) == 1


def test_where_the_picture_plainly_steps_at_the_end_of_a_mask_it_ends_however_light_the_ground():
    """Beside a dark rim, something as dark as what lies deeper in the thing, on white."""
    Lab = np.full((400, 600, 3), (95.0, 0.0, 0.0), np.float32)
    Lab[100:300, 100:300] = Lab[180:220, 300:311] = (34.0, 0.0, 0.0)
    Lab[100:300, 286:300] = (20.0, 0.0, 0.0)
    Lab += np.random.default_rng(2).normal(0.0, 1.0, Lab.shape).astype(np.float32)
    mask = np.zeros((400, 600), np.float32)
    mask[100:300, 100:300] = 1.0
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.gaps == ()
    Lab[100:300, 286:300] = Lab[100:300, 260:274]
    alike = read_edge(mask, Lab, mask)
    assert alike is not None and len(alike.gaps) == 1


def test_what_turns_gently_into_the_colour_outside_is_no_leak():
    """Shade that grows towards the edge of a thing that is lit from the other side."""
    x = np.mgrid[0:400, 0:600][1]
    shade = np.clip((x - 250.0) / 50.0, 0.0, 1.0)[..., None]
    Lab = (1.0 - shade) * (70.0, 10.0, 20.0) + shade * (20.0, 0.0, 0.0)
    Lab += np.random.default_rng(2).normal(0.0, 1.0, Lab.shape)
    mask = (x < 300).astype(np.float32)
    own = read_edge(mask, Lab.astype(np.float32), mask)
    assert own is not None and own.leaks == ()


def test_leaks_in_a_row_are_what_a_straight_stroke_takes_away():
    Lab, mask = horizon((200, 700, 250, 262))
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.row is not None
    assert abs(own.row.turn_deg) < 1.0 and own.row.radius == pytest.approx(7.0, abs=1.5)
    ends = np.array(own.row.ends)
    assert np.abs(np.sort(ends[:, 0]) - (200, 700)).max() < 8 and np.abs(ends[:, 1] - 256).max() < 2
    # one that is not long, and none at all
    for strip in ((400, 430, 250, 266), (0, 0, 0, 0)):
        Lab, mask = horizon(strip)
        short = read_edge(mask, Lab, mask)
        assert short is not None and short.row is None and bool(short.leaks) == (strip[1] > 0)


def test_leaks_along_a_bent_line_are_no_row():
    Lab, mask = horizon((0, 0, 0, 0))
    mask[250:262, 200:420] = mask[250:290, 420:440] = 1.0
    own = read_edge(mask, Lab, mask)
    assert own is not None and own.leaks and own.row is None


def test_leaks_of_the_speckled_animal_on_its_rock_are_listed():
    """Where its colours and those of the rock differ about them, as `bench/leaks` takes them; half of them at least."""
    Lab, mask = scene_and_mask("CORVA_0031.dng")
    calm, solid = cv2.GaussianBlur(Lab, (0, 0), 10.0), (mask > 0.5).astype(np.uint8)
    away, deep = (cv2.distanceTransform(side, cv2.DIST_L2, 5) for side in (1 - solid, solid))
    found, at = 0, []
    for x, y in np.random.default_rng(1).permutation(np.argwhere((away > 0) & (away < 6))[:, ::-1]):
        box = np.s_[max(y - 40, 0) : y + 40, max(x - 40, 0) : x + 40]
        inside = deep[box] > 20.0
        if not inside.any() or np.linalg.norm(calm[y, x] - calm[box][inside].mean(axis=0)) < 22.0:
            continue
        if all(np.hypot(x - a, y - b) > 120 for a, b in at):
            at.append((int(x), int(y)))
            leaking = mask.copy()
            cv2.circle(leaking, at[-1], 20, 1.0, -1)
            own = read_edge(leaking, Lab, leaking)
            found += any(abs(s.x + s.w / 2 - x) < 25 and abs(s.y + s.h / 2 - y) < 25 for s in own.leaks)
    assert len(at) >= 3 and found >= len(at) / 2, (found, len(at))


@pytest.mark.parametrize(("erase", "level_deg"), [("off", 0.0), ("on", 0.0), ("off", 6.0)])
def test_where_what_was_found_is_wrong_it_is_mended_there_and_left_elsewhere(scene_engine, erase, level_deg):
    """A dab of the brush over the skyline, or out of the sky; in a picture that is turned too."""
    sky = np.argmax(scene_engine.render(Recipe(), 0, result="display")[..., 2] < 0.16, axis=0)
    x = 300
    at = (x + 0.5) / 600.0, (float(sky[x]) + (5.0 if erase == "off" else -6.0)) / 600.0
    dab = Stroke(path=Shape.of([at]), radius_px=10.0, hardness_percent=100.0, strength_percent=100.0)
    brush = Brush(join="subtract" if erase == "on" else "add", strokes=Rows([("s1", dab)]))
    places = [Place(name="Sky", mask=Rows([("m1", Sky())]), exposure_EV=-1.0)]
    places.append(replace(places[0], mask=Rows([("m1", Sky()), ("m2", brush)])))
    start = plain_recipe(scene_engine.frame.start).change("mend.level_deg", level_deg)[0]
    right, wrong = (start.change_all(added(start, [("places", place)]), label="x")[0] for place in places)
    meter = Meter(scene_engine)
    assert not leaks(meter.picture(right), right)
    [told] = leaks(meter.picture(wrong), wrong)
    assert told.fix is None and told.fix_label == ("Contract it there" if erase == "on" else "Remove what leaks")
    mended = fixed(wrong, told)
    [own] = mended.places.values()
    assert own.mask.order[:2] == ("m1", "m2") and own.mask["m1"] == Sky(), "what was found is left"
    assert not leaks(meter.picture(mended), mended)

    def seen(of: Recipe) -> np.ndarray:
        node, n = small_place_mask(of, of.places.order[0])
        return scene_engine.render(of, 0, result=node)[..., n]

    before, after, true = seen(wrong), seen(mended), seen(right)
    near = cv2.dilate((np.abs(before - true) > 0.05).astype(np.uint8), np.ones((41, 41), np.uint8)) > 0
    assert np.abs(before - true)[near].sum() > 4.0 * np.abs(after - true)[near].sum()
    assert (after == before)[~near].all()


def test_what_was_drawn_by_hand_is_tightened_once_and_what_was_found_never():
    """Fitting moves the whole edge: of 64 masks that were right but for one leak, 48 were worse for it."""
    spot = EdgeSpot(120, 55, 36, 12, 400.0, ((0.2, 0.1), (0.3, 0.1), (0.3, 0.15)))
    gap = replace(spot, x=300, px=300.0)

    def told(*parts, gaps=()):
        recipe = Recipe()
        place = Place(mask=Rows([(f"m{n}", part) for n, part in enumerate(parts, 1)]), exposure_EV=1.0)
        recipe = recipe.change_all(added(recipe, [("places", place)]), label="x")[0]
        edges = {recipe.places.order[0]: EdgeReading(0.8, (spot,), gaps, 0.0)}
        [finding] = leaks(SimpleNamespace(edges=edges, full_size=(600, 400)), recipe)
        return finding

    outline = Lasso(path=((0.1, 0.1), (0.5, 0.1), (0.5, 0.4)))
    assert told(outline).fix_label == "Snap it to the edge in the picture"
    assert len(told(outline, replace(outline, join="subtract")).fix) == 1, "what is taken away stays as it is drawn"
    for parts in ((replace(outline, fit_px=200.0),), (Subject(),), (Subject(), outline), (People(n=1),)):
        finding = told(*parts)
        assert finding.fix is None and finding.fix_label == "Remove what leaks"
        [(path, part)] = finding.adds
        assert path.endswith(".mask") and part == Lasso(join="subtract", path=spot.outline)
    both = told(Subject(), gaps=(gap,))
    assert both.fix_label == "Correct it there" and [part.join for _, part in both.adds] == ["subtract", "add"]
    many = told(Subject(), gaps=tuple(replace(gap, x=n) for n in range(9)))
    assert len(many.adds) == 6, "the largest first"
    assert many.adds[0][1].join == "subtract"


def test_a_rim_about_what_was_found_goes_with_what_spreads_it(scene_engine):
    def told(part):
        place = Place(mask=Rows([("m1", part)]), exposure_EV=1.0)
        recipe = Recipe().change_all(added(Recipe(), [("places", place)]), label="x")[0]
        edges = {recipe.places.order[0]: EdgeReading(0.8, (), (), 2.0)}
        [finding] = halo(SimpleNamespace(edges=edges, full_size=(600, 400)), recipe)
        return finding, recipe

    finding, recipe = told(Sky(grow_px=6.0, feather_px=9.0))
    [own] = fixed(recipe, finding).places.values()
    assert own.mask["m1"] == Sky() and finding.fix_label
    assert told(Sky(grow_px=-6.0))[0].fix is None and not told(Sky())[0].fix_label
    assert told(Lasso(path=((0.1, 0.1), (0.5, 0.1), (0.5, 0.4))))[0].fix_label == "Snap it to the edge in the picture"
    loose = plain_recipe(scene_engine.frame.start)
    loose = loose.change_all(
        added(loose, [("places", Place(mask=Rows([("m1", Sky(feather_px=8.0))]), exposure_EV=2.5))]), label="x"
    )[0]
    meter = Meter(scene_engine)
    [finding] = halo(meter.picture(loose), loose)
    after = fixed(loose, finding)
    assert not halo(meter.picture(after), after)


def fitted_place(outline) -> Recipe:
    recipe = lasso_place(outline)
    return recipe.change(f"places.{recipe.places.order[0]}.mask.m1.fit_px", 200.0)[0]


@pytest.mark.parametrize(("turn_deg", "line"), [(2.0, "the horizon"), (80.0, "the line")])
def test_a_mask_that_is_fitted_and_leaks_in_a_row_is_painted_out(scene_engine, turn_deg, line):
    outline = [(0.0, 0.0), (1.0, 0.0), (1.0, 0.2), (0.0, 0.2)]
    recipe, plain = fitted_place(outline), lasso_place(outline)
    row = EdgeRow(((0.2, 0.1), (0.8, 0.1)), 9.0, turn_deg)

    def told(of: Recipe):
        [ident] = of.places.order
        edges = {ident: EdgeReading(0.8, (EdgeSpot(120, 55, 360, 12, 4000.0),), (), 0.0, row)}
        [finding] = leaks(SimpleNamespace(edges=edges, full_size=(600, 400)), of)
        return finding

    assert told(recipe).fix_label == f"Paint it out along {line}"
    assert told(plain).fix_label == "Snap it to the edge in the picture" and not told(plain).adds

    def seen(of: Recipe) -> np.ndarray:
        node, n = small_place_mask(of, recipe.places.order[0])
        return scene_engine.render(of, 0, result=node)[..., n]

    before, after = seen(recipe), seen(fixed(recipe, told(recipe)))
    assert before[60, 300] > 0.5 and after[60, 300] < 0.05 and abs(after[30, 300] - before[30, 300]) < 0.02


@pytest.fixture(params=["small", "large"])
def engine_of_any_size(request, scene_engine, tmp_path):
    """One that is read as it is, and one that is read at a part of its size."""
    if request.param == "small":
        return scene_engine
    cv2.imwrite(str(tmp_path / "wide.png"), np.full((1200, 4200, 3), 120, np.uint8))
    return Engine(read_frame(tmp_path / "wide.png"))


@pytest.mark.parametrize("turns", ["0", "1"])
def test_a_row_is_told_where_it_lies_in_the_frame(engine_of_any_size, monkeypatch, turns):
    """However the picture is turned: along what is the frame's upper border."""
    engine = engine_of_any_size
    outline = [(0.0, 0.0), (1.0, 0.0), (1.0, 0.1), (0.0, 0.1)]
    recipe = lasso_place(outline, engine).change("mend.quarter_turns", turns)[0]
    shape = []

    def read(mask, *_):
        shape[:] = mask.shape
        rows, columns = mask.shape
        ends = (
            ((0.0, 20.0), (columns - 1.0, 20.0))
            if turns == "0"
            else ((columns - 21.0, 0.0), (columns - 21.0, rows - 1.0))
        )
        return EdgeReading(0.8, (), (), 0.0, EdgeRow(ends, 5.0, 0.0))

    monkeypatch.setattr(readings_module, "read_edge", read)
    [own] = Meter(engine).take(recipe, "edges").values()
    long_side = max(shape)
    (x0, y0), (x1, y1) = own.row.ends
    assert y0 == pytest.approx(20.5 / long_side, abs=2e-3) and y1 == pytest.approx(y0, abs=2e-3)
    assert sorted((x0, x1)) == pytest.approx([0.0, 1.0], abs=3e-3)
    assert own.row.radius == pytest.approx(5.0 * max(engine.frame.size) / long_side, rel=0.02)


def test_what_spreads_far_beyond_the_edge_is_no_rim():
    """A place that lightens all about it as much as just outside it has a soft mask, and no halo."""
    y, x = np.mgrid[0:300, 0:400]
    off = np.hypot(x - 200, y - 150)
    disc = (off < 80).astype(np.float32)
    Lab = np.dstack([50.0 + 30.0 * disc, disc, disc]).astype(np.float32)
    Lab += np.random.default_rng(1).normal(0, 0.5, Lab.shape).astype(np.float32)
    even = read_edge(disc, Lab, np.full(disc.shape, 6.0, np.float32))
    assert even is not None and abs(even.halo_L) < 0.3
