"""Mask parts by their formulas, their edges in px, and the algebra of joining them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from matiz.colour.spaces import luminance
from matiz.errors import RecipeError
from matiz.masks.join import Within, feathered, grown, joined, margin_px
from matiz.masks.view import MaskWindow, lab
from matiz.recipe.parsing import parsed_part
from matiz.recipe.places import (
    Bright,
    Colour,
    Dim,
    Edges,
    Ellipse,
    Lasso,
    MaskPart,
    Middle,
    Muted,
    Place,
    Ramp,
    Reach,
    SameAs,
    Saturated,
    Zones,
)
from matiz.recipe.tree import Rows, Table, parts_of, replaced


def view_of(display, EV=None, colours=None, px=1.0, long_side=None) -> MaskWindow:
    height, width = display.shape[:2]
    long_side = long_side or round(max(width, height) * px)
    x, y = np.meshgrid((np.arange(width) + 0.5) * px / long_side, (np.arange(height) + 0.5) * px / long_side)
    EV = np.zeros((height, width), np.float32) if EV is None else EV
    x, y = x.astype(np.float32), y.astype(np.float32)
    return MaskWindow(display.astype(np.float32), lambda: EV, lambda: (x, y), px, long_side, colours or {})


def lab_of(display) -> np.ndarray:
    return lab(np.array(display, np.float32).reshape(1, 1, 3))[0, 0]


def greys(count=256) -> MaskWindow:
    """Display lightness from 0 to 1 along a row."""
    Y = np.linspace(0.0, 1.0, count)
    row = luminance(100.0 * Y)[None, :, None] * np.ones((4, 1, 3))
    EV = np.linspace(-5.0, 5.0, count)[None] * np.ones((4, 1))
    return view_of(row, EV.astype(np.float32))


Y = np.linspace(0.0, 1.0, 256)


@pytest.mark.parametrize("n", [1.0, 2.0, 3.5, 6.0])
def test_tones_follow_their_formulas(n):
    for part, expected in (
        (Bright(exponent=n), Y**n),
        (Dim(exponent=n), (1.0 - Y) ** n),
        (Middle(exponent=n), 1.0 - np.abs(2.0 * Y - 1.0) ** n),
    ):
        np.testing.assert_allclose(joined([part], greys())[0], expected, atol=1 / 255)
    both = joined([Bright()], greys()) + joined([Dim()], greys())
    np.testing.assert_allclose(both, 1.0, atol=1e-5)


def test_tones_of_channels_and_of_their_complements():
    picture = np.zeros((4, 4, 3))
    picture[..., 0] = luminance(60.0)
    view = view_of(picture)
    for channel, L in (("red", 0.6), ("green", 0.0), ("blue", 0.0), ("cyan", 0.0)):
        assert joined([Bright(channel=channel)], view)[0, 0] == pytest.approx(L, abs=0.004)
    assert 0.3 < joined([Bright(channel="yellow")], view)[0, 0] < 0.6


def test_a_range_of_zones_with_soft_ends():
    mask = joined([Zones(low=4.0, high=6.0, soft=1.0)], greys())[0]
    zone = np.linspace(0.0, 10.0, 256)
    assert (mask[(zone >= 4.0) & (zone <= 6.0)] > 0.999).all() and (mask[(zone < 3.0) | (zone > 7.0)] == 0.0).all()
    assert mask[np.argmin(np.abs(zone - 3.5))] == pytest.approx(0.5, abs=0.03)
    assert joined([Zones(low=0.0, high=2.0)], greys())[0, 0] == 1.0, "the last rung holds all below"


def test_colours_by_hue_chroma_and_fall_off():
    wide = np.zeros((4, 5, 3))
    wide[:] = [[0.5, 0.1, 0.1], [0.5, 0.12, 0.1], [0.1, 0.5, 0.1], [0.3, 0.3, 0.3], [0.45, 0.09, 0.09]]
    wide = wide.repeat(12, axis=1).repeat(8, axis=0)
    pick = (0.1, 0.1)
    view = view_of(wide, colours={pick: lab_of((0.5, 0.1, 0.1))})
    mask = joined([Colour(picks=(pick,), hue_deg=30.0)], view)[16, 6::12]
    assert mask[0] > 0.99 and mask[1] > 0.5 and mask[2] < 0.01 and mask[3] < 0.01 and mask[4] > 0.9
    assert (joined([Colour()], view) == 0.0).all(), "no pick, no colour"
    saturated, muted = joined([Saturated()], view)[16, 6::12], joined([Muted()], view)[16, 6::12]
    np.testing.assert_allclose(saturated + muted, 1.0, atol=1e-6)
    assert saturated[0] > 0.99 and saturated[3] < 0.01


def test_ramps_and_ellipses_lie_where_they_say():
    view = view_of(np.full((60, 90, 3), 0.2))
    ramp = joined([Ramp(x=0.5, y=0.1, x2=0.5, y2=0.5)], view)
    assert ramp[8, 10] > 0.999 and ramp[46, 80] < 0.001 and ramp[27, 45] == pytest.approx(0.5, abs=0.03)
    assert np.ptp(ramp[20]) < 1e-6, "even across"
    part = Ellipse(x=0.5, y=0.33, w=0.6, h=0.2, turn_deg=90.0, soft_percent=0.0)
    ellipse = joined([part], view)
    slanted = joined([Ellipse(x=0.5, y=0.33, w=0.6, h=0.1, turn_deg=45.0, soft_percent=0.0)], view)
    assert slanted[30 + 12, 45 + 12] == 1.0 and slanted[30 - 12, 45 + 12] == 0.0, "clockwise"
    assert ellipse[30, 45] == 1.0 and ellipse[30 - 25, 45] == 1.0 and ellipse[30, 45 + 15] == 0.0


@pytest.mark.parametrize("px", [1.0, 2.0, 4.0])
def test_a_lasso_is_the_same_at_every_size(px):
    path = ((0.2, 0.1), (0.7, 0.15), (0.6, 0.5), (0.25, 0.45))
    fine = joined([Lasso(path=path, feather_px=24.0)], view_of(np.full((240, 360, 3), 0.2)))
    smaller = view_of(np.full((round(240 / px), round(360 / px), 3), 0.2), px=px)
    coarse = joined([Lasso(path=path, feather_px=24.0)], smaller)
    step = int(px)
    means = fine.reshape(240 // step, step, 360 // step, step).mean(axis=(1, 3))
    assert np.abs(means - coarse).mean() < 0.004
    assert (joined([Lasso(path=path[:2])], view_of(np.full((20, 30, 3), 0.2))) == 0.0).all()


def test_a_reach_takes_what_is_near_and_alike_and_is_pushed_back():
    picture = np.full((60, 90, 3), 0.2)
    picture[:, 45:] = (0.4, 0.1, 0.1)
    inside, other = (0.25, 0.33), (0.75, 0.33)
    view = view_of(picture, colours={inside: lab_of(picture[0, 0]), other: lab_of(picture[0, 80])})
    alone = joined([Reach(picks=(inside,))], view)
    assert alone[30, 22] > 0.99 and alone[30, 36] > 0.5 and alone[30, 56] < 0.05
    far = joined([Reach(picks=(inside,), difference=100.0)], view)
    pushed = joined([Reach(picks=(inside,), keep_out=(other,), difference=100.0)], view)
    assert pushed[30, 60] < 0.6 * far[30, 60] and pushed[30, 22] > 0.8


@pytest.mark.parametrize("width", [3.0, 8.0, 25.0, 60.5, 150.3])
def test_a_feather_widens_an_edge_to_its_width(width):
    edge = np.zeros((40, 400), np.float32)
    edge[:, 200:] = 1.0
    soft = feathered(edge, width)[20]
    inner = (soft > 0.001) & (soft < 0.999)
    assert inner.sum() == pytest.approx(width, rel=0.1, abs=1.0)
    assert soft.mean() == pytest.approx(0.5, abs=1e-4)
    slope = np.diff(soft)[200 - int(width / 4) : 200 + int(width / 4)]
    np.testing.assert_allclose(slope, 1.0 / width, rtol=0.02)


@pytest.mark.parametrize("by", [5.0, -5.0, 2.5])
def test_it_is_loosened_and_tightened_by_px(by):
    disc = (np.hypot(*np.meshgrid(np.arange(81) - 40, np.arange(81) - 40)) <= 20).astype(np.float32)
    assert np.sqrt(grown(disc, by).sum() / np.pi) == pytest.approx(20.3 + by, abs=0.7)


@pytest.mark.parametrize("px", [1.0, 2.0])
def test_edges_are_where_lightness_rises_at_every_size(px):
    count = round(120 / px)
    at = (np.arange(2 * count) + 0.5) * px
    L = np.where(at < 120.0, 40.0, 70.0) * np.ones((count, 1))
    view = view_of(np.repeat(luminance(L)[..., None], 3, axis=2), px=px)
    mask = joined([Edges(rise=12.0)], view)[count // 2]
    assert mask[count] > 0.99 and mask[: round(80 / px)].max() < 0.01
    faint = joined([Edges(rise=100.0)], view)[count // 2]
    # a rise of 30 blurred over 6 px slopes by 2 L* a px
    assert faint[count] == pytest.approx(0.24**2 * (3 - 2 * 0.24), abs=0.04)


@pytest.mark.parametrize("by", [40.0, -40.0])
def test_a_wide_radius_reaches_as_far(by):
    disc = (np.hypot(*np.meshgrid(np.arange(401) - 200, np.arange(401) - 200)) <= 100).astype(np.float32)
    made = grown(disc, by)
    assert np.sqrt(made.sum() / np.pi) == pytest.approx(100.0 + by, abs=2.0)
    edge = (made[200] > 0.05) & (made[200] < 0.95)
    assert edge.sum() <= 2 * 8, "sharp to a tenth of the radius or so"


PART = st.sampled_from([
    Bright(exponent=2.0), Dim(), Middle(), Zones(), Muted(), Ramp(x=0.1, y=0.1, x2=0.6, y2=0.5), Ellipse(x=0.4),
    Lasso(path=((0.1, 0.1), (0.8, 0.2), (0.4, 0.6)), feather_px=5.0),
])  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(st.data(), st.integers(8, 60), st.integers(8, 60))
def test_the_algebra_of_masks(data, width, height):
    def more(part, **values) -> MaskPart:
        return type(part)(**{**part.__dict__, **values})

    rng = np.random.default_rng(width * 61 + height)
    view = view_of(rng.random((height, width, 3)), rng.normal(0, 2, (height, width)).astype(np.float32))
    one, other = data.draw(PART), data.draw(PART)
    mask = joined([one], view)
    assert mask.shape == (height, width) and mask.dtype == np.float32 and mask.min() >= 0.0 and mask.max() <= 1.0
    inverted = joined([more(one, invert="on")], view)
    np.testing.assert_allclose(inverted, 1.0 - mask, atol=1e-6)
    both, turned = joined([one, other], view), joined([other, one], view)
    np.testing.assert_allclose(both, turned, atol=1e-6)
    np.testing.assert_allclose(joined([one, one], view), mask, atol=1e-6)
    met = joined([one, more(other, join="intersect")], view)
    assert (met <= mask + 1e-6).all() and (both >= mask - 1e-6).all()
    left = joined([one, more(other, join="subtract")], view)
    np.testing.assert_allclose(left + met, mask, atol=1e-5)
    first = joined([more(one, join="subtract")], view)
    np.testing.assert_allclose(first, 1.0 - mask, atol=1e-6)
    assert (joined([], view) == 1.0).all() and (joined([more(one, strength_percent=0.0)], view) == 0.0).all()


def test_every_kind_has_its_function_and_its_margin():
    from matiz.masks.parts import PARTS

    table = parts_of(Place)["mask"]
    assert isinstance(table, Table) and set(table.kinds) == {*PARTS, SameAs}
    assert margin_px([Bright(feather_px=100.0, grow_px=-20.0)]) >= 70.0


def test_parts_are_typed():
    part = parsed_part("zones, low=6, high=9,join=intersect , invert=on")
    assert part == Zones(low=6.0, high=9.0, join="intersect", invert="on")
    picks = ((0.2, 0.3), (0.4, 0.5))
    assert parsed_part("colour,picks=[[0.2,0.3],[0.4,0.5]],hue_deg=12") == Colour(picks=picks, hue_deg=12.0)
    for wrong, told in {
        "glow": "no kind", "bright,exponent=9": "outside", "bright,size=2": "not one of", "dim,x": "not one of",
    }.items():  # fmt: skip
        with pytest.raises(RecipeError, match=told):
            parsed_part(wrong)


def test_colours_are_those_of_the_colour_room():
    from matiz.colour.spaces import REC2020_TO_XYZ, XYZ_to_Lab

    display = np.random.default_rng(4).random((30, 40, 3)).astype(np.float32) ** 3
    expected = XYZ_to_Lab(display.astype(np.float64) @ REC2020_TO_XYZ.T, REC2020_TO_XYZ.sum(axis=1))
    np.testing.assert_allclose(lab(display), expected, atol=0.02)


@pytest.mark.parametrize("changed", [{"spare_dark": 3.0}, {"spare_light": 7.0}, {"parts": Rows([("p1", Bright())])}])
def test_what_stands_for_another_place_s_mask_follows_its_ends_too(changed):
    """Two masks with one digest would be taken for each other."""
    held = Within(parts=Rows([("p1", Ellipse(x=0.5, y=0.5, w=0.4, h=0.4))]))
    other = replaced(held, **changed)
    assert held.mask_digest != other.mask_digest and held.digest != other.digest
    assert Within(parts=held.parts).mask_digest == held.mask_digest
