"""The blur that a picture was taken with, from its edges."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from matiz.develop.graph.engine import Engine
from matiz.findings.detail import soft
from matiz.measure.detail.blur import (
    ACROSS,
    BlurReading,
    EdgeWidths,
    choose_patches,
    find_edges,
    most_blur,
    read_blur,
)
from matiz.measure.picture import Meter
from matiz.recipe.model import Recipe
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose
from matiz_simcam.lens import Lens
from matiz_simcam.shoot import DEMO_SHOTS, scene_of

BACK = "detail.deblur.blur_px"


def edge(sigma: float) -> np.ndarray:
    """A step from 0.2 to 0.8, blurred at four times the size."""
    y, x = np.mgrid[0:512, 0:512] / 4.0
    step = ((x - 64) * np.cos(0.09) + (y - 64) * np.sin(0.09) > 0) * 0.6 + 0.2
    return cv2.GaussianBlur(step, (0, 0), 4 * sigma)[::4, ::4].astype(np.float32)


@pytest.mark.parametrize("sigma", [0.5, 0.8, 1.2, 1.8, 2.5])
def test_a_slanted_edge_tells_its_blur_within_a_tenth(sigma):
    """ISO 12233 draws its edges so. The blur is by a Gaussian that is known."""
    told = read_blur(find_edges([edge(sigma)], 0.01), (1, 1), np.inf)
    assert told.blur_px == pytest.approx(sigma, rel=0.1)


@pytest.mark.parametrize("iso", [100.0, 3200.0])
@pytest.mark.parametrize("sigma", [1.0, 2.0])
def test_a_simulated_frame_tells_its_blur_within_a_tenth(iso, sigma):
    frame = expose(targets.slanted_edge((900, 600)), Settings(iso=iso, ev=-0.5, lens=Lens(blur_px=sigma)))
    assert Meter(Engine(frame)).take(Recipe(), "blur").blur_px == pytest.approx(sigma, rel=0.1)


def test_edges_that_are_cut_off_or_lie_in_noise_do_not_count():
    blurred = edge(2.0)
    cut = np.minimum(blurred, 0.6)
    assert len(find_edges([cut], 0.01, [cut >= 0.6]).spread_px) == 0
    assert read_blur(find_edges([cut], 0.01), (1, 1), np.inf).blur_px < 1.8, "it would look sharper"
    noisy = np.full((128, 128), 0.2) + 0.02 * np.random.default_rng(1).normal(size=(128, 128))
    told = read_blur(find_edges([noisy.astype(np.float32)], 0.1), (1, 1), np.inf)
    assert told.blur_px is None and told.edges < 24
    assert read_blur(find_edges([np.ones((9, 9), np.float32)], 0.1), (1, 1), np.inf).blur_px is None


def test_one_sharp_place_is_enough():
    """Of fourteen patches one is sharp: the rest is out of focus, the lens is not soft."""
    patches = [edge(1.0), *[edge(3.0)] * 13]
    assert read_blur(find_edges(patches, 0.01), (14, 1), np.inf).blur_px == pytest.approx(1.0, rel=0.1)


@pytest.mark.parametrize("lone, others, sure", [(30, 40, False), (90, 40, True)])
def test_one_place_with_few_edges_is_not_sure(lone, others, sure):
    """A hot pixel has a few edges, and they are sharp."""
    spreads = np.concatenate([np.full(lone, 0.5), np.full(others, 1.2), np.full(others, 1.3)])
    edges = EdgeWidths(spreads, np.repeat([0, 1, 2], [lone, others, others]))
    assert read_blur(edges, (3, 1), np.inf).is_sure == sure
    assert read_blur(EdgeWidths(spreads[lone:], np.repeat([0, 1], others)), (3, 1), np.inf).is_sure


def texture(sigma: float, noise: float = 0.0) -> list[np.ndarray]:
    """Six patches of leaves: bright discs of all sizes, blurred; with noise as a share of mid grey."""
    random, out = np.random.default_rng(2), []
    for _ in range(6):
        wide = np.full((512, 512), 0.1)
        for x, y, r, v in zip(*random.uniform(0, 512, (2, 900)), random.uniform(4, 24, 900),
                              random.uniform(0.05, 0.4, 900), strict=True):  # fmt: skip
            cv2.circle(wide, (int(x), int(y)), int(r), float(v), -1)
        seen = cv2.GaussianBlur(wide, (0, 0), 4 * sigma)[::4, ::4]
        out.append((seen + noise * np.sqrt(0.18 * seen) * random.normal(size=seen.shape)).astype(np.float32))
    return out


@pytest.mark.parametrize("noise", [0.0, 0.03])
def test_texture_allows_at_least_the_blur_that_there_is_and_not_much_where_there_is_none(noise):
    """The bound is of a Gaussian over whatever content; with noise that is known it holds too."""
    assert most_blur(texture(0.4, noise), noise) < 1.25
    for sigma in (1.0, 2.0):
        assert most_blur(texture(sigma, noise), noise) > sigma
    assert most_blur([np.full((128, 128), 0.2, np.float32)], 0.01) == np.inf
    assert most_blur([np.ones((9, 9), np.float32)], 0.01) == np.inf


def test_soft_clouds_over_sharp_leaves_are_no_blur():
    """As a photograph of a forest in mist: every lone edge is soft, and nothing is out of focus."""
    seen = [edge(2.0)] * 4 + texture(0.4)
    edges = find_edges(seen[:4], 0.01)
    assert read_blur(edges, (2, 2), np.inf).blur_px > 1.8
    assert read_blur(edges, (2, 2), most_blur(seen, 0.01)).blur_px < 1.25
    blurred = [edge(2.0)] * 4 + texture(2.0)
    assert read_blur(edges, (2, 2), most_blur(blurred, 0.01)).blur_px > 1.8


def test_patches_lie_where_edges_are_one_in_each_part():
    small = np.full((200, 300), 0.2, np.float32)
    small[:, 130:] = 0.5
    regions, grid = choose_patches(small, 8, (2400, 1600))
    assert grid[0] == ACROSS and len(regions) == grid[0] * grid[1]
    assert all(x >= 0 and y >= 0 and x + w <= 2400 and y + h <= 1600 for x, y, w, h in regions)
    # the edge is in the third part of each row
    assert all(x <= 130 * 8 <= x + w for x, _, w, _ in regions[2 :: grid[0]])
    assert choose_patches(small[:2, :3], 1, (3, 2)) == ([(0, 0, 3, 2)], (1, 1))


def test_the_blur_of_a_simulated_scene_is_told_within_a_fifth():
    told = []
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0012.dng")
    scene = scene_of(shot.scene, (3000, 2000), view=shot.view)
    for blur_px in (0.0, 2.0):
        lens = replace(shot.settings.lens, blur_px=blur_px)
        frame = expose(scene, replace(shot.settings, lens=lens))
        told.append(Meter(Engine(frame)).take(Recipe(), "blur").blur_px)
    assert told[0] < 1.0 and told[1] == pytest.approx(np.hypot(told[0], 2.0), rel=0.2)


class Told:
    def __init__(self, spread, edges=200):
        self.blur = BlurReading(spread, edges, ((spread,),))


def test_a_soft_picture_is_named_with_what_can_be_taken_back():
    plain = Recipe()
    assert list(soft(Told(1.2), plain)) == [] and list(soft(Told(None), plain)) == []
    assert list(soft(Told(1.6, edges=30), plain)) == []
    (told,) = soft(Told(1.62), plain)
    assert told.fix == ((BACK, 1.6),) and "1.6" in told.claim
    assert list(soft(Told(1.62), plain.change(BACK, 1.0)[0])) == [], "taken up"
    (lost,) = soft(Told(3.1), plain)
    assert not lost.has_fix and lost.id == "detail.out_of_focus"
