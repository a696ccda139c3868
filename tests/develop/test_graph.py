"""The shapes that carry the picture: tiles, cache, mapping, and a graph with places as they will come."""

import threading
import time
from dataclasses import dataclass, replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from matiz.develop.frame.cache import MOST_PER_SLOT, Cache
from matiz.develop.frame.mapping import Mapping
from matiz.develop.frame.tiles import LEAST_PX, TILE_PX, tiles
from matiz.develop.graph.engine import Engine, _Making
from matiz.develop.graph.graph import ENDS, FULL, HIGHLIGHTS
from matiz.develop.stages.node import Node, NodePatch, Work, product
from matiz.measure.picture import NAMES, Meter, PictureReading
from matiz.recipe.leaves import Box, Choice, CurvePoints, FramePoints, Map, Number, Numbers, Text, described
from matiz.recipe.model import Mend, Recipe, Tone
from matiz.recipe.paths import leaves
from matiz.recipe.shapes import Grid
from matiz.recipe.toning import Contrast
from matiz.recipe.tree import Rows, Section, table
from matiz_simcam.shoot import DEMO_SHOTS, simulate

PLAIN = Recipe()


# ---- tiles


@given(st.integers(1, 3000), st.integers(1, 3000), st.data())
def test_tiles_cover_a_region_once_and_lie_on_one_grid(width, height, data):
    x, y = data.draw(st.integers(0, width - 1)), data.draw(st.integers(0, height - 1))
    region = (x, y, data.draw(st.integers(1, width - x)), data.draw(st.integers(1, height - y)))
    all_of_them = set(tiles((width, height), (0, 0, width, height)))
    found = list(tiles((width, height), region))
    assert set(found) <= all_of_them and len(found) == len(set(found))
    assert sum(w * h for _, _, w, h in all_of_them) == width * height
    for a, b, w, h in all_of_them:
        inside = a < x + region[2] and a + w > x and b < y + region[3] and b + h > y
        assert inside == ((a, b, w, h) in found)
        assert a % TILE_PX == b % TILE_PX == 0
        assert min(w, width) <= TILE_PX + LEAST_PX and (w >= LEAST_PX or w == width)


def test_a_picture_at_fit_is_one_tile_and_the_same_as_in_many(scene_engine, monkeypatch):
    recipe = Recipe(tone=Tone(exposure_EV=0.5, contrast=Contrast(2.0, 3.0, 1.0), haze_percent=20.0))
    in_many = Engine(scene_engine.frame).render(recipe, 0)
    monkeypatch.setattr("matiz.develop.frame.tiles.WHOLE_PX", 600 * 400)
    assert (
        list(tiles((600, 400), (5, 5, 10, 10))) == [(0, 0, 600, 400)]
        and len(list(tiles((601, 400), (0, 0, 601, 400)))) > 1
    )
    whole = Engine(scene_engine.frame).render(recipe, 0)
    assert np.abs(whole.astype(int) - in_many).max() <= 1


# ---- the cache


