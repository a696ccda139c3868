"""Numbers as people read them."""

import pytest

from matiz.wording import EV, duv, kelvin, number, percent


@pytest.mark.parametrize(
    "text, expected",
    [
        (number(1234567.891, 1), "1\u202f234\u202f567.9"),
        (number(-0.04, 1), "0.0"),
        (number(-0.06, 1), "\u22120.1"),
        (number(3, 2, signed=True), "+3.00"),
        (number(0, 2, signed=True), "0.00"),
        (number(24.36, 1, "cm"), "24.4\u202fcm"),
        (kelvin(5484.9), "5\u202f480\u202fK"),
        (kelvin(999.0), "1\u202f000\u202fK"),
        (EV(0.7), "+0.70\u202fEV"),
        (EV(-1.234), "\u22121.23\u202fEV"),
        (EV(1.0, signed=False), "1.00\u202fEV"),
        (duv(0.00312), "+0.0031"),
        (duv(-0.00004), "0.0000"),
        (percent(0.0449, 2), "4.49\u202f%"),
    ],
)
def test_fixed_decimals_true_minus_and_thin_spaces(text, expected):
    assert text == expected
