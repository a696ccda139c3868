"""Colours moved by hue, chroma and lightness: nothing set changes nothing, what is set does what it says, greys
stay."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from matiz.colour.difference import delta_E_2000
from matiz.colour.filters import BANDS_NM, seen_through, transmittance
from matiz.colour.illuminants import daylight
from matiz.colour.spaces import (
    LUMINANCE,
    REC2020_TO_SRGB,
    REC2020_TO_XYZ,
    XYZ_TO_REC2020,
    Lab_to_LCh,
    Lab_to_XYZ,
    Oklab_to_XYZ,
    XYZ_to_Oklab,
    XYZ_to_xy,
    encode_sRGB,
    lightness,
    sRGB_to_Lab,
    xy_to_uv,
)
from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import place_mask
from matiz.develop.stages.colour import by_hue, is_plain, moves_of, off_deg, shares, skin_hue_deg, tint_at
from matiz.kernels.colour import CLEAR, coloured, square_positions
from matiz.measure.colour.spot import spot, tone_of
from matiz.recipe.colour import NO_SKIN, Grading, Peg, Primaries, Skin, TintNode
from matiz.recipe.model import Curve, Recipe, Tone
from matiz.recipe.places import Bright, Ellipse, Place, Ramp
from matiz.recipe.tree import Rows, replaced

EVEN = tuple(30.0 * n for n in range(12))


def pegs(*items: Peg) -> Rows[Peg]:
    return Rows((f"p{n}", item) for n, item in enumerate(items))


def nodes(*items: TintNode) -> Rows[TintNode]:
    return Rows((f"n{n}", item) for n, item in enumerate(items))


def oklch(picture: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Oklab's L, chroma and hue in degrees of display-linear Rec.2020."""
    return tuple(np.moveaxis(Lab_to_LCh(XYZ_to_Oklab(picture.astype(float) @ REC2020_TO_XYZ.T)), -1, 0))


def L_star(picture: np.ndarray) -> np.ndarray:
    return lightness(picture.astype(float) @ LUMINANCE)


def of_oklch(L, chroma, hue_deg) -> np.ndarray:
    """Display-linear Rec.2020 float32 of Oklab's L, chroma and hue."""
    hue = np.radians(hue_deg)
    lab = np.stack(np.broadcast_arrays(L, chroma * np.cos(hue), chroma * np.sin(hue)), axis=-1)
    return (Oklab_to_XYZ(lab) @ XYZ_TO_REC2020.T).astype(np.float32)


@pytest.fixture(scope="module")
def colours() -> np.ndarray:
    """Colours well inside Rec.2020, dark to light, weak to strong, of every hue."""
    L, chroma, hue = np.meshgrid(np.linspace(0.35, 0.85, 6), np.linspace(0.0, 0.11, 12), np.arange(0.0, 360.0, 3.0))
    return of_oklch(L, chroma, hue).reshape(72, 120, 3)


def moved(picture: np.ndarray, **values) -> np.ndarray:
    return coloured(picture, moves_of(Grading(**values)))


# ---- nothing


def test_nothing_set_is_the_same_picture_bit_for_bit(scene_engine):
    plain = Recipe()
    nothing = replaced(
        plain,
        colour=Grading(
            pegs=pegs(Peg(at_deg=40.0)), tint=nodes(TintNode(at=30.0)), filter="red",
            skin=Skin(evenness_percent=80.0),
        ),
    )  # fmt: skip
    assert is_plain(nothing.colour)
    for result in ("screen", "display"):
        seen = [scene_engine.render(recipe, 1, result=result) for recipe in (plain, nothing)]
        np.testing.assert_array_equal(*seen)
    left_out = replaced(plain, colour=Grading(chroma_percent=50.0, active="off"))
    np.testing.assert_array_equal(scene_engine.render(left_out, 1), scene_engine.render(plain, 1))


def test_what_is_at_work_but_changes_little_changes_little(colours):
    assert np.abs(coloured(colours, moves_of(Grading())) - colours).max() < 2e-5


# ---- pegs