def test_a_value_is_made_once_however_many_ask_at_a_time():
    cache, made, got = Cache(10_000), [], []

    def make() -> int:
        made.append(1)
        time.sleep(0.05)
        return 7

    threads = [threading.Thread(target=lambda: got.append(cache.get("k", "s", make))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert got == [7] * 8 and len(made) == 1


def test_what_fails_is_told_to_all_who_ask_and_made_again_later():
    cache = Cache(10_000)
    started = threading.Event()
    errors = []

    def fail() -> int:
        started.set()
        time.sleep(0.05)
        raise ValueError("no")

    def ask() -> None:
        try:
            cache.get("k", "s", fail)
        except ValueError as error:
            errors.append(str(error))

    threads = [threading.Thread(target=ask) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(errors) == 3 and cache.get("k", "s", lambda: 3) == 3


def test_the_cache_counts_bytes_and_drops_what_was_asked_for_longest_ago():
    cache = Cache(1_000_000)
    for name in "abcd":
        cache.get(name, name, lambda: np.zeros(300_000, np.uint8))
        cache.get("a", "a", lambda: np.zeros(300_000, np.uint8))
    assert cache.bytes <= 1_000_000
    fresh = []
    cache.get("a", "a", lambda: fresh.append("a"))
    cache.get("b", "b", lambda: fresh.append("b"))
    assert fresh == ["b"]


def test_few_variants_of_one_thing_are_kept():
    cache = Cache(10_000_000)
    for n in range(20):
        cache.get(n, "tile", lambda: np.zeros(1000, np.uint8))
    assert cache.bytes == 1000 * MOST_PER_SLOT
    made = []
    for n in range(20, 40):
        cache.get("before", "tile", lambda: made.append(1))
        cache.get(n, "tile", lambda: np.zeros(1000, np.uint8))
    assert len(made) == 1, "a variant in use is kept, however many come and go beside it"
    cache.clear()
    assert cache.bytes == 0


# ---- the mapping


@pytest.mark.parametrize(
    "mend", [Mend(), Mend(distortion_percent=6.0), Mend(distortion_percent=-7.0, fringe_red_px=2.0)]
)
def test_points_go_to_the_frame_and_back(scene_engine, mend):
    mapping = Mapping.of(scene_engine.frame, mend)
    width, height = mapping.size
    random = np.random.default_rng(3)
    points = random.random((200, 2)) * [width - 1, height - 1]
    there = mapping.to_frame(points)
    np.testing.assert_allclose(mapping.to_picture(there), points, atol=0.02)
    assert mapping.moves == (mend != Mend()) and (np.abs(there - points).max() > 1) == mapping.moves
    np.testing.assert_allclose(mapping.to_frame([((width - 1) / 2, (height - 1) / 2)])[0],
                               [(width - 1) / 2, (height - 1) / 2])  # fmt: skip


def test_the_mapping_says_where_pixels_are_drawn_from():
    """A dot of the frame is found in the picture where the mapping puts it; and a tile's source holds all it needs."""
    from tests.develop.test_tone import engine_of

    pixels = np.full((400, 600, 3), 0.05, np.float32)
    dots = [(100, 80), (520, 350), (300, 30)]
    for x, y in dots:
        pixels[y - 2 : y + 3, x - 2 : x + 3] = 0.9
    engine = engine_of(pixels)
    recipe = replace(PLAIN, mend=Mend(distortion_percent=-8.0))
    drawn, mapping = engine.render(recipe, 0, result="camera")[..., 1], engine.mapping(recipe)
    for x, y in dots:
        px, py = mapping.to_picture([(x, y)])[0]
        part = drawn[round(py) - 8 : round(py) + 9, round(px) - 8 : round(px) + 9] - 0.05
        at = np.indices(part.shape).reshape(2, -1) @ part.ravel() / part.sum()
        assert np.hypot(at[0] - 8 - (py - round(py)), at[1] - 8 - (px - round(px))) < 0.3
    for tile in tiles(mapping.size, (0, 0, *mapping.size)):
        x, y, w, h = tile
        corners = mapping.to_frame([(x, y), (x + w - 1, y), (x, y + h - 1), (x + w - 1, y + h - 1)])
        left, top, sw, sh = mapping.source(0, tile)
        inside = (corners >= [left, top]).all() and (corners <= [left + sw, top + sh]).all()
        assert inside or (corners.min() < 0 or corners.max() > 599)
    left, top, w, h = mapping.area_to_picture((98, 78, 5, 5))
    assert abs(left + w / 2 - mapping.to_picture([(100.5, 80.5)])[0][0]) < 1


def test_the_colour_round_clipped_places_moves_with_the_lens(hall_engine):
    """In a recipe of version 1 it stays where it was in the frame, as it did then."""
    engine = Engine(hall_engine.frame)
    ratios = engine.sensor.highlights
    assert ratios is not None
    recipe = replace(PLAIN, mend=Mend(distortion_percent=-15.0))
    moved = engine.product(recipe, HIGHLIGHTS)
    assert engine.product(replace(recipe, processing=1), HIGHLIGHTS) is ratios
    height, width = moved.shape[:2]
    points = np.array([(x, y) for x in (4, width - 5) for y in (4, height - 5)])
    there = engine.mapping(recipe).to_frame(points * 8.0 + 3.5) / 8.0 - 3.5 / 8.0
    assert np.abs(there - points).max() > 1.0
    for (x, y), (fx, fy) in zip(points, there, strict=True):
        sampled = cv2.remap(ratios, np.float32([[fx]]), np.float32([[fy]]), cv2.INTER_LINEAR)[0, 0]
        np.testing.assert_allclose(moved[y, x], sampled, atol=0.25)


# ---- places, as they will come


@dataclass(frozen=True)
class Spot(Section):
    from_L: float = described(Number("", 0.0, 1.0, 0.5, 0.1, 2, "What is lighter is in it."))
    gain_EV: float = described(Number("EV", -4.0, 4.0, 0.0, 0.1, 2, "How much it is lightened."))


@dataclass(frozen=True)
class WithSpots(Recipe):
    spots: Rows = table(Spot)


def _graph() -> dict[str, Node]:
    """A scene part of places on top of the whole frame's, weighed in by masks that read the reference."""

    def mask(work: Work) -> tuple:
        small = work.ask.whole(FULL.reference, 2)
        return tuple((small.mean(axis=2) > spot.from_L).astype(np.float32) for spot in work.recipe.spots.values())

    masks = product("masks", mask, (FULL.reference,), ("spots",))

    def weigh(work: Work, scene: NodePatch) -> np.ndarray:
        out = scene.pixels.copy()
        x, y, w, h = work.region
        size = work.mapping.size_at(work.level)
        for spot, weight in zip(work.recipe.spots.values(), work.ask.product(masks), strict=True):
            whole = cv2.resize(weight, size, interpolation=cv2.INTER_LINEAR)
            out *= 1.0 + whole[y : y + h, x : x + w, None] * (np.float32(2.0**spot.gain_EV) - 1.0)
        return out

    places = Node("scene of places", weigh, (FULL.scene, masks), ("spots",), is_idle=lambda work: not work.recipe.spots)
    return {"places": places, "scene": FULL.scene, "masks": masks}


def test_places_weigh_in_by_masks_that_nothing_of_theirs_changes(scene_engine):
    engine = Engine(scene_engine.frame, ends=_graph())
    recipe = WithSpots(tone=Tone(exposure_EV=1.0))
    assert engine.render(recipe, 1, result="places") is engine.render(recipe, 1, result="scene"), "idle: handed on"
    recipe, _ = recipe.insert("spots", Spot(0.2, 1.0), label="x")
    base, with_place = (engine.render(recipe, 1, result=end) for end in ("scene", "places"))
    ratio = with_place / np.maximum(base, 1e-6)
    assert ratio.max() == pytest.approx(2.0, rel=1e-3) and ratio.min() == pytest.approx(1.0, rel=1e-3)
    path = f"spots.{recipe.spots.order[0]}"
    runs = dict(engine.runs)
    stronger, _ = recipe.change(f"{path}.gain_EV", 2.0)
    engine.render(stronger, 1, result="places")
    assert engine.runs["reference"] == runs["reference"], "the reference does not look at places"
    assert engine.runs["masks"] == runs["masks"] + 1, "it reads the whole table"
    engine.render(stronger.change("tone.exposure_EV", 1.5)[0], 1, result="places")
    assert engine.runs["reference"] > runs["reference"], "masks follow the whole frame's tone"


# ---- keys


def _other(spec, value):
    """Some other value of a field."""
    match spec:
        case Number():
            return value + min(spec.high - value, 10 * spec.step) or value - 10 * spec.step
        case Choice():
            return next(option for option in spec.options if option != value)
        case Numbers():
            return (_other(spec.each, value[0]), *value[1:])
        case CurvePoints():
            return ((0.0, 0.1), (0.5, 0.6), (1.0, 1.0))
        case Box():
            return (0.2, 0.1, 0.5, 0.4)
        case FramePoints():
            return ((0.2, 0.3), (0.7, 0.3))[: spec.most]
        case Text():
            return f"{value}A"
        case Map():
            return Grid.of(np.eye(6))
    raise TypeError(spec)


BASE = PLAIN.change_all(
    [("mend.distortion_percent", 2.0), ("mend.fall_off_EV", 0.5), ("mend.fringe_red_px", 1.0),
     ("light.cct_K", 4800.0), ("light.duv", 0.002), ("light.adaptation_percent", 80.0),
     ("tone.exposure_EV", 0.7), ("tone.zones_EV", (0.0,) * 3 + (0.8, 0.5) + (0.0,) * 6), ("tone.black_EV", -7.0),
     ("tone.haze_percent", 20.0), ("tone.contrast.fine_dB", 2.0),
     ("detail.noise.strength_percent", 50.0), ("detail.sharpen.amount_percent", 80.0)], label="base",
)[0]  # fmt: skip


@pytest.fixture(scope="module")
def warm():
    """An engine and a meter that have seen the base recipe. Their frame is small: all is made twice for each leaf."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0052.dng")
    engine = Engine(simulate(shot.scene, (390, 260), shot.settings, view=shot.view))
    meter = Meter(engine)
    for end in ("camera", "working", "scene", "rendered", "display", "screen", "draft"):
        engine.render(BASE, 1, result=end)
    meter.picture(BASE)
    return engine, meter


SPECS = {path: spec for path, spec, _ in leaves(BASE)}
OF_EACH_SECTION = [next(path for path in SPECS if path.startswith(f"{name}.") and not path.endswith(".active"))
                   for name in ("mend", "light", "tone", "colour", "detail", "finish")]  # fmt: skip
GROUPS = 3
"""Leaves that should change nothing are changed in so many groups, so that one hides little of what another does."""
PART = (10, 8, 64, 40)
"""Of level 1: it lies within the picture, however it is cropped and turned."""


def _changed(paths):
    """The base recipe with other values of some leaves."""
    return BASE.change_all([(path, _other_of(path)) for path in paths], label="other")[0]


def _other_of(path):
    if path.endswith(".active"):
        return "off"
    return "A" if path == "light.source" else _other(SPECS[path], BASE.get(path))


def _fresh(engine):
    """An engine that has seen nothing but what follows from the frame alone."""
    fresh = Engine(engine.frame)
    fresh.found = fresh.sensor.found = engine.found
    return fresh


def _without_effect(keys, key_of):
    """Of each thing that has a key: the leaves that leave it as it is, by what is said of itself."""
    base = {each: key_of(BASE, each) for each in keys}
    out = {each: [] for each in keys}
    for path in SPECS:
        recipe = _changed([path])
        for each in keys:
            if key_of(recipe, each) == base[each]:
                out[each].append(path)
    return out


def _groups(paths):
    """What switches a station off hides what others do, and stands alone."""
    switches = [path for path in paths if path.endswith(".active")]
    others = [path for path in paths if not path.endswith(".active")]
    return [group for group in (switches, *(others[n::GROUPS] for n in range(GROUPS))) if group]


def _check_keys(keys, key_of, make, engine):
    """Each thing is made anew with all changed that leaves it as it is, as it says itself, and must be the same."""
    base = _fresh(engine)
    expected = {each: _plain(make(base, BASE, each)) for each in keys}
    by_group = {}
    for each, paths in _without_effect(keys, key_of).items():
        for group in _groups(paths):
            by_group.setdefault(tuple(group), []).append(each)
    for group, those in by_group.items():
        fresh, recipe = _fresh(engine), _changed(group)
        for each in those:
            if _plain(make(fresh, recipe, each)) == expected[each]:
                continue
            alone = [path for path in group if _plain(make(_fresh(engine), _changed([path]), each)) != expected[each]]
            pytest.fail(f"{getattr(each, 'name', each)} depends on {alone or group}, and its key does not")


def _nodes():
    """All nodes of the graph."""
    found, waiting = {}, list(ENDS.values())
    while waiting:
        node = waiting.pop()
        if id(node) not in found:
            found[id(node)] = node
            waiting += [*node.inputs, *node.aside]
    return list(found.values())


def test_no_two_nodes_share_a_name():
    """Results are kept by a node's name and its key."""
    names = [node.name for node in _nodes()]
    assert len(names) == len(set(names))


def test_the_key_of_every_node_holds_all_that_it_depends_on(warm):
    """One that leaves out a value of the recipe that the node reads would show an old picture."""
    engine, _ = warm

    def make(there, recipe, node):
        return there.product(recipe, node) if node.is_product else there.peek(recipe, 1, PART, result=node)

    _check_keys(_nodes(), lambda recipe, node: _Making(engine, recipe.in_force()).digest(node), make, engine)


def test_the_key_of_every_reading_holds_all_that_it_depends_on(warm):
    engine, meter = warm
    meters = {}

    def make(there, recipe, name):
        return meters.setdefault(there, Meter(there)).take(recipe, name)

    _check_keys(NAMES, meter.key, make, engine)


@pytest.mark.parametrize("path", OF_EACH_SECTION)
def test_after_a_change_a_warm_engine_shows_what_a_fresh_one_does(warm, path):
    engine, meter = warm
    recipe = _changed([path])
    # few variants are kept: what came before this one must be among them
    for end in ("screen", "display"):
        engine.render(BASE, 1, result=end)
    meter.picture(BASE)
    fresh = _fresh(engine)
    for end in ("screen", "display"):
        np.testing.assert_array_equal(engine.render(recipe, 1, result=end), fresh.render(recipe, 1, result=end))
    _same(meter.picture(recipe), Meter(fresh).picture(recipe))


def test_a_recipe_that_is_moved_up_is_rendered_anew(warm):
    engine, _ = warm
    recipe = BASE.change("tone.curve.red", ((0.0, 0.0), (0.5, 0.7), (1.0, 1.0)))[0]
    older = replace(recipe, processing=1)
    assert not np.array_equal(engine.render(recipe, 1), engine.render(older, 1))
    assert np.array_equal(engine.render(older, 1), Engine(engine.frame).render(older, 1))


def _same(first: PictureReading, second: PictureReading) -> None:
    assert first.values.keys() == second.values.keys()
    for name in first.values:
        assert _plain(first.values[name]) == _plain(second.values[name]), name


def _plain(value):
    if isinstance(value, np.ndarray):
        return value.tolist()
    if hasattr(value, "__dataclass_fields__"):
        return {name: _plain(getattr(value, name)) for name in value.__dataclass_fields__}
    return [_plain(v) for v in value] if isinstance(value, tuple | list) else value


def test_readings_are_taken_again_only_when_what_they_look_at_changed(scene_engine):
    meter = Meter(Engine(scene_engine.frame))
    meter.picture(PLAIN)
    assert set(meter.runs.values()) == {1}
    meter.picture(PLAIN.change("tone.exposure_EV", 0.5)[0])
    again = {name for name, count in meter.runs.items() if count == 2}
    colour = {"colour", "skin", "mismatch", "cast"}
    people = {"edges", "banding", "faces", "attention", "finish"}
    assert again == colour | people | {
        "detail",
        "sharpened",
        "loupes",
        "tone",
        "delivery",
        "places",
        "noise",
        "border",
        "whole_border",
    }
    meter.picture(PLAIN)
    assert {name for name, count in meter.runs.items() if count == 2} == again, "what was measured before is kept"
    meter.picture(PLAIN.change("light.cct_K", 4000.0)[0])
    assert meter.runs["light"] == meter.runs["range"] == meter.runs["full"] == 1
    assert meter.runs["balance"] == meter.runs["uneven"] == meter.runs["patch_light"] == 2


def test_a_reading_may_look_only_at_what_it_says(scene_engine):
    from matiz.measure.table.table import Reading
    from matiz.measure.table.table import TableMeter as Any

    greedy = Reading("greedy", lambda sight: sight.picture("display"), looks_at=("working",))
    with pytest.raises(AssertionError, match="does not say"):
        Any(Engine(scene_engine.frame), [greedy]).read(PLAIN)
