"""The compiled pixel paths against NumPy, SciPy and published formulas."""

import subprocess
import sys

import numpy as np
import pytest

from matiz.colour.spaces import REC2020_TO_SRGB, encode_sRGB
from matiz.errors import ArgumentError
from matiz.kernels.demosaic import TOE, demosaic, demosaic_half
from matiz.kernels.encoding import encode
from matiz.kernels.fit import fitted
from matiz.kernels.levels import levels
from matiz.kernels.rendition import AFTER_FIT, BEFORE_FIT, TABLE_SIZE, curve_positions, rendered, table_positions
from matiz.kernels.screen import screen
from matiz.kernels.working import to_working
from matiz_simcam.kernels.noise import fractal_noise
from tests.tolerances import ENCODED_16_BIT, FLOAT32

ONES = np.ones(3, np.float32)
EYE = np.eye(3, dtype=np.float32)


def display_linear(working, table, matrix, gain, *, curves=None, when=BEFORE_FIT) -> np.ndarray:
    """Rendition and fit one after the other, as files are made."""
    return fitted(rendered(working, table, curves, gain, when=when), matrix, curves, when=when)


def _random(*shape: int) -> np.ndarray:
    return np.random.default_rng(5).random(shape, np.float32)


@pytest.mark.parametrize("period", [2, 6])
def test_levels_follow_the_mosaic(period):
    random = np.random.default_rng(1)
    counts = random.integers(0, 16_000, (37, 53)).astype(np.uint16)
    black = random.random((period, period)).astype(np.float32) * 600
    gain = random.random((period, period)).astype(np.float32)
    rows, columns = np.arange(37)[:, None] % period, np.arange(53)[None] % period
    expected = (counts - black[rows, columns]) * gain[rows, columns]
    np.testing.assert_allclose(levels(counts, black, gain), expected, rtol=FLOAT32, atol=1e-3)


def test_levels_keep_what_lies_under_black():
    out = levels(np.zeros((4, 4), np.uint16), np.full((2, 2), 512, np.float32), np.ones((2, 2), np.float32))
    assert (out == -512).all()


@pytest.mark.parametrize("red", [(0, 0), (0, 1), (1, 0), (1, 1)])
def test_demosaic_is_exact_on_a_plane(red):
    """Equal planes of roots in all channels have no colour difference, at every phase."""
    y, x = np.mgrid[0:40, 0:50].astype(np.float32)
    plane = (0.2 + 0.01 * x + 0.005 * y) ** 2 - TOE
    out = demosaic(plane, red, ONES)
    for channel in range(3):
        np.testing.assert_allclose(out[12:-12, 12:-12, channel], plane[12:-12, 12:-12], rtol=1e-4)


def test_demosaic_keeps_what_was_measured():
    mosaic = _random(40, 48) - 0.02
    out = demosaic(mosaic, (0, 0), ONES)
    np.testing.assert_allclose(out[0::2, 0::2, 0], mosaic[0::2, 0::2], atol=1e-5)
    np.testing.assert_allclose(out[0::2, 1::2, 1], mosaic[0::2, 1::2], atol=1e-5)
    np.testing.assert_allclose(out[1::2, 1::2, 2], mosaic[1::2, 1::2], atol=1e-5)


@pytest.mark.parametrize("red", [(0, 0), (0, 1), (1, 0), (1, 1)])
def test_demosaic_puts_each_colour_in_its_channel(red):
    colours = np.array([0.7, 0.4, 0.1], np.float32)
    pattern = _pattern(red)
    mosaic = colours[np.tile(pattern, (12, 12))]
    # unequal colours ring at no place of a flat area
    out = demosaic(mosaic / colours[np.tile(pattern, (12, 12))], red, colours)
    np.testing.assert_allclose(out, np.broadcast_to(colours, out.shape), rtol=1e-5)
    counts = (mosaic * 1000).astype(np.uint16)
    half = demosaic_half(counts, np.zeros((2, 2), np.float32), np.full((2, 2), 1e-3, np.float32), red)
    np.testing.assert_allclose(half, np.broadcast_to(colours, half.shape), atol=2e-3)