@pytest.mark.parametrize("turn", [-60.0, -12.5, 5.0, 30.0, 90.0])
def test_a_hue_is_turned_by_as_much_as_it_says(colours, turn):
    made = moved(colours, pegs=pegs(*(Peg(at_deg=at, hue_deg=turn) for at in EVEN)))
    (_, chroma, hue), (_, _, after) = oklch(colours), oklch(made)
    clear = chroma > 0.02
    assert np.abs(off_deg(after - hue, turn))[clear].max() < 0.5
    assert np.abs(L_star(made) - L_star(colours)).max() < 0.05


def test_chroma_that_is_multiplied_keeps_hue_and_lightness(colours):
    made = moved(colours, chroma_percent=20.0)
    (_, chroma, hue), (_, more, after) = oklch(colours), oklch(made)
    clear = chroma > 0.02
    assert np.abs(off_deg(after - hue, 0.0))[clear].max() < 0.5
    assert np.abs(L_star(made) - L_star(colours)).max() < 0.05
    assert np.abs(more / np.maximum(chroma, 1e-9) - 1.2)[clear].max() < 0.05
    # of pegs, where colours are clear of grey
    made = moved(colours, pegs=pegs(*(Peg(at_deg=at, chroma=1.2) for at in EVEN)))
    clear = chroma > CLEAR + 1e-3
    assert np.abs(oklch(made)[1] / np.maximum(chroma, 1e-9) - 1.2)[clear].max() < 0.05


def test_lightness_of_a_peg_is_in_units_of_L(colours):
    made = moved(colours, pegs=pegs(*(Peg(at_deg=at, lightness=6.0) for at in EVEN)))
    _, chroma, hue = oklch(colours)
    before, after = L_star(colours), L_star(made)
    inside = (chroma > CLEAR + 1e-3) & (before > 15.0) & (before < 80.0)
    assert np.abs(after - before - 6.0)[inside].max() < 0.1
    assert np.abs(off_deg(oklch(made)[2] - hue, 0.0))[inside].max() < 0.5


def test_a_peg_moves_what_is_around_it_and_nothing_beyond_its_reach(colours):
    made = moved(colours, pegs=pegs(Peg(at_deg=120.0, reach_deg=40.0, hue_deg=20.0)))
    (_, chroma, hue), (_, _, after) = oklch(colours), oklch(made)
    turned = off_deg(after - hue, 0.0)
    clear = chroma > 0.03
    off = np.abs(off_deg(hue, 120.0))
    assert np.abs(turned[clear & (off > 41.0)]).max() < 0.1
    assert np.abs(turned[clear & (off < 1.0)] - 20.0).max() < 0.6
    # it fades evenly: further off, less
    by_distance = [turned[clear & (off >= low) & (off < low + 5.0)].mean() for low in range(0, 40, 5)]
    assert all(a > b for a, b in pairwise(by_distance))


@given(st.lists(st.tuples(st.floats(0, 360), st.floats(5, 180)), min_size=1, max_size=9))
def test_pegs_share_the_circle(items):
    held = shares(np.arange(0.0, 360.0, 1.0), [Peg(at_deg=at, reach_deg=reach) for at, reach in items])
    assert held.min() >= 0.0 and held.sum(axis=0).max() <= 1.0 + 1e-9


def test_even_pegs_part_the_circle_among_them_wherever_they_begin():
    for start in (0.0, 7.0, 19.5):
        held = shares(np.arange(0.0, 360.0, 0.5), [Peg(at_deg=(at + start) % 360.0) for at in EVEN])
        np.testing.assert_allclose(held.sum(axis=0), 1.0, atol=1e-9)
    assert shares(np.array([30.0]), [Peg(at_deg=at) for at in EVEN])[1, 0] == pytest.approx(1.0)


def test_a_pegs_hold_is_broad_about_its_foot_and_fades_smoothly():
    off = np.arange(0.0, 31.0, 1.0)
    (held,) = shares(off, [Peg(at_deg=0.0, reach_deg=30.0)])
    assert held[0] == 1.0 and held[15] == pytest.approx(0.75) and held[30] == 0.0
    assert held[3] > 0.99 and held[29] < 0.01 and np.all(np.diff(held) < 1e-12)


