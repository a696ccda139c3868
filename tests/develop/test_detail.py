"""Noise taken out and edges sharpened, as pictures are developed."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
import skimage.data

from matiz.colour.difference import delta_E_2000
from matiz.colour.spaces import sRGB_to_Lab
from matiz.develop.frame import noise as noise_of_planes
from matiz.develop.frame.noise import (
    ANCHOR_PX,
    LEFT,
    OPPONENT,
    QUICKLY,
    REACH_PX,
    WELL,
    Scale,
    coefficients,
    estimated,
    half_spread,
    share_left_there,
)
from matiz.develop.frame.points import kept_points
from matiz.develop.graph.engine import Engine
from matiz.develop.graph.graph import BALANCE
from matiz.develop.places.sharpen import foreseen_noise
from matiz.kernels.sharpen import LEAST_SIGMA
from matiz.raw.decode import read_frame
from matiz.raw.noise import noise_of
from matiz.recipe import toning
from matiz.recipe.model import Recipe
from matiz.recipe.places import Place, Ramp
from matiz.recipe.tree import Rows
from matiz_simcam.shoot import DEMO_SHOTS, simulate

STRENGTH, COLOUR = "detail.noise.strength_percent", "detail.noise.colour_percent"
AMOUNT, RADIUS, GATE = "detail.sharpen.amount_percent", "detail.sharpen.radius_px", "detail.sharpen.gate"


def set_to(*pairs) -> Recipe:
    return Recipe().change_all(list(pairs), label="x")[0]


@pytest.fixture(scope="module")
def burst():
    """A frame at ISO 3200."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    return Engine(simulate(shot.scene, (900, 600), shot.settings, view=shot.view))


# ---- the scale


def test_the_scale_goes_there_and_back_and_noise_is_the_same_everywhere():
    scale = Scale(0.002, 0.004, np.array([1.2, 1.0, 1.5]))
    random = np.random.default_rng(1)
    for signal in (0.0, 0.01, 0.1, 0.6):
        light = np.full((300, 300, 3), signal)
        noisy = (light + random.normal(size=light.shape) * np.sqrt(0.002 * light + 0.004**2)).astype(np.float32)
        planes = scale.to_planes(noisy)
        assert np.abs(scale.to_camera(planes, 0.0) - noisy).max() < 2e-5, "values under black survive"
        expected = np.sqrt((OPPONENT**2 * scale.balance**2).sum(axis=1))
        assert planes.std(axis=(0, 1)) == pytest.approx(expected, rel=0.12 if signal == 0.0 else 0.06)


def test_the_mean_of_what_was_noise_stays_what_it_was():
    scale = Scale(0.002, 0.002, np.ones(3))
    random = np.random.default_rng(1)
    for signal in (0.02, 0.1, 0.4):
        noisy = (signal + random.normal(size=(400, 400, 3)) * np.sqrt(0.002 * signal + 0.002**2)).astype(np.float32)
        mean = scale.to_planes(noisy).mean(axis=(0, 1), keepdims=True)
        assert scale.to_camera(np.asarray(mean, np.float32), 1.0).mean() == pytest.approx(signal, rel=0.01)


def test_white_noise_on_a_plane_is_taken_and_steps_stay():
    random = np.random.default_rng(2)
    clean = np.zeros((200, 260, 3), np.float32)
    clean[:, 100:] = 12.0
    noisy = clean + random.normal(size=clean.shape).astype(np.float32)
    made = estimated(noisy, np.ones((3, 8, 8), np.float32))
    inner = clean[REACH_PX:-REACH_PX, REACH_PX:-REACH_PX]
    assert made.shape == inner.shape
    assert np.abs(made - inner).std() < 0.2
    profile = made[..., 0].mean(axis=0)
    at = 100 - REACH_PX
    assert profile[at] - profile[at - 1] > 0.98 * 12.0, "no step is lost by more than 2 %"
    residual = (made - inner)[20:-20, at + 30 :, 0]
    moved = residual[:, 1:] - residual[:, :-1]
    assert moved.std() < 0.05, "no structure is left in flat areas"


WHITE = np.ones((3, 8, 8), np.float32)