def test_demosaic_beats_a_published_method_on_photographs():
    """CPSNR on sRGB-encoded 8-bit values, borders of 8 px left out, on photographs of scikit-image and
    scikit-learn: at least Menon 2007 of colour-demosaicing 0.2.7 on encoded data, its best use."""
    reference = pytest.importorskip("colour_demosaicing")
    from matiz.colour.spaces import decode_sRGB

    ours, theirs = [], []
    for photograph in _photographs():
        linear = decode_sRGB(photograph / 255.0)
        places = np.tile([[0, 1], [1, 2]], (linear.shape[0] // 2, linear.shape[1] // 2))[..., None]
        mosaic = np.take_along_axis(linear, places, axis=2)[..., 0]
        mine = encode_sRGB(np.clip(demosaic(mosaic.astype(np.float32), (0, 0), ONES), 0, 1)) * 255
        encoded = np.ascontiguousarray(encode_sRGB(mosaic))
        other = np.clip(reference.demosaicing_CFA_Bayer_Menon2007(encoded, "RGGB"), 0, 1) * 255
        ours.append(_psnr(mine, photograph))
        theirs.append(_psnr(other, photograph))
    assert np.mean(ours) >= np.mean(theirs), (ours, theirs)
    assert np.mean(ours) > 33.0


def _photographs() -> list[np.ndarray]:
    """Parts of real photographs, even in size, so that the slow reference stays short."""
    data = pytest.importorskip("skimage.data")
    samples = pytest.importorskip("sklearn.datasets").load_sample_images().images
    pictures = [data.astronaut(), data.chelsea(), data.coffee(), *samples]
    return [p[100:260, 150:350, :3] for p in pictures]


def _psnr(picture: np.ndarray, truth: np.ndarray) -> float:
    inner = np.s_[8:-8, 8:-8]
    return float(10 * np.log10(255**2 / np.mean((picture - truth)[inner] ** 2)))


def _pattern(red: tuple[int, int]) -> np.ndarray:
    pattern = np.ones((2, 2), np.int64)
    pattern[red] = 0
    pattern[1 - red[0], 1 - red[1]] = 2
    return pattern


def test_working_is_a_matrix_below_clipping():
    camera = _random(9, 11, 3) * 0.9
    gains = np.array([2.0, 1.0, 1.5], np.float32)
    matrix = _random(3, 3)
    np.testing.assert_allclose(to_working(camera, gains, matrix), camera * gains @ matrix.T, rtol=1e-5)


def test_a_clipped_white_stays_white():
    """Unequal gains would turn clipped whites magenta; rebuilt, they are neutral."""
    camera = np.full((4, 4, 3), 1.0, np.float32)
    out = to_working(camera, np.array([2.1, 1.0, 1.6], np.float32), EYE)
    np.testing.assert_allclose(out, 2.1, rtol=1e-3)


def test_one_clipped_channel_is_rebuilt_from_the_others():
    camera = np.tile(np.array([0.45, 1.0, 0.6], np.float32), (4, 4, 1))
    gains = np.array([3.0, 1.0, 2.25], np.float32)
    np.testing.assert_allclose(to_working(camera, gains, EYE), 1.35, rtol=1e-2)


def test_clip_can_be_left_alone():
    camera = np.full((4, 4, 3), 3.0, np.float32)
    gains = np.array([2.0, 1.0, 1.0], np.float32)
    np.testing.assert_allclose(to_working(camera, gains, EYE, clip=np.inf)[0, 0], [6, 3, 3])


def test_display_is_the_identity_for_a_straight_curve():
    table = np.minimum(table_positions(), 1.0).astype(np.float32)
    working = _random(16, 20, 3)
    np.testing.assert_allclose(display_linear(working, table, EYE, 1.0), working, atol=3e-5)
    np.testing.assert_allclose(display_linear(working, table, EYE, 0.5), working * 0.5, atol=3e-5)


def test_screen_and_file_agree():
    table = np.minimum(table_positions(), 1.0).astype(np.float32)
    working = _random(16, 20, 3)
    matrix = REC2020_TO_SRGB.astype(np.float32)
    linear = display_linear(working, table, matrix, 1.3)
    shown = screen(working, table, matrix, 1.3)
    assert (shown[..., 3] == 255).all()
    expected = np.floor(encode_sRGB(linear) * 255 + 0.5)
    assert np.abs(shown[..., 2::-1].astype(int) - expected).max() <= 1


@pytest.mark.parametrize("when", [BEFORE_FIT, AFTER_FIT])
def test_curves_of_single_channels_act_where_they_are_told_to(when):
    """Against NumPy's interpolation; the screen's one pass agrees with the file's two."""
    table = np.minimum(table_positions(), 1.0).astype(np.float32)
    working, matrix = _random(16, 20, 3), REC2020_TO_SRGB.astype(np.float32)
    positions = curve_positions()
    curves = np.array([positions**1.4, positions, positions**0.7], np.float32)
    plain = rendered(working, table, None, 1.0)

    def bent(linear):
        return np.stack([np.interp(linear[..., c], positions, curves[c]) for c in range(3)], axis=-1).astype(np.float32)

    expected = fitted(bent(plain), matrix) if when == BEFORE_FIT else bent(fitted(plain, matrix))
    made = display_linear(working, table, matrix, 1.0, curves=curves, when=when)
    np.testing.assert_allclose(made, expected, atol=2e-5)
    assert np.abs(made - fitted(plain, matrix)).max() > 0.02
    shown = screen(working, table, matrix, 1.0, curves=curves, when=when)[..., 2::-1].astype(int)
    assert np.abs(shown - np.floor(encode_sRGB(made) * 255 + 0.5)).max() <= 1


def test_what_the_fit_does_not_touch_is_left_as_it_is():
    inside = _random(8, 9, 3) * 0.3 + 0.3
    np.testing.assert_allclose(fitted(inside, EYE), inside, atol=1e-6)


def test_colours_outside_the_gamut_keep_their_luminance():
    table = np.minimum(table_positions(), 1.0).astype(np.float32)
    working = np.tile(np.array([0.02, 0.55, 0.03], np.float32), (4, 4, 1))
    shown = display_linear(working, table, REC2020_TO_SRGB.astype(np.float32), 1.0)[0, 0]
    assert shown.min() >= 0 and shown.max() <= 1
    before = np.array([0.2627, 0.6780, 0.0593]) @ working[0, 0]
    np.testing.assert_allclose(np.array([0.2126, 0.7152, 0.0722]) @ shown, before, rtol=2e-3)


def test_display_keeps_hue_order():
    """The middle channel keeps its proportion between the other two: no hue is turned round."""
    positions = table_positions()
    table = (positions / (positions + 0.3)).astype(np.float32)
    working = np.tile(np.array([0.8, 0.4, 0.1], np.float32), (4, 4, 1))
    shown = display_linear(working, table, EYE, 1.0)[0, 0]
    assert (shown[1] - shown[2]) / (shown[0] - shown[2]) == pytest.approx(3 / 7, rel=1e-3)


@pytest.mark.parametrize("bits", [8, 16])
def test_encoding_is_sRGB(bits):
    """IEC 61966-2-1, both branches."""
    linear = np.linspace(0.0, 1.0, 4096, dtype=np.float32).reshape(64, 64, 1).repeat(3, axis=2)
    top = 2**bits - 1
    out = encode(np.ascontiguousarray(linear), bits)
    tolerance = 1.0 if bits == 8 else ENCODED_16_BIT * top
    assert np.abs(out.astype(np.float64) - encode_sRGB(linear) * top).max() <= tolerance
    assert out.min() == 0 and out.max() == top


def test_noise_is_the_same_every_time_and_fades_below_the_pixel():
    y, x = np.mgrid[0:32, 0:32].astype(np.float32) / 8
    flat = np.zeros_like(x)
    first = fractal_noise(x, y, flat, seed=3, octaves=5, roughness=0.5)
    assert (first == fractal_noise(x, y, flat, seed=3, octaves=5, roughness=0.5)).all()
    assert np.abs(first).max() < 1.6 and first.std() > 0.1
    assert (fractal_noise(x, y, flat + 1.0, seed=3, octaves=5, roughness=0.5) == 0).all()


@pytest.mark.parametrize(
    "call, names",
    [
        (
            lambda: levels(np.zeros((4, 4), np.float32), np.zeros((2, 2), np.float32), np.zeros((2, 2), np.float32)),
            "mosaic",
        ),
        (lambda: demosaic(np.zeros((9, 30), np.float32), (0, 0), ONES), "16x16"),
        (lambda: demosaic(np.zeros((18, 18), np.float32), (0, 2), ONES), "red"),
        (lambda: to_working(np.zeros((4, 4, 4), np.float32), ONES, EYE), "camera"),
        (lambda: screen(np.zeros((4, 4, 3), np.float32), np.zeros(9, np.float32), EYE, 1.0), str(TABLE_SIZE)),
        (lambda: encode(np.zeros((4, 4, 3), np.float32), 12), "bits"),
        (lambda: levels("no", None, None), "NumPy"),
    ],
)
def test_wrong_buffers_are_named(call, names):
    with pytest.raises(ArgumentError, match=names):
        call()


def test_views_and_any_size_are_taken():
    working = _random(7, 40, 3)[:, ::2]
    table = np.minimum(table_positions(), 1.0).astype(np.float32)
    np.testing.assert_allclose(display_linear(working, table, EYE, 1.0), working, atol=3e-5)
    assert display_linear(_random(1, 2, 3), table, EYE, 1.0).shape == (1, 2, 3)
    with pytest.raises(ArgumentError, match="too small"):
        display_linear(_random(1, 1, 3), table, EYE, 1.0)


def test_an_output_that_does_not_fit_is_refused():
    with pytest.raises(ArgumentError, match="out"):
        to_working(_random(4, 4, 3), ONES, EYE, out=np.empty((4, 5, 3), np.float32))


def test_halide_is_not_imported_when_the_kernels_are_built():
    code = (
        "import sys, numpy as np; from matiz.kernels.levels import levels;"
        "levels(np.zeros((4, 4), np.uint16), np.zeros((2, 2), np.float32), np.zeros((2, 2), np.float32));"
        "sys.exit('halide' in sys.modules)"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0


def test_without_a_compiler_the_kernels_are_compiled_in_the_process(tmp_path):
    code = (
        "import numpy as np; from matiz.kernels.levels import levels;"
        "out = levels(np.full((4, 4), 9, np.uint16), np.ones((2, 2), np.float32), np.full((2, 2), 2, np.float32));"
        "assert (out == 16).all()"
    )
    bare = {"PATH": "/nonexistent", "XDG_CACHE_HOME": str(tmp_path), "HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", code], env=bare, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert "install g++" in done.stderr