def test_a_table_by_hue_closes():
    table = by_hue(pegs(Peg(at_deg=180.0, hue_deg=10.0)))
    np.testing.assert_allclose(table[0], table[-1])
    assert square_positions()[0] == pytest.approx(-math.pi) and np.all(np.diff(square_positions()) > 0.0)


# ---- greys and smoothness


WILD = Grading(
    pegs=pegs(*(Peg(at_deg=at, hue_deg=60.0 * (-1) ** n, chroma=2.5, lightness=10.0) for n, at in enumerate(EVEN))),
    chroma_percent=30.0, muted_percent=80.0, primaries=Primaries(red_deg=12.0, green_chroma=1.2, blue_deg=-9.0),
)  # fmt: skip


def test_a_grey_ramp_stays_grey_through_any_pegs():
    ramp = np.repeat(np.linspace(0.0, 1.0, 600, dtype=np.float32)[None, :, None], 4, axis=0).repeat(3, axis=2)
    made = coloured(np.ascontiguousarray(ramp), moves_of(WILD))
    Lab = sRGB_to_Lab(made @ REC2020_TO_SRGB.T)
    assert np.hypot(Lab[..., 1], Lab[..., 2]).max() < 0.3
    assert np.abs(Lab[..., 0] - sRGB_to_Lab(ramp)[..., 0]).max() < 0.3


def test_noise_of_near_greys_hardly_grows():
    rng = np.random.default_rng(3)
    noisy = (0.18 * (1.0 + rng.normal(0.0, 0.012, (200, 200, 3)))).astype(np.float32)
    made = coloured(noisy, moves_of(replaced(Grading(), pegs=WILD.pegs)))
    spread = [np.std(sRGB_to_Lab(each @ REC2020_TO_SRGB.T), axis=(0, 1)) for each in (noisy, made)]
    assert 0.5 < spread[0][1] < 2.5
    assert spread[1][0] < 1.05 * spread[0][0]
    assert np.hypot(*spread[1][1:]) < 1.05 * np.hypot(*spread[0][1:])


def test_a_smooth_gradient_stays_smooth():
    hue = np.linspace(0.0, 360.0, 4000)
    gradient = np.ascontiguousarray(np.repeat(of_oklch(0.6, 0.08, hue)[None], 4, axis=0))
    made = moved(gradient, pegs=pegs(*(Peg(at_deg=at, hue_deg=15.0 * (-1) ** n) for n, at in enumerate(EVEN))))
    Lab = sRGB_to_Lab(made[0] @ REC2020_TO_SRGB.T)
    first = np.linalg.norm(np.diff(Lab, axis=0), axis=1)
    second = np.linalg.norm(np.diff(Lab, 2, axis=0), axis=1)
    plain = np.linalg.norm(np.diff(sRGB_to_Lab(gradient[0] @ REC2020_TO_SRGB.T), axis=0), axis=1)
    # neighbours a tenth of a degree of hue apart never part by a step that an eye could see
    assert first.max() < 4.0 * plain.max() and second.max() < 0.02


def test_colours_that_are_taken_away_never_change_places_with_weaker_ones():
    chroma = np.linspace(0.0, 0.11, 400)
    row = np.ascontiguousarray(np.repeat(of_oklch(0.6, chroma, 40.0)[None], 4, axis=0))
    for values in ({"pegs": pegs(Peg(at_deg=40.0, chroma=0.0))}, {"pegs": pegs(Peg(at_deg=40.0, chroma=3.0))},
                   {"muted_percent": 200.0}, {"muted_percent": -100.0}):  # fmt: skip
        after = oklch(moved(row, **values))[1][0]
        assert np.all(np.diff(after) > -1e-4), values


def test_muted_colours_gain_most_and_skin_is_held_back():
    weak, strong, skin = (of_oklch(0.65, chroma, hue) for chroma, hue in ((0.04, 200.0), (0.11, 200.0), (0.04, 55.0)))
    row = np.ascontiguousarray(np.stack([weak, strong, skin])[None].repeat(2, axis=0))
    gain = (oklch(moved(row, muted_percent=60.0))[1] / oklch(row)[1])[0]
    assert gain[0] > 1.35 and gain[1] < 1.2 and gain[2] < 1.15


# ---- tint path, primaries, skin, black and white