@pytest.mark.parametrize("ways", [(0.25, 0.5, 0.25), (0.0, 1.0, 0.0), (-0.2, 0.9, -0.2)])
def test_noise_at_half_the_size_is_foreseen_from_its_frequencies(ways):
    """Smooth, white and sharpened noise: averaged over 2x2, and measured."""
    random = np.random.default_rng(4)
    kernel = np.outer(ways, (0.1, 0.8, 0.1)).astype(np.float32)
    plane = cv2.filter2D(random.normal(size=(900, 900)).astype(np.float32), -1, kernel)
    spread, halved = (
        coefficients(each, 3).std(axis=(0, 1))
        for each in (plane, cv2.resize(plane, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
    )
    foreseen = half_spread(np.stack([spread.astype(np.float32)] * 3))
    assert np.abs(foreseen[1] / halved - 1.0).mean() < 0.1


def test_what_is_coarser_than_a_block_is_taken_too(monkeypatch):
    """Noise that blocks of 8x8 cannot tell from light is told by the same at half the size."""
    noisy = np.random.default_rng(6).normal(size=(500, 500, 3)).astype(np.float32)
    left = estimated(noisy, WHITE)
    monkeypatch.setattr(noise_of_planes, "COARSE_MOST", 0.0)
    alone = estimated(noisy, WHITE)
    of = [cv2.GaussianBlur(each, (0, 0), 3.0).std() for each in (left, alone)]
    assert of[0] < 0.75 * of[1]


def test_a_thing_that_is_lost_at_half_the_size_stays():
    """What both sizes disagree about by more than noise is left to the finer one."""
    fine = np.zeros((40, 40, 3), np.float32)
    coarse = np.full((20, 20, 3), 5.0, np.float32)
    noise_of_planes._lay_on(fine, coarse, np.array([0.1, 0.2, 0.3], np.float32))
    assert fine[20, 20] == pytest.approx([0.1, 0.2, 0.3])


@pytest.mark.parametrize("way", [WELL, QUICKLY])
def test_an_estimate_does_not_depend_on_where_its_region_begins(way):
    noisy = np.random.default_rng(7).normal(size=(420, 440, 3)).astype(np.float32)
    whole, part = way.estimate(noisy, WHITE), way.estimate(noisy[2 * ANCHOR_PX :, ANCHOR_PX:], WHITE)
    assert np.abs(whole[2 * ANCHOR_PX :, ANCHOR_PX:] - part).max() < 1e-4


def test_the_quick_way_makes_the_same_place_a_little_less_clean():
    clean = np.zeros((260, 300, 3), np.float32)
    clean[:, 140:] = 12.0
    noisy = clean + np.random.default_rng(3).normal(size=clean.shape).astype(np.float32)
    rms = []
    for way in (WELL, QUICKLY):
        made, inner = way.estimate(noisy, WHITE), clean[way.reach_px : -way.reach_px, way.reach_px : -way.reach_px]
        assert made.shape == inner.shape
        rms.append(float((made - inner).std()))
    assert rms[0] < rms[1] < 0.25
    assert QUICKLY.reach_px < WELL.reach_px, "and it looks at less around"


@pytest.mark.parametrize("way", [WELL, QUICKLY])
def test_a_region_of_few_px_is_made_too(way):
    noisy = np.random.default_rng(5).normal(size=(2 * way.reach_px + 3, 2 * way.reach_px + 2, 3)).astype(np.float32)
    assert way.estimate(noisy, WHITE).shape == (3, 2, 3)


# ---- in the picture


def test_nothing_is_changed_where_nothing_is_asked(burst):
    plain = burst.render(Recipe(), 0)
    assert (burst.render(set_to((RADIUS, 2.0), (GATE, "off")), 0) == plain).all()
    assert (burst.render(set_to((STRENGTH, 60.0), ("detail.active", "off")), 0) == plain).all()


def test_the_estimate_is_made_once_and_strength_only_mixes(burst):
    engine = Engine(burst.frame)
    engine.render(set_to((STRENGTH, 60.0)), 0)
    runs = dict(engine.runs)
    engine.render(set_to((STRENGTH, 40.0), (COLOUR, 80.0)), 0)
    assert engine.runs["without noise"] == runs["without noise"]
    assert engine.runs["denoised"] > runs["denoised"]


def rough(pixels) -> float:
    """Of its finest detail."""
    return float(cv2.Laplacian(np.ascontiguousarray(pixels[..., 1]), cv2.CV_32F).std())


def test_noise_goes_and_detail_stays(burst):
    """Against the mean of frames that differ in their noise alone."""
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    frames = [
        simulate(shot.scene, (900, 600), replace(shot.settings, seed=seed), view=shot.view) for seed in range(40, 52)
    ]
    clean = np.mean([Engine(frame).render(Recipe(), 0, result="camera") for frame in frames], axis=0)
    before = burst.render(Recipe(), 0, result="camera")
    after = burst.render(set_to((STRENGTH, 100.0), (COLOUR, 100.0)), 0, result="camera")
    # what is left of the noise in the mean is a twelfth of its variance
    before_error, after_error = (float(((each - clean) ** 2).mean()) for each in (before, after))
    assert after_error < 0.25 * before_error
    flat = np.s_[40:140, 600:850]
    assert np.abs(after[flat].mean(axis=(0, 1)) - clean[flat].mean(axis=(0, 1))).max() < 0.002
    assert rough(after[flat]) < 0.3 * rough(before[flat])


def test_strength_is_about_the_share_that_is_taken(burst):
    flat = (600, 40, 250, 100)
    none, half, all_of_it = (
        rough(burst.render(set_to((STRENGTH, s), (COLOUR, s)), 0, flat, result="camera")) for s in (0.0, 50.0, 100.0)
    )
    assert half == pytest.approx(0.5 * none, rel=0.12) and all_of_it < 0.2 * none


def test_lightness_and_colour_are_apart(burst):
    area = (100, 100, 400, 300)
    before = burst.render(Recipe(), 0, area, result="camera")
    scale = burst.sensor.noise.scale
    own = [
        scale.to_planes(each)
        for each in (
            before,
            *(burst.render(set_to(pair), 0, area, result="camera") for pair in ((STRENGTH, 100.0), (COLOUR, 100.0))),
        )
    ]
    fine = [[rough(planes[..., n : n + 1].repeat(3, axis=2)) for n in range(3)] for planes in own]
    assert fine[1][0] < 0.7 * fine[0][0] and fine[1][1] == pytest.approx(fine[0][1], rel=0.02)
    assert fine[2][1] < 0.4 * fine[0][1] and fine[2][2] < 0.4 * fine[0][2]
    assert fine[2][0] == pytest.approx(fine[0][0], rel=0.02)


def test_the_draft_is_nearly_as_clean(burst):
    flat = (600, 40, 250, 100)
    plain, quick, full = (
        rough(burst.render(own, 0, flat, result=end)[..., :3].astype(np.float32))
        for own, end in (
            (Recipe(), "draft"), (set_to((STRENGTH, 100.0), (COLOUR, 100.0)), "draft"),
            (set_to((STRENGTH, 100.0), (COLOUR, 100.0)), "screen"),
        )
    )  # fmt: skip
    assert quick < 0.45 * plain and full < 0.45 * plain


def test_a_single_px_is_the_same(burst):
    own = set_to((STRENGTH, 80.0), (AMOUNT, 100.0))
    whole = burst.render(own, 0, result="display")
    assert np.abs(burst.peek(own, 0, (400, 300, 1, 1), result="display")[0, 0] - whole[300, 400]).max() < 2e-4


def test_a_region_and_the_whole_are_the_same_and_tiles_have_no_seams(burst):
    own = set_to((STRENGTH, 80.0), (COLOUR, 100.0), (AMOUNT, 100.0))
    for level in (0, 1, 2):
        whole = Engine(burst.frame).render(own, level, result="display")
        height, width = whole.shape[:2]
        x, y, w, h = width // 5, height // 6, width // 2, height // 2
        part = Engine(burst.frame).render(own, level, (x, y, w, h), result="display")
        assert np.abs(part - whole[y : y + h, x : x + w]).max() < 2e-4, level
    tiled = np.empty_like(Engine(burst.frame).render(own, 0, result="display"))
    for (x, y, w, h), tile in Engine(burst.frame).full(own):
        tiled[y : y + h, x : x + w] = tile
    assert np.abs(tiled - Engine(burst.frame).render(own, 0, result="display")).max() < 2e-4


def test_screen_and_file_agree(burst):
    own = set_to((STRENGTH, 80.0), (AMOUNT, 120.0))
    from matiz.colour.spaces import encode_sRGB

    shown = burst.render(own, 0)[..., 2::-1].astype(float)
    written = encode_sRGB(np.clip(burst.render(own, 0, result="display"), 0.0, 1.0)) * 255.0
    assert np.abs(shown - written).mean() < 0.6


def test_quarter_turns_take_the_noise_along(burst):
    own = set_to((STRENGTH, 100.0))
    plain = burst.render(own, 0, result="display")
    turned = burst.render(own.change("mend.quarter_turns", "1")[0], 0, result="display")
    assert turned.shape[:2] == plain.shape[1::-1]
    assert min(np.abs(np.rot90(plain, k) - turned).mean() for k in (1, 3)) < 1e-4


@pytest.mark.parametrize("quality", [0, 92])
def test_the_noise_of_a_photograph_in_eight_bits_is_measured_and_taken_out(tmp_path, quality):
    """A clean part of a photograph, with noise; as PNG and as JPEG."""
    clean = cv2.resize(skimage.data.astronaut(), (400, 400), interpolation=cv2.INTER_AREA).astype(float)
    noisy = np.clip(np.rint(clean + np.random.default_rng(3).normal(0, 9.0, clean.shape)), 0, 255).astype(np.uint8)
    path = tmp_path / ("a.jpg" if quality else "a.png")
    cv2.imwrite(str(path), noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality] if quality else [])
    engine = Engine(read_frame(path))
    plain = Recipe.starting(engine.frame.start)
    before, after = (
        engine.render(own, 0)[..., 2::-1].astype(float)
        for own in (plain, plain.change_all([(STRENGTH, 100.0), (COLOUR, 100.0)], label="x")[0])
    )
    errors = [float(((each - clean) ** 2).mean()) for each in (before, after)]
    # what a compression made of the noise is harder to tell from detail
    assert errors[1] < (0.6 if quality else 0.35) * errors[0]


def test_a_clean_photograph_is_next_to_untouched(tmp_path):
    cv2.imwrite(str(tmp_path / "a.png"), skimage.data.chelsea()[..., ::-1])
    engine = Engine(read_frame(tmp_path / "a.png"))
    plain = Recipe.starting(engine.frame.start)
    before, after = (
        engine.render(own, 0)[..., :3].astype(float)
        for own in (plain, plain.change_all([(STRENGTH, 100.0), (COLOUR, 100.0)], label="x")[0])
    )
    assert np.abs(after - before).mean() < 1.2


def test_a_rendered_picture_is_sharpened(tmp_path):
    random = np.random.default_rng(1)
    picture = np.full((120, 160, 3), 90, np.uint8)
    picture[:, 80:] = 170
    picture = cv2.GaussianBlur(picture, (0, 0), 1.3) + random.integers(0, 3, picture.shape).astype(np.uint8)
    cv2.imwrite(str(tmp_path / "a.png"), picture)
    engine = Engine(read_frame(tmp_path / "a.png"))
    plain = Recipe.starting(engine.frame.start)
    sharp = plain.change_all([(AMOUNT, 150.0)], label="x")[0]
    rows = [engine.render(each, 0, result="display")[60, :, 1] for each in (plain, sharp)]
    assert np.abs(np.diff(rows[1])).max() > 1.2 * np.abs(np.diff(rows[0])).max()


# ---- what the gate goes by


def foreseen(engine: Engine, own: Recipe, sigma: float):
    class Asked:
        sensor, recipe, level = engine.sensor, own, 0

    return foreseen_noise(Asked, engine.product(own, BALANCE), sigma)  # type: ignore[arg-type]


@pytest.mark.parametrize(("exposure_EV", "sigma"), [(0.0, 1.0), (1.5, 1.0), (0.0, 0.5)])
def test_the_noise_of_what_is_added_is_foreseen(exposure_EV, sigma):
    """On a flat grey, against what is really there."""
    from matiz_simcam.shoot import simulate as simulated

    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    engine = Engine(simulated("grey", (600, 400), replace(shot.settings, ev=-1.0)))
    own = set_to(("tone.exposure_EV", exposure_EV))
    area = (150, 100, 300, 200)
    display = engine.render(own, 0, area, result="rendered")
    L = 116.0 * np.cbrt(np.maximum(display @ np.array([0.2627, 0.6780, 0.0593]), 0.0)) - 16.0
    added = L - cv2.GaussianBlur(L, (0, 0), sigma)
    told = foreseen(engine, own, sigma)
    expected = told[round(float(np.median(L)) * 63 / 100)]
    assert added[5:-5, 5:-5].std() == pytest.approx(expected, rel=0.3)
    assert noise_of(engine.frame).shot > 0.0


def test_sharpening_leaves_flat_noise_alone_and_with_the_gate_off_it_grows(burst):
    flat = (620, 40, 200, 100)
    plain, gated, bare = (
        rough(burst.render(own, 0, flat, result="rendered"))
        for own in (Recipe(), set_to((AMOUNT, 300.0)), set_to((AMOUNT, 300.0), (GATE, "off")))
    )
    assert gated < 1.05 * plain and bare > 1.5 * plain


def test_a_small_picture_is_sharpened_less(burst):
    steep = []
    for level in (0, 2):
        plain, sharp = (
            burst.render(own, level, result="rendered")[..., 1] for own in (Recipe(), set_to((AMOUNT, 200.0)))
        )
        steep.append(float(np.abs(sharp - plain).mean() / plain.std()))
    assert steep[1] < 0.6 * steep[0]


def test_a_radius_under_what_the_kernel_has_counts_for_less(burst):
    """At level 2 a radius of 0.8 px is 0.2: it is sharpened at the least the kernel has, and weaker by the square."""

    def added(radius_px, amount):
        own = set_to((AMOUNT, amount), ("detail.sharpen.radius_px", radius_px), ("detail.sharpen.gate", "off"))
        return burst.render(own, 2, result="rendered") - burst.render(Recipe(), 2, result="rendered")

    fine = added(0.8, 100.0)
    least = added(LEAST_SIGMA * 4.0, 100.0 * (0.2 / LEAST_SIGMA) ** 2)
    assert np.abs(least).max() > 1e-4
    np.testing.assert_allclose(fine, least, atol=2e-5)


def test_a_place_is_sharper_or_softer_than_the_whole(burst):
    half = Rows([("m", Ramp(x=0.3, y=0.3, x2=0.3001, y2=0.3))])
    region = (0, 0, *burst.size(Recipe()))

    def shown(percent: float, whole: float = 0.0) -> np.ndarray:
        places = Rows([("p", Place(mask=half, sharpen_percent=percent))]) if percent else Rows()
        recipe = Recipe(places=places).change(AMOUNT, whole)[0]
        return burst.render(recipe, 0, region, result="rendered")

    plain, sharper, softer, whole = shown(0.0), shown(150.0), shown(-100.0), shown(0.0, 150.0)
    left, right = np.s_[50:-50, 5:150], np.s_[50:-50, 400:]
    assert np.abs(sharper[left] - whole[left]).max() < 1e-5 and np.abs(sharper[right] - plain[right]).max() < 1e-5

    def rough(picture: np.ndarray) -> float:
        return float(np.abs(np.diff(picture[..., 1], axis=1))[left[0], 5:140].mean())

    assert rough(softer) < 0.7 * rough(plain) < rough(plain) < rough(sharper)
    part = (40, 60, 300, 200)
    places = Rows([("p", Place(mask=half, sharpen_percent=150.0))])
    again = Engine(burst.frame).render(Recipe(places=places), 0, part, result="rendered")
    np.testing.assert_allclose(again, sharper[60:260, 40:340], atol=1e-5)


# ---- what is small


def as_frame(like, light, *, is_noisy):
    """A frame of light (height, width, 3), of the white level, as the camera of `like` would take it."""
    mosaic, noise = like.mosaic, noise_of(like)
    height, width = light.shape[:2]

    def tiled(grid):
        rows, columns = grid.shape
        return np.tile(grid, (height // rows + 1, width // columns + 1))[:height, :width]

    neutral = like.colour.as_shot_neutral
    pattern = tiled(mosaic.pattern)
    values = np.take_along_axis(light * (neutral / neutral.max()), pattern[..., None], 2)[..., 0]
    if is_noisy:
        values = values + np.random.default_rng(4).normal(size=values.shape) * np.sqrt(noise.variance(values))
    black = tiled(mosaic.black)
    counts = np.rint(black + values * (mosaic.white - black))
    return replace(like, mosaic=replace(mosaic, values=np.clip(counts, 0, 65_535).astype(np.uint16)), orientation=1)


def at_spots(size, step):
    width, height = size
    return [(x, y) for y in range(24, height - 20, step) for x in range(24, width - 20, step)]


@pytest.mark.parametrize("spread", [0.8, 1.2])
@pytest.mark.parametrize("quick", [False, True])
def test_stars_keep_their_light(burst, spread, quick):
    down, across = np.mgrid[:240, :320]
    light = np.full((240, 320), 0.01)
    stars = at_spots((320, 240), 32)
    for x, y in stars:
        light += 0.1 * np.exp(-((across - x - 0.3) ** 2 + (down - y + 0.2) ** 2) / (2.0 * spread**2))
    light = np.repeat(light[..., None], 3, axis=2)
    clean, noisy = (Engine(as_frame(burst.frame, light, is_noisy=each)) for each in (False, True))
    strong = set_to((STRENGTH, 100.0), (COLOUR, 100.0))
    result = "draft" if quick else "display"

    def fluxes(engine, recipe):
        shown = np.asarray(engine.render(recipe, 0, result="camera" if not quick else result), np.float64)[..., 1]
        shown = shown if not quick else (shown / 255.0) ** 2.2
        out = []
        for x, y in stars:
            part = shown[y - 9 : y + 10, x - 9 : x + 10]
            far = np.hypot(*np.meshgrid(np.arange(-9, 10), np.arange(-9, 10)))
            out.append((part - np.median(part[far > 6]))[far < 4].sum())
        return np.array(out)

    kept = fluxes(noisy, strong) / fluxes(clean, Recipe())
    assert np.median(kept) > 0.95 and np.quantile(kept, 0.05) > 0.8


def test_noise_has_no_stars_and_texture_is_none():
    random = np.random.default_rng(1)
    white = np.ones((8, 8), np.float32)
    assert not kept_points(random.normal(size=(1000, 1000)).astype(np.float32), white).any()
    rough = cv2.GaussianBlur(random.normal(0.0, 200.0, (400, 400)), (0, 0), 3.0) + random.normal(size=(400, 400))
    assert kept_points(rough.astype(np.float32), white).mean() < 0.001
    dark = random.normal(size=(64, 64)).astype(np.float32)
    dark[32, 32] -= 40.0
    assert not kept_points(dark, white).any(), "a dark px is no light"
    dark[32, 32] += 80.0
    kept = kept_points(dark, white)
    assert kept[32, 32] == 1.0 and kept[32, 34] == 1.0 and kept[32, 37] == 0.0 and kept.sum() < 40


@pytest.mark.parametrize("colour", [(0.5, 0.12, 0.08), (0.08, 0.12, 0.5), (0.1, 0.4, 0.1), (0.5, 0.45, 0.05)])
def test_small_coloured_things_keep_their_colour(burst, colour):
    down, across = np.mgrid[:200, :280]
    light, where = np.full((200, 280, 3), 0.15), np.zeros((200, 280), bool)
    for x, y in at_spots((280, 200), 32):
        far = np.hypot(across - x, down - y)
        share = np.clip(3.0 - far, 0.0, 1.0)[..., None]
        light = light * (1.0 - share) + 0.8 * np.array(colour) * share
        where |= far <= 2.0
    clean, noisy = (Engine(as_frame(burst.frame, light, is_noisy=each)) for each in (False, True))
    seen = [clean.render(Recipe(), 0, result="display"),
            noisy.render(set_to((STRENGTH, 75.0), (COLOUR, 100.0)), 0, result="display")]  # fmt: skip
    assert delta_E_2000(*(sRGB_to_Lab(each[where].mean(axis=0)) for each in seen)) < 2.0, "things of 5 px across"


# ---- in places


def left_half(**changes) -> Place:
    return Place(name="left", mask=Rows([("m1", Ramp(x=0.499, y=0.3, x2=0.501, y2=0.3))]), **changes)


def with_place(recipe: Recipe, **changes) -> Recipe:
    return replace(recipe, places=Rows([("p1", left_half(**changes))]))


def of_halves(engine: Engine, recipe: Recipe, end: str = "display", level: int = 0):
    shown = engine.render(recipe, level, result=end).astype(np.float64)
    middle = shown.shape[1] // 2
    return shown[:, : middle - 8], shown[:, middle + 8 :]


ZONES, FINE = ("tone.zones_EV", (0.0, 0.0, 1.0, 1.0, *(0.0,) * 7)), ("tone.contrast.fine_dB", 3.0)


@pytest.mark.parametrize("tone", [(), (ZONES,), (FINE,)])
@pytest.mark.parametrize("end", ["display", "draft"])
def test_a_place_takes_out_more_noise_or_brings_it_back(burst, tone, end):
    level = 1 if end == "draft" else 0
    plain, clean = set_to(*tone), set_to(*tone, (STRENGTH, 100.0), (COLOUR, 100.0))
    half = set_to(*tone, (STRENGTH, 60.0), (COLOUR, 60.0))
    in_plain, in_clean, in_half = (of_halves(burst, each, end, level) for each in (plain, clean, half))
    more = of_halves(burst, with_place(plain, denoise_percent=100.0), end, level)
    assert np.abs(more[1] - in_plain[1]).max() < 1e-6, "nothing beside it"
    assert np.abs(more[0] - in_clean[0]).mean() < 0.06 * np.abs(in_plain[0] - in_clean[0]).mean()
    back = of_halves(burst, with_place(half, denoise_percent=-100.0), end, level)
    assert np.abs(back[1] - in_half[1]).max() < 1e-6
    assert np.abs(back[0] - in_plain[0]).mean() < 0.06 * np.abs(in_half[0] - in_plain[0]).mean()


def test_strength_and_exposure_of_a_place_go_with_its_noise(burst):
    plain = Recipe()
    weak = of_halves(burst, with_place(plain, denoise_percent=100.0, strength_percent=50.0), "scene")[0]
    whole = of_halves(burst, with_place(plain, denoise_percent=100.0), "scene")[0]
    none = of_halves(burst, plain, "scene")[0]
    assert np.abs(weak - 0.5 * (whole + none)).mean() < 0.02 * np.abs(whole - none).mean()
    lit = of_halves(burst, with_place(plain, denoise_percent=100.0, exposure_EV=1.0), "scene")[0]
    assert np.abs(lit / whole - 2.0).max() < 1e-3


def test_contrast_of_a_place_goes_by_what_is_calmed_there(burst):
    crisp = toning.Contrast(fine_dB=6.0)
    clean = with_place(set_to((STRENGTH, 100.0), (COLOUR, 100.0)), contrast=crisp)
    calmed, plain = (with_place(Recipe(), contrast=crisp, denoise_percent=percent) for percent in (100.0, 0.0))
    of_clean, of_calmed, of_plain = (of_halves(burst, each, "scene")[0] for each in (clean, calmed, plain))
    assert np.abs(of_calmed - of_clean).mean() < 0.02 * np.abs(of_plain - of_clean).mean()


def test_places_without_noise_make_no_estimate():
    shot = next(s for s in DEMO_SHOTS if s.name == "CORVA_0034.dng")
    engine = Engine(simulate(shot.scene, (300, 200), shot.settings, view=shot.view))
    engine.render(with_place(Recipe(), exposure_EV=1.0), 0)
    assert "without noise" not in engine.runs and engine.slow_part(with_place(Recipe(), exposure_EV=1.0), 0) is None
    engine.render(with_place(Recipe(), denoise_percent=50.0), 0)
    assert engine.runs["without noise"] == 1


def test_what_is_sharpened_must_rise_above_the_noise_that_a_place_brings_back(burst):
    clean = set_to((STRENGTH, 100.0), (AMOUNT, 200.0))
    plain, noisy = (with_place(clean, denoise_percent=percent) for percent in (0.0, -100.0))
    seen = [foreseen(burst, each, 1.0).max() for each in (plain, noisy)]
    assert seen[1] > 2.0 * seen[0]
    assert share_left_there(clean, left_half(denoise_percent=-50.0)) == pytest.approx(0.6)
    assert share_left_there(Recipe(), left_half(denoise_percent=50.0)) == pytest.approx(0.5)
    assert share_left_there(clean, left_half(denoise_percent=50.0)) == LEFT
