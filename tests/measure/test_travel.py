"""What is drawn in one picture laid on the same thing in another one. The truth is known: `test_same.engine`."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.measure.sort.travel import DrawnPlace, is_drawn
from matiz.recipe.model import Mend, Recipe, plain_recipe
from matiz.recipe.places import Brush, Lasso, Place, Ramp, Stroke
from matiz.recipe.shapes import Shape
from matiz.recipe.tree import Rows

from .test_same import JUMPER, engine

LONG = 512.0
X, Y = JUMPER[0] + 20.0, JUMPER[1] + 20.0
LINE = np.array([(X - 12.0, Y - 10.0), (X, Y), (X + 12.0, Y + 8.0)])


def of_frame(px):
    return (np.asarray(px) + 0.5) / LONG


def painted(*, radius_px=14.0) -> Place:
    path = Shape.of(np.column_stack([of_frame(LINE), [0.4, 0.7, 1.0]]))
    outline = tuple((float(x), float(y)) for x, y in of_frame(LINE))
    return Place(name="cloth", exposure_EV=0.4, mask=Rows([
        ("m1", Brush(strokes=Rows([("s1", Stroke(path=path, radius_px=radius_px)), ("s2", Stroke())]))),
        ("m2", Lasso(path=outline)), ("m3", Ramp(x=0.1, y=0.2, x2=0.3, y2=0.4)),
    ]))  # fmt: skip


def plain(one) -> Recipe:
    return plain_recipe(one.frame.start)


@pytest.mark.parametrize("turn_deg, size, shift", [(0, 1.0, (30, -20)), (8, 0.85, (0, 0)), (-12, 1.15, (-15, 10))])
def test_strokes_and_outlines_go_along_and_all_else_stays(turn_deg, size, shift):
    own, _ = engine()
    other, way = engine((0.7, 0.75, 0.9), turn_deg, size, shift)
    place = painted()
    laid = DrawnPlace(place, own, plain(own)).laid(other, plain(other))
    truth = LINE @ way[:, :2].T + way[:, 2]
    stroke, outline = laid.mask["m1"].strokes["s1"], laid.mask["m2"].path
    for points in (stroke.path.points[:, :2], outline):
        assert np.abs(np.asarray(points) * LONG - 0.5 - truth).max() < 3.0
    assert stroke.radius_px == pytest.approx(14.0 * size, rel=0.05)
    assert stroke.path.points[:, 2] == pytest.approx([0.4, 0.7, 1.0]), "as it was pressed"
    assert laid.mask["m3"] == place.mask["m3"] and replace(laid, mask=place.mask) == place
    assert laid.mask["m1"].strokes["s2"].path == Stroke().path, "one that went nowhere"


def test_pictures_that_lie_otherwise_are_seen_through():
    """The one is cropped, the other turned by a quarter: what is drawn is of the frame."""
    own, _ = engine()
    other, way = engine(shift=(20, 10))
    cropped = replace(plain(own), mend=replace(Mend(), crop=(0.2, 0.5, 0.6, 0.5)))
    turned = replace(plain(other), mend=replace(Mend(), quarter_turns="1"))
    laid = DrawnPlace(painted(), own, cropped).laid(other, turned)
    truth = LINE @ way[:, :2].T + way[:, 2]
    assert np.abs(laid.mask["m1"].strokes["s1"].path.points[:, :2] * LONG - 0.5 - truth).max() < 4.0


def test_where_it_went_away_it_is_said():
    own, _ = engine()
    gone, _ = engine(moved=(0.02, 0.1, 0.3))
    assert DrawnPlace(painted(radius_px=8.0), own, plain(own)).laid(gone, plain(gone)) is None


def test_what_is_drawn_is_told():
    assert is_drawn(painted())
    for part in (Ramp(), Brush(), Brush(strokes=Rows([("s1", Stroke())])), Lasso()):
        assert not is_drawn(Place(name="x", mask=Rows([("m1", part)])))