def test_the_tint_path_lays_its_colours_over_tones_and_keeps_luminance():
    ramp = np.repeat(np.linspace(0.002, 0.98, 500, dtype=np.float32)[None, :, None], 4, axis=0).repeat(3, axis=2)
    made = moved(
        np.ascontiguousarray(ramp), tint=nodes(TintNode(at=25.0, a=-2.0, b=-9.0), TintNode(at=75.0, a=3.0, b=8.0))
    )
    Lab = sRGB_to_Lab(made[0] @ REC2020_TO_SRGB.T)
    assert np.abs(L_star(made) - L_star(ramp)).max() < 0.05
    for at, a, b in ((25.0, -2.0, -9.0), (75.0, 3.0, 8.0)):
        nearest = Lab[np.abs(Lab[:, 0] - at).argmin()]
        assert abs(nearest[1] - a) < 0.4 and abs(nearest[2] - b) < 0.4
    assert np.hypot(Lab[0, 1], Lab[0, 2]) < 1.0 and np.hypot(Lab[-1, 1], Lab[-1, 2]) < 1.0


def test_nodes_at_one_lightness_are_one():
    a, _ = tint_at(nodes(TintNode(at=50.0, a=4.0), TintNode(at=50.0, a=8.0)), np.array([50.0]))
    assert a[0] == pytest.approx(6.0)
    assert tint_at(nodes(), np.array([50.0]))[0][0] == 0.0


def test_primaries_are_turned_about_white_in_uv():
    made = moved(np.full((2, 4, 3), 0.4, np.float32), primaries=Primaries(red_deg=20.0, blue_chroma=0.8))
    np.testing.assert_allclose(made, 0.4, atol=2e-5)
    # what was pure red lies where the primary was taken to
    red = np.zeros((2, 4, 3), np.float32)
    red[..., 0] = 0.3
    white = xy_to_uv(XYZ_to_xy(REC2020_TO_XYZ.sum(axis=1)))
    off = []
    for picture in (red, moved(red, primaries=Primaries(red_deg=8.0, red_chroma=0.8))):
        off.append(xy_to_uv(XYZ_to_xy(picture[0, 0].astype(float) @ REC2020_TO_XYZ.T)) - white)
    turned = math.degrees(math.atan2(*off[1][::-1]) - math.atan2(*off[0][::-1]))
    assert turned == pytest.approx(8.0, abs=0.2)
    assert np.hypot(*off[1]) == pytest.approx(0.8 * np.hypot(*off[0]), rel=0.01)


def _skin(rng, spread: float = 1.0) -> np.ndarray:
    """Skin with texture in lightness and unevenness in hue and chroma: display-linear Rec.2020."""
    L = 62.0 + 6.0 * rng.normal(size=(160, 160)) * 0.5
    a, b = (mean + spread * rng.normal(size=L.shape) for mean in (15.0, 17.0))
    return (Lab_to_XYZ(np.stack([L, a, b], axis=-1)) @ XYZ_TO_REC2020.T).astype(np.float32)


REFERENCE = (40.0, 13.0, 15.0, 62.0, 15.0, 17.0, 82.0, 11.0, 13.0)


@pytest.mark.parametrize(("percent", "low", "high"), [(100.0, 0.0, 0.1), (50.0, 0.4, 0.6)])
def test_skin_is_brought_together_and_keeps_its_texture(percent, low, high):
    skin = _skin(np.random.default_rng(5), 2.0)
    made = moved(skin, skin=Skin(reference=REFERENCE, evenness_percent=percent))
    before, after = (sRGB_to_Lab(each @ REC2020_TO_SRGB.T) for each in (skin, made))

    def spread(Lab):
        # about what the reference has at that lightness
        off = (Lab[..., n] - np.interp(Lab[..., 0], REFERENCE[::3], REFERENCE[n::3]) for n in (1, 2))
        return np.hypot(*(np.std(each) for each in off))

    assert low <= spread(after) / spread(before) < high
    assert np.std(np.diff(after[..., 0], axis=1)) == pytest.approx(np.std(np.diff(before[..., 0], axis=1)), rel=0.1)


