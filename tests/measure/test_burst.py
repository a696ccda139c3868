"""Frames of a burst: simulated mosaics of a texture of scikit-image, of which it is known how each was taken."""

from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.colour.spaces import decode_sRGB
from matiz.develop.graph.engine import Engine
from matiz.develop.places.behind import disc
from matiz.measure.sort.burst import area_round, detail_at, find_spot, ranked, words
from matiz.measure.sort.same import thing_at
from matiz.raw.frame import CameraColour, Frame, Mosaic
from matiz.recipe.model import Recipe

PATTERN = np.array([[0, 1], [1, 2]], np.uint8)
WHITE = 4095.0
FULL_e = {100: 40_000.0, 1600: 2_500.0, 6400: 625.0}
"""Electrons of a full photosite by ISO."""
READ_e = 3.0


def smear(length: float, degrees: float) -> np.ndarray:
    side, fine = 15, 8
    big = np.zeros((side * fine, side * fine), np.uint8)
    way = np.array([np.cos(np.radians(degrees)), -np.sin(np.radians(degrees))]) * length * fine / 2
    middle = np.array([side * fine / 2] * 2)
    cv2.line(big, *(tuple(int(v) for v in np.round(middle + sign * way)) for sign in (-1, 1)), 255, fine)
    kernel = big.reshape(side, fine, side, fine).mean(axis=(1, 3)).astype(np.float32)
    return kernel / kernel.sum()


SHAKEN, STEEP, FAR, SHARP = smear(4.5, 0.0), smear(4.5, 60.0), disc(3.2), np.ones((1, 1), np.float32)


