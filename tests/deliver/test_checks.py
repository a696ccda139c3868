"""What is said before a picture is written by an order, and that its fixes mend it."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.colour.outputs import SPACES
from matiz.colour.spaces import decode_sRGB
from matiz.deliver.checks import Check, checks, into_paper
from matiz.deliver.orders import OWN, Order
from matiz.develop.stages.rendition import curve
from matiz.findings.find import fixed
from matiz.measure.deliver.deliver import DeliveryReading, read_delivery
from matiz.measure.detail.blur import BlurReading
from matiz.measure.picture import Meter, PictureReading
from matiz.recipe.model import Recipe

SIZE = (6000, 4000)
PRINT = Order(print_cm=40.0, sharpening="matte")
STRAIGHT = ((0.0, 0.0), (1.0, 1.0))


def reading(*, light=0.0, dark=0.0, outside=None, blur_px=0.6) -> PictureReading:
    gamut = dict.fromkeys(SPACES, 0.0) | (outside or {})
    delivery = DeliveryReading(0.0, 0.0, light, dark, gamut)
    return PictureReading({"delivery": delivery, "blur_after": BlurReading(blur_px, 500, (), ())})


def said(order: Order, told: PictureReading | None = None, size=SIZE) -> dict[str, Check]:
    return {check.id: check for check in checks(told or reading(), Recipe(), order, size)}


@pytest.mark.parametrize("name", OWN)
def test_nothing_is_said_of_a_good_picture_and_an_order_that_ships(name):
    assert said(OWN[name]) == {}


@pytest.mark.parametrize(
    "order, told, wanted",
    [
        (Order("JPEG", space="ROMM RGB"), reading(), "coarse"),
        (Order("TIFF 8", space="Rec.2020"), reading(), "coarse"),
        (Order(space="sRGB"), reading(outside={"sRGB": 0.03}), "gamut"),
        (Order("TIFF", space="opRGB"), reading(outside={"sRGB": 0.2, "opRGB": 0.05, "Display P3": 0.1}), "gamut"),
        (Order("TIFF", print_cm=120.0), reading(), "few_px"),
        (Order("TIFF", print_cm=80.0), reading(blur_px=2.0), "soft"),
        (Order(long_side=4000), reading(blur_px=2.0), "soft"),
        (Order(long_side=2000), reading(), "made_softer"),
        (Order(pattern="dawn"), reading(), "same_names"),
    ],
)
def test_what_is_wrong_with_an_order_is_named_and_the_order_it_proposes_is_silent(order, told, wanted):
    found = said(order, told)
    assert f"deliver.{wanted}" in found
    better = found[f"deliver.{wanted}"].order
    assert better is not None and found[f"deliver.{wanted}"].fix_label
    assert f"deliver.{wanted}" not in said(better, told)


def test_a_space_that_is_offered_holds_the_colours_and_is_not_too_wide_for_its_bits():
    told = reading(outside={"sRGB": 0.2, "Display P3": 0.08, "opRGB": 0.06})
    assert said(Order("TIFF"), told)["deliver.gamut"].order.space == "Rec.2020"
    assert said(Order("JPEG"), told)["deliver.gamut"].order is None, "a JPEG has 8 bits"
    assert said(Order("JPEG", space="paper.icc"), told) == {}


def test_a_border_counts_in_the_size():
    """A print of 82 cm of 6,000 px has 186 px per inch, and 171 with nothing else; the border adds to them."""
    order = Order("TIFF", print_cm=86.0)
    assert "deliver.few_px" in said(order)
    wide = Recipe().change("finish.border.width_percent", 10.0)[0]
    assert not checks(reading(), wide, order, SIZE)


def test_paper_range_is_only_of_paper_and_counts_what_is_not_quite_white_or_black():
    codes = np.array([[0.0, 4.0, 100.0, 250.0, 255.0]])
    display = np.repeat(decode_sRGB(codes / 255.0)[..., None], 3, axis=2).astype(np.float32)
    told = read_delivery(display, display)
    assert (told.light_detail, told.dark_detail) == (0.2, 0.2)
    assert (told.bare_paper, told.no_shadow) == (0.4, 0.4)
    bright = reading(light=0.01)
    assert "deliver.paper_range" in said(PRINT, bright)
    assert said(Order(), bright) == {} and said(PRINT, reading(light=0.003, dark=0.01)) == {}


@pytest.mark.parametrize("light, dark", [(True, False), (False, True), (True, True)])
def test_a_curve_bent_into_the_papers_range_ends_there_and_keeps_the_middle(light, dark):
    bent = into_paper(STRAIGHT, light=light, dark=dark)
    assert curve(bent, [1.0])[0] == pytest.approx(0.9655 if light else 1.0, abs=0.002)
    assert curve(bent, [0.0])[0] == pytest.approx(0.0219 if dark else 0.0, abs=0.002)
    middle = np.linspace(0.2, 0.8, 20)
    assert curve(bent, middle) == pytest.approx(middle, abs=0.01)
    assert into_paper(bent, light=light, dark=dark) is None, "it is there already"


def test_the_fix_brings_a_picture_into_the_papers_range(hall_engine):
    recipe = Recipe().change("tone.exposure_EV", 0.5)[0]
    told = Meter(hall_engine).picture(recipe)
    (found,) = (each for each in checks(told, recipe, PRINT, SIZE) if each.id == "deliver.paper_range")
    after = Meter(hall_engine).picture(fixed(recipe, found)).delivery
    assert after.light_detail < 0.2 * max(told.delivery.light_detail, 1e-4)
    assert after.dark_detail < 0.2 * max(told.delivery.dark_detail, 1e-4)


def test_a_check_that_changes_the_order_does_not_change_the_picture():
    (found,) = said(Order(long_side=2000)).values()
    assert found.has_fix and not found.changes_picture
    assert found.order == replace(Order(long_side=2000), sharpening="screen")