def test_what_is_not_skin_keeps_its_colour(colours):
    skin = Skin(reference=REFERENCE, evenness_percent=100.0)
    made = moved(colours, skin=skin)
    off = np.abs(off_deg(oklch(colours)[2], skin_hue_deg(skin)))
    far = (off > 60.0) & (oklch(colours)[1] > 0.06)
    assert np.abs(made - colours)[far].max() < 1e-4
    assert skin_hue_deg(Skin(reference=NO_SKIN)) != pytest.approx(skin_hue_deg(skin), abs=0.1)


def test_black_and_white_has_no_colour_and_its_lightness_by_hue(colours):
    made = moved(colours, black_and_white="on")
    assert np.ptp(made, axis=-1).max() < 1e-4
    np.testing.assert_allclose(made[..., 1], colours @ LUMINANCE, atol=1e-4)
    darker = moved(colours, black_and_white="on", pegs=pegs(Peg(at_deg=250.0, lightness=-15.0)))
    _, chroma, hue = oklch(colours)
    sky = (chroma > 0.06) & (np.abs(off_deg(hue, 250.0)) < 4.0)
    other = np.abs(off_deg(hue, 250.0)) > 60.0
    assert (L_star(darker) - L_star(made))[sky].mean() < -10.0
    assert np.abs(L_star(darker) - L_star(made))[other].max() < 0.05
    # both ends stay
    ends = of_oklch(np.array([0.02, 0.99]), np.array([0.004, 0.004]), 250.0)[None].repeat(2, axis=0)
    lifted = moved(np.ascontiguousarray(ends), pegs=pegs(Peg(at_deg=250.0, lightness=40.0)))
    assert np.abs(L_star(lifted) - L_star(ends)).max() < 0.5


def test_a_filter_before_the_lens_lightens_its_own_colour():
    # blue sky and green leaf of the published chart
    blue_sky, foliage = (np.array(each) / 255.0 for each in ((98, 122, 157), (87, 108, 67)))
    linear = [np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4) for v in (blue_sky, foliage)]
    sky, leaf = (REC2020_TO_SRGB.T @ np.zeros(3) + np.linalg.solve(REC2020_TO_SRGB, each) for each in linear)
    lum = {name: (seen_through(name) @ sky, seen_through(name) @ leaf) for name in ("none", *BANDS_NM)}
    assert lum["red"][0] < lum["orange"][0] < lum["yellow"][0] < lum["none"][0] < lum["blue"][0]
    assert lum["green"][1] > lum["red"][1]
    for name in BANDS_NM:
        assert seen_through(name).sum() == pytest.approx(1.0) and seen_through(name).min() >= 0.0
        assert 0.0 < float(transmittance(name) @ daylight(6504.0)) < float(daylight(6504.0).sum())


# ---- in the graph


WARM = Peg(at_deg=50.0, reach_deg=60.0, hue_deg=15.0, chroma=1.4, lightness=4.0)
GRADED = Grading(pegs=pegs(WARM), muted_percent=20.0)


def test_screen_and_file_show_the_same(scene_engine):
    bent = Curve(red=((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)))
    place = Place(mask=Rows([("a", Ramp())]), exposure_EV=0.7, pegs=pegs(Peg(at_deg=40.0, hue_deg=-20.0)))
    plain = Recipe(colour=GRADED)
    for recipe in (plain, replaced(plain, tone=Tone(curve=bent)), replaced(plain, places=Rows([("k", place)]))):
        screen = scene_engine.render(recipe, 0)[..., 2::-1]
        file = np.round(255.0 * encode_sRGB(scene_engine.render(recipe, 0, result="display")))
        assert np.abs(screen.astype(float) - file).max() <= 1.0
        assert np.abs(screen.astype(float) - scene_engine.render(Recipe(), 0)[..., 2::-1]).max() > 5.0


def test_channels_are_bent_after_colours_are_moved(scene_engine):
    """A curve that empties red empties it whatever the pegs did."""
    curve = Curve(red=((0.0, 0.0), (1.0, 0.0)))
    recipe = Recipe(colour=Grading(chroma_percent=60.0), tone=Tone(curve=curve))
    assert scene_engine.render(recipe, 1, result="rendered")[..., 0].max() < 1e-4


