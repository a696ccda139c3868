"""Colour against colour-science 0.4.7 and published data."""

import csv
from pathlib import Path

import numpy as np
import pytest

from matiz.colour.adaptation import adaptation_matrix
from matiz.colour.difference import delta_E_2000
from matiz.colour.illuminants import NAMES, black_body, daylight, daylight_xy, illuminant_xy, lamp
from matiz.colour.spaces import (
    D50_XY,
    D65_XY,
    Lab_to_LCh,
    Oklab_to_XYZ,
    RGB_to_XYZ_matrix,
    XYZ_to_Lab,
    XYZ_to_Oklab,
    XYZ_to_xy,
    decode_sRGB,
    encode_sRGB,
    lightness,
    luminance,
    uv_to_xy,
    xy_to_uv,
    xy_to_XYZ,
)
from matiz.colour.tables import observer_bands
from matiz.colour.temperature import cct_to_xy, duv_limit, planckian_xy, xy_to_cct
from matiz.errors import ArgumentError
from tests.tolerances import CCT_SHARE, DUV

colour = pytest.importorskip("colour")
OBSERVER = "CIE 1931 2 Degree Standard Observer"
RANDOM = np.random.default_rng(2)


@pytest.mark.parametrize("ours, theirs", [("sRGB", "sRGB"), ("Rec.2020", "ITU-R BT.2020")])
def test_matrices(ours, theirs):
    """IEC 61966-2-1 and ITU-R BT.2020, primaries and D65; colour-science rounds as the standards print."""
    expected = colour.RGB_COLOURSPACES[theirs].matrix_RGB_to_XYZ
    np.testing.assert_allclose(RGB_to_XYZ_matrix(ours), expected, atol=2e-4)


def test_sRGB_encoding_both_branches_and_back():
    linear = np.concatenate([np.linspace(0, 0.01, 50), np.linspace(0, 1, 200)])
    np.testing.assert_allclose(encode_sRGB(linear), colour.models.eotf_inverse_sRGB(linear), atol=1e-7)
    np.testing.assert_allclose(decode_sRGB(encode_sRGB(linear)), linear, atol=1e-7)


@pytest.mark.parametrize("method", ["Bradford", "CAT16"])
def test_adaptation(method):
    source, target = xy_to_XYZ(illuminant_xy("A")), xy_to_XYZ(D50_XY)
    expected = colour.adaptation.matrix_chromatic_adaptation_VonKries(source, target, transform=method)
    np.testing.assert_allclose(adaptation_matrix(source, target, method=method), expected, atol=1e-4)
    np.testing.assert_allclose(adaptation_matrix(source, target, method=method) @ source, target, atol=1e-9)


def test_lab_lch_oklab():
    XYZ = RANDOM.random((50, 3)) * 0.9 + 0.01
    np.testing.assert_allclose(XYZ_to_Lab(XYZ), colour.XYZ_to_Lab(XYZ, D50_XY), atol=2e-3)
    np.testing.assert_allclose(Lab_to_LCh(XYZ_to_Lab(XYZ)), colour.models.Lab_to_LCHab(XYZ_to_Lab(XYZ)), atol=1e-6)
    np.testing.assert_allclose(XYZ_to_Oklab(XYZ), colour.XYZ_to_Oklab(XYZ), atol=1e-4)
    np.testing.assert_allclose(Oklab_to_XYZ(XYZ_to_Oklab(XYZ)), XYZ, atol=1e-9)


def test_uv_and_lightness_round_trips():
    xy = RANDOM.random((20, 2)) * 0.3 + 0.2
    np.testing.assert_allclose(uv_to_xy(xy_to_uv(xy)), xy, atol=1e-12)
    np.testing.assert_allclose(xy_to_uv(xy), colour.models.xy_to_Luv_uv(xy), atol=1e-9)
    Y = np.linspace(0, 1, 101)
    np.testing.assert_allclose(luminance(lightness(Y)), Y, atol=1e-9)
    np.testing.assert_allclose(lightness(Y), colour.colorimetry.lightness_CIE1976(Y * 100), atol=1e-4)


@pytest.mark.parametrize("shape", [(3,), (4, 3), (2, 5, 3)])
def test_shapes_are_kept(shape):
    XYZ = np.full(shape, 0.3)
    assert XYZ_to_Lab(XYZ).shape == shape
    assert delta_E_2000(XYZ, XYZ).shape == shape[:-1]


