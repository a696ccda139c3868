"""The change map against ΔE00 worked out for two flat colours, and its contours."""

import numpy as np
import pytest

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import D65_XY, RGB_to_XYZ_matrix, XYZ_to_Lab, decode_sRGB, xy_to_XYZ
from matiz.errors import ArgumentError
from matiz.measure.colour.change import LEVELS_dE, change_map, contours


def screen(grey: int, size=(200, 300)) -> np.ndarray:
    return np.full((*size, 4), (grey, grey, grey, 255), np.uint8)


def test_two_greys_differ_by_their_delta_E():
    Lab = [
        XYZ_to_Lab(decode_sRGB(np.full(3, v / 255.0)) @ RGB_to_XYZ_matrix("sRGB").T, xy_to_XYZ(D65_XY))
        for v in (100, 120)
    ]
    found = change_map(screen(100), screen(120))
    assert found == pytest.approx(float(delta_E_2000(*Lab)), abs=0.01)
    assert change_map(screen(90), screen(90)).max() == 0.0


def test_a_large_picture_is_mapped_small():
    assert max(change_map(screen(90, (900, 1500)), screen(91, (900, 1500))).shape) == 320


def test_contours_go_round_what_differs():
    after = screen(100)
    after[50:150, 60:180, :3] = 125
    lines = contours(change_map(screen(100), after))
    assert list(lines) == list(LEVELS_dE)
    assert len(lines[2.0]) == len(lines[5.0]) == 1 and lines[20.0] == []
    line = lines[5.0][0]
    assert np.abs([line[:, 0].min() - 0.2, line[:, 0].max() - 0.6]).max() < 0.02
    assert np.abs([line[:, 1].min() - 0.25, line[:, 1].max() - 0.75]).max() < 0.03
    outer = lines[2.0][0]
    assert np.ptp(outer[:, 0]) >= np.ptp(line[:, 0])


def test_pictures_of_two_sizes_are_refused():
    with pytest.raises(ArgumentError, match="shape"):
        change_map(screen(1), screen(1, (100, 300)))