def test_pegs_of_a_place_do_there_what_those_of_the_whole_do(scene_engine):
    everywhere = Rows([("a", Ellipse(w=3.0, h=3.0, soft_percent=0.0))])
    as_place = Recipe(places=Rows([("k", Place(mask=everywhere, pegs=GRADED.pegs))]))
    as_whole = Recipe(colour=Grading(pegs=GRADED.pegs))
    shown = [scene_engine.render(recipe, 1, result="display") for recipe in (as_place, as_whole)]
    np.testing.assert_allclose(*shown, atol=2e-4)
    half = replaced(as_place, places=Rows([("k", Place(mask=everywhere, pegs=GRADED.pegs, strength_percent=50.0))]))
    plain, some = (scene_engine.render(recipe, 1, result="display") for recipe in (Recipe(), half))
    change = [np.abs(each - plain).mean() for each in (some, shown[0])]
    assert 0.35 * change[1] < change[0] < 0.65 * change[1]


def test_a_peg_of_a_place_that_moves_is_seen_at_once(scene_engine):
    """What is kept of a picture goes by the pegs of its places too."""
    warm, seen = Engine(scene_engine.frame), []
    everywhere = Rows([("a", Ellipse(w=3.0, h=3.0, soft_percent=0.0))])
    for turn in (10.0, 40.0):
        place = Place(mask=everywhere, exposure_EV=0.2, pegs=pegs(Peg(at_deg=50.0, reach_deg=90.0, hue_deg=turn)))
        recipe = Recipe(places=Rows([("k", place)]))
        seen.append(warm.render(recipe, 1))
        np.testing.assert_array_equal(seen[-1], Engine(scene_engine.frame).render(recipe, 1))
    assert np.abs(seen[0].astype(int) - seen[1]).max() > 5


def test_masks_read_colours_as_they_are_without_colour(scene_engine):
    """So that no peg feeds back into a mask."""
    place = Place(mask=Rows([("a", Bright())]), exposure_EV=-0.5)
    recipe = Recipe(places=Rows([("k", place)]))
    masks = []
    for each in (recipe, replaced(recipe, colour=GRADED)):
        node, n = place_mask(each, "k")
        masks.append(scene_engine.render(each, 1, result=node)[..., n])
    np.testing.assert_array_equal(*masks)


def test_a_drag_of_a_peg_makes_only_what_comes_after_the_scene(scene_engine):
    engine = Engine(scene_engine.frame)
    engine.render(Recipe(), 0)
    before = dict(engine.runs)
    engine.render(Recipe(colour=GRADED), 0)
    assert {name for name in engine.runs if engine.runs[name] != before.get(name)} == {"screen"}


def test_what_is_decided_is_written_and_read(scene_engine):
    recipe, _ = Recipe(colour=GRADED).insert("colour.tint", TintNode(at=30.0, b=-4.0), label="x")
    assert Recipe.from_json(recipe.to_json()) == recipe
    shown = [scene_engine.render(each, 1, result="display") for each in (Recipe(), recipe)]
    assert delta_E_2000(*(sRGB_to_Lab(each) for each in shown)).max() > 1.0


def test_the_curve_of_lightness_is_met_before_colours_are_moved(scene_engine):
    area = spot(scene_engine, Recipe(), 300, 150)
    dark = Recipe(colour=Grading(pegs=pegs(*(Peg(at_deg=at, lightness=-20.0) for at in EVEN)), chroma_percent=50.0))
    tones = [tone_of(scene_engine, recipe, area) for recipe in (Recipe(), dark)]
    assert tones[0] == tones[1]
    reds = [tone_of(scene_engine, recipe, area, "red") for recipe in (Recipe(), dark)]
    assert abs(reds[0] - reds[1]) > 0.01


def test_where_muted_colours_lose_skin_loses_as_others_do():
    """Skin is held back from a gain, not from a loss: it would stand out of a picture that fades."""
    weak, skin = (of_oklch(0.65, 0.04, hue) for hue in (200.0, 55.0))
    row = np.ascontiguousarray(np.stack([weak, skin])[None].repeat(2, axis=0))
    loss = (oklch(moved(row, muted_percent=-60.0))[1] / oklch(row)[1])[0]
    assert loss[0] < 0.8 and loss[1] == pytest.approx(loss[0], abs=0.03)