def test_ciede2000_published_pairs():
    """Sharma, Wu, Dalal 2005: 33 of the 34 pairs, as carried by colour-science 0.4.7 (it leaves out
    the 14th, whose hues lie on the edge of 180 degrees and turn on the last bit of an arc tangent)."""
    with (Path(__file__).parents[1] / "published" / "ciede2000.csv").open() as file:
        rows = np.array(list(csv.reader(file))[1:], np.float64)
    assert len(rows) == 33
    np.testing.assert_allclose(delta_E_2000(rows[:, :3], rows[:, 3:6]), rows[:, 6], atol=1e-4)


def test_ciede2000_against_colour_science():
    first, second = RANDOM.random((2, 500, 3)) * (100, 160, 160) - (0, 80, 80)
    np.testing.assert_allclose(delta_E_2000(first, second), colour.difference.delta_E_CIE2000(first, second), atol=1e-6)


@pytest.mark.parametrize("cct_K", [1500, 1800, 2500, 3500, 5000, 6500, 9000, 15_000, 25_000])
@pytest.mark.parametrize("duv", [-0.03, -0.01, -0.001, 0.0, 0.001, 0.01, 0.03])
def test_cct_and_duv_both_ways(cct_K, duv):
    """Ohno 2014, against colour-science, 1,500..25,000 K and Duv +-0.03."""
    xy = cct_to_xy(cct_K, duv)
    theirs = colour.UCS_uv_to_xy(colour.temperature.CCT_to_uv_Ohno2013([cct_K, duv]))
    np.testing.assert_allclose(xy, theirs, atol=2e-5)
    back = xy_to_cct(xy)
    assert back[0] == pytest.approx(cct_K, rel=CCT_SHARE)
    assert back[1] == pytest.approx(duv, abs=DUV)


def test_cct_of_nothing_is_nothing():
    out = xy_to_cct([[np.nan, 0.3], [0.3127, 0.3290]])
    assert np.isnan(out[0]).all()
    assert out[1, 0] == pytest.approx(6504, abs=10)
    with pytest.raises(ArgumentError, match="last axis"):
        xy_to_cct([1.0, 2.0, 3.0])
    with pytest.raises(ArgumentError, match="1000"):
        cct_to_xy(200.0)


@pytest.mark.parametrize("cct_K, about", [(1500, 0.0035), (2000, 0.010), (6500, 0.03)])
def test_duv_has_less_room_in_warm_light(cct_K, about):
    assert duv_limit(cct_K) == pytest.approx(about, rel=0.12)


def test_named_illuminants():
    """CIE 015:2018 chromaticities, from colour-science."""
    for name in NAMES:
        expected = colour.CCS_ILLUMINANTS[OBSERVER][name]
        np.testing.assert_allclose(illuminant_xy(name), expected, atol=1e-6)
    with pytest.raises(ArgumentError, match="one of"):
        illuminant_xy("candle")


@pytest.mark.parametrize("cct_K", [4000, 5003, 6504, 7000, 12_000, 25_000])
def test_daylight(cct_K):
    """CIE 015:2018: chromaticity formula, and the spectrum that belongs to it."""
    expected = colour.temperature.CCT_to_xy_CIE_D(cct_K)
    np.testing.assert_allclose(daylight_xy(cct_K), expected, atol=1e-6)
    np.testing.assert_allclose(XYZ_to_xy(daylight(cct_K) @ observer_bands()), expected, atol=5e-4)
    with pytest.raises(ArgumentError, match="4,000"):
        daylight_xy(3000)


def test_spectra_have_the_colours_of_their_names():
    np.testing.assert_allclose(XYZ_to_xy(black_body(2856) @ observer_bands()), illuminant_xy("A"), atol=5e-4)
    np.testing.assert_allclose(XYZ_to_xy(black_body(3200) @ observer_bands()), planckian_xy(3200), atol=5e-4)
    for name in ("A", "LED-B3", "FL2", "HP1"):
        np.testing.assert_allclose(XYZ_to_xy(lamp(name) @ observer_bands()), illuminant_xy(name), atol=2e-3)
        assert lamp(name) @ observer_bands()[:, 1] == pytest.approx(1.0)


def test_white_is_white():
    np.testing.assert_allclose(XYZ_to_Lab(xy_to_XYZ(D50_XY)), [100, 0, 0], atol=1e-9)
    assert xy_to_cct(D65_XY)[0] == pytest.approx(6504, abs=5)