def frame(kernel=SHARP, ISO: int = 100, shift=(0.0, 0.0), seed: int = 0) -> Frame:
    """A wall of stone, by a lens that spreads a little; gains and noise by ISO."""
    scene = decode_sRGB(skimage.data.gravel() / 255.0).astype(np.float32) * 0.6
    seen = cv2.filter2D(cv2.GaussianBlur(scene, (0, 0), 0.7), cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT)
    move = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
    seen = cv2.warpAffine(seen, move, seen.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    random, full = np.random.default_rng(seed), FULL_e[ISO]
    counts = random.poisson(np.maximum(seen, 0.0) * full) + READ_e * random.normal(size=seen.shape)
    values = np.clip(np.rint(counts / full * (WHITE - 64.0) + 64.0), 0, WHITE).astype(np.uint16)
    mosaic = Mosaic(values, PATTERN, np.full((2, 2), 64.0, np.float32), WHITE)
    profile = ((1.0 / full, (READ_e / full) ** 2),) * 3
    return Frame(Path(f"{seed}.dng"), CameraColour(), mosaic=mosaic, noise_profile=profile)


def rank(frames: dict[str, Frame], spot=(250.0, 260.0)):
    first = next(iter(frames.values()))
    area = area_round(*spot, first.size)
    thing = thing_at(Engine(first), Recipe(), area)
    details = {}
    for name, each in frames.items():
        found = area if each is first else find_spot(Engine(each), Recipe(), thing, area[2])
        details[Path(name)] = None if found is None else (found, detail_at(each, Recipe(), found))
    return ranked(details)


@pytest.mark.parametrize("ISO", FULL_e)
def test_the_sharpest_is_first_and_the_shaken_and_the_misfocused_are_told_apart(ISO):
    order = rank({
        "shaken": frame(SHAKEN, ISO, (2.0, 1.0), 1), "sharp": frame(SHARP, ISO, (-3.0, 4.0), 2),
        "far": frame(FAR, ISO, (0.0, -5.0), 3), "steep": frame(STEEP, ISO, (5.0, 5.0), 4),
        "a little": frame(disc(1.8), ISO, (1.0, 0.0), 5),
    })  # fmt: skip
    assert [each.path.name for each in order[:2]] == ["sharp", "a little"]
    kinds = {each.path.name: each.kind for each in order}
    assert kinds["sharp"] == "" and kinds["far"] == "soft" and kinds["shaken"] == kinds["steep"] == "smeared"
    along = {each.path.name: each.along_deg for each in order}
    away = 10.0
    assert min(along["shaken"], 180.0 - along["shaken"]) < away and along["steep"] == pytest.approx(60.0, abs=away)
    assert kinds["a little"] == "soft"
    detail = {each.path.name: each.detail for each in order}
    expected = {"sharp": 1.0, "a little": 0.775, "far": 0.66, "shaken": 0.553, "steep": 0.493}
    assert detail == pytest.approx(expected, abs=0.02), "the same at every ISO"
    far = next(each for each in order if each.path.name == "far")
    # a disc of 3.2 px has a variance of a sixteenth of its width squared
    assert far.blur_px == pytest.approx(0.8, abs=0.1)


@pytest.mark.parametrize("noisy, clean", [(6400, 100), (1600, 100)])
def test_noise_is_not_taken_for_detail(noisy, clean):
    """The noisier frame is the softer one: its noise has more slopes than its picture has lost."""
    order = rank({"soft": frame(FAR, noisy, (1.0, 2.0), 1), "sharp": frame(SHARP, clean, seed=2)})
    assert order[0].path.name == "sharp" and order[1].kind == "soft"
    same = rank({"one": frame(SHARP, noisy, (1.0, 2.0), 1), "other": frame(SHARP, clean, seed=2)})
    assert same[1].detail > 0.95


def test_exposure_does_not_matter_and_where_the_spot_is_lost_it_is_said():
    darker = frame(seed=3)
    values = (darker.mosaic.values.astype(float) - 64.0) * 0.5 + 64.0
    dark = Frame(Path("d.dng"), CameraColour(), noise_profile=darker.noise_profile,
                 mosaic=Mosaic(values.astype(np.uint16), PATTERN, darker.mosaic.black, WHITE))  # fmt: skip
    flat = np.full_like(darker.mosaic.values, 900)
    nothing = Frame(Path("n.dng"), CameraColour(), noise_profile=darker.noise_profile,
                    mosaic=Mosaic(flat, PATTERN, darker.mosaic.black, WHITE))  # fmt: skip
    order = rank({"one": darker, "dark": dark, "nothing": nothing})
    assert [each.kind for each in order] == ["", "", "lost"] and order[1].detail > 0.95
    assert "lost in 1" in words(order) and "sharpest there" in words(order)
    assert words(ranked({Path("a"): None})) == "The spot was not found in any of them."


def test_of_pictures_that_are_not_raw_it_is_said_that_noise_counts():
    seen = np.repeat(decode_sRGB(skimage.data.gravel() / 255.0)[..., None], 3, axis=2).astype(np.float32)
    clean, noisy = (Frame(Path("a.tif"), CameraColour(), linear=each) for each in
                    (seen, seen + np.random.default_rng(1).normal(0, 0.03, seen.shape).astype(np.float32)))  # fmt: skip
    order = rank({"noisy": noisy, "clean": clean})
    assert not any(each.is_sure for each in order) and "not raw" in words(order)
    assert "not raw" not in words(rank({"raw": frame()}))


def test_the_spot_is_followed_within_three_px():
    anchor = frame(seed=1)
    thing = thing_at(Engine(anchor), Recipe(), area_round(250.0, 260.0, anchor.size))
    for kernel, shift in ((SHARP, (7.0, -4.0)), (SHAKEN, (-11.0, 3.0)), (FAR, (4.0, 9.0))):
        x, y, w, h = find_spot(Engine(frame(kernel, 1600, shift, 5)), Recipe(), thing, 128)
        assert (x + w / 2 - 250.0, y + h / 2 - 260.0) == pytest.approx(shift, abs=3.0)
    assert area_round(3.0, 3.0, (300, 200)) == (0, 0, 128, 128)
    assert area_round(299.0, 5.0, (300, 60)) == (240, 0, 60, 60)
