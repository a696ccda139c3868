"""What a DNG says of its mosaic: when it may be read as it lies in the file, and when LibRaw must decode it."""

import io
from pathlib import Path

import numpy as np
import pytest
import rawpy
import tifffile

from matiz.errors import FormatError
from matiz.raw.decode import read_frame
from matiz.raw.tags import Tags, linear_pixels

VALUES = np.random.default_rng(7).integers(400, 15_000, (48, 64)).astype(np.uint16)
MATRIX = tuple(n for value in np.eye(3).ravel() for n in (int(value * 1000), 1000))
COLOUR = [(50706, "B", 4, (1, 4, 0, 0)), (50708, "s", 0, "Corva Body A"), (50721, "2i", 9, MATRIX)]
COLOUR += [(50778, "H", 1, 21), (50728, "2I", 3, (1, 2, 1, 1, 1, 2)), (274, "H", 1, 1)]
MOSAIC = [(33421, "H", 2, (2, 2)), (33422, "B", 4, bytes([0, 1, 1, 2])), (50717, "I", 1, 15_500)]


def written(path: Path, *more: tuple, values: np.ndarray = VALUES, drop: tuple[int, ...] = (), **options) -> Path:
    tags = [t for t in (*COLOUR, *MOSAIC, *more) if t[0] not in drop]
    wanted = {"rowsperstrip": values.shape[0], **options}
    with tifffile.TiffWriter(path, byteorder=wanted.pop("byteorder", "<")) as tiff:
        tiff.write(values, photometric=32803, subfiletype=0, metadata=None, extratags=tags, **wanted)
    return path


def plain(path: Path):
    with path.open("rb") as file:
        return Tags(file).plain


def test_a_plain_mosaic_is_pointed_at_and_read(tmp_path):
    path = written(tmp_path / "a.dng", (50713, "H", 2, (2, 2)), (50714, "H", 4, (500, 501, 502, 503)))
    found = plain(path)
    assert found["mosaic"]["shape"] == [48, 64] and found["white"] == 15_500
    assert found["black"] == [[500, 501], [502, 503]] and found["pattern"] == [[0, 1], [1, 2]]
    raw = path.read_bytes()
    assert raw[found["mosaic"]["offset"] :][: VALUES.nbytes] == VALUES.tobytes()
    frame = read_frame(path)
    assert (frame.mosaic.values == VALUES).all()
    with rawpy.imread(str(path)) as other:
        assert (other.raw_image_visible == VALUES).all() and other.white_level == frame.mosaic.white


@pytest.mark.parametrize("strips", [1, 7, 16])
def test_strips_that_follow_each_other_are_one_piece(tmp_path, strips):
    path = written(tmp_path / "a.dng", rowsperstrip=strips)
    assert plain(path) is not None and (read_frame(path).mosaic.values == VALUES).all()


@pytest.mark.parametrize(
    "change",
    [
        {"byteorder": ">"},
        {"compression": 8},
        {"tile": (16, 16), "rowsperstrip": None},
        {"more": (50829, "I", 4, (0, 0, 40, 60))},
        {"more": (50712, "H", 16, tuple(range(0, 16_000, 1000)))},
        {"more": (50711, "H", 1, 2)},
        {"more": (50710, "B", 3, (2, 1, 0))},
        {"more": (50713, "H", 2, (3, 2))},
    ],
    ids=["big endian", "deflate", "tiles", "active area", "table", "layout", "other colours", "odd period"],
)
def test_whatever_is_not_plain_is_left_to_the_decoder(tmp_path, change):
    more = [change.pop("more")] if "more" in change else []
    assert plain(written(tmp_path / "a.dng", *more, **change)) is None


def test_a_deflated_mosaic_comes_through_the_decoder_the_same(tmp_path):
    """Whether LibRaw takes it or not: the pixels, or a clear error."""
    path = written(tmp_path / "a.dng", compression=8)
    try:
        assert (read_frame(path).mosaic.values == VALUES).all()
    except FormatError as error:
        assert "a.dng" in str(error)


@pytest.mark.parametrize(
    "tags, black",
    [
        ([], 0.0),
        ([(50714, "H", 1, 512)], 512.0),
        ([(50714, "2I", 1, (5121, 10))], 512.1),
        ([(50713, "H", 2, (2, 2)), (50714, "2I", 4, (512, 1) * 4)], 512.0),
    ],
)
def test_black_levels_as_numbers_and_as_fractions(tmp_path, tags, black):
    np.testing.assert_allclose(plain(written(tmp_path / "a.dng", *tags))["black"], black)


def test_a_pattern_without_all_colours_is_not_plain(tmp_path):
    path = written(tmp_path / "a.dng", (33422, "B", 4, bytes([1, 1, 1, 1])), drop=(33422,))
    assert plain(path) is None


def test_white_below_black_is_a_clear_error(tmp_path):
    path = written(tmp_path / "a.dng", (50714, "H", 1, 16_000))
    with pytest.raises(FormatError, match=r"a\.dng.*white level"):
        read_frame(path)


def test_a_file_that_ends_early_is_a_clear_error(tmp_path):
    path = written(tmp_path / "a.dng")
    whole = path.read_bytes()
    path.write_bytes(whole[:-1000])
    with pytest.raises(FormatError, match=r"a\.dng"):
        read_frame(path)


def test_linear_values_of_every_kind_are_scaled(tmp_path):
    def linear(values: np.ndarray, *tags: tuple) -> np.ndarray:
        with tifffile.TiffWriter(tmp_path / "l.dng") as tiff:
            tiff.write(values, photometric=34892, planarconfig=1, metadata=None, extratags=[*COLOUR, *tags])
        return linear_pixels(io.BytesIO((tmp_path / "l.dng").read_bytes()), 10**8)

    values = np.random.default_rng(2).random((20, 30, 3)).astype(np.float32)
    np.testing.assert_array_equal(linear(values), values)
    eight = (values * 255).astype(np.uint8)
    np.testing.assert_allclose(linear(eight), eight / 255.0, rtol=1e-6)
    sixteen = (values * 4000 + 200).astype(np.uint16)
    scaled = linear(sixteen, (50717, "H", 1, 4200), (50714, "2I", 1, (400, 2)))
    np.testing.assert_allclose(scaled, (sixteen - 200.0) / 4000.0, rtol=1e-5)
    broken = values.copy()
    broken[3, 4] = np.nan, np.inf, -np.inf
    np.testing.assert_array_equal(linear(broken)[3, 4], (0.0, 1.0, 0.0))
    with pytest.raises(FormatError, match="white level"):
        linear(sixteen, (50717, "H", 1, 100), (50714, "H", 1, 200))
    with pytest.raises(FormatError, match="megapixels"):
        linear_pixels(io.BytesIO((tmp_path / "l.dng").read_bytes()), 100)


def test_focus_distance_and_lens_are_read(tmp_path):
    path = written(tmp_path / "a.dng", (37382, "2I", 1, (121, 100)), (42036, "s", 0, "Corva 21-98"))
    shot = read_frame(path).exposure
    assert shot.focus_m == pytest.approx(1.21) and shot.lens == "Corva 21-98" and shot.iso is None


def test_black_is_taken_from_masked_areas(tmp_path):
    """Photosites that no light reaches say more than the tag does; the active area alone is the picture."""
    rng = np.random.default_rng(3)
    values = rng.normal(520.0, 4.0, (220, 332))
    values[20:, 32:] = rng.normal(3000.0, 60.0, (200, 300))
    areas = [(50829, "I", 4, (20, 32, 220, 332)), (50830, "I", 4, (20, 0, 220, 30))]
    path = written(tmp_path / "a.dng", (50714, "H", 1, 500), *areas, values=values.round().astype(np.uint16))
    frame = read_frame(path)
    assert frame.size == (300, 200)
    assert frame.mosaic.black == pytest.approx(np.full((2, 2), 520.0), abs=1.5)


TILES = np.tile(VALUES, (4, 4))


@pytest.mark.parametrize(
    "options",
    [
        {"tile": (64, 64), "rowsperstrip": None},
        {"compression": 8},
        {"compression": 8, "predictor": 2},
        {"compression": 8, "predictor": 2, "tile": (64, 64), "rowsperstrip": None},
    ],
    ids=lambda o: " ".join(map(str, o)),
)
def test_tiled_and_deflated_mosaics(tmp_path, options):
    """Tiles are put together; deflate, which LibRaw does not take for counts, is unpacked."""
    frame = read_frame(written(tmp_path / "a.dng", (50714, "H", 1, 300), values=TILES, **options))
    assert (frame.mosaic.values == TILES).all()
    assert frame.mosaic.white == 15_500 and (frame.mosaic.black == 300).all()


@pytest.mark.parametrize("kind", [np.float16, np.float32])
@pytest.mark.parametrize("options", [{}, {"compression": 8, "predictor": 3}], ids=["plain", "deflate"])
def test_floating_point_mosaics_keep_their_values(tmp_path, kind, options):
    """Black 0 and white 1; values under black stay under black."""
    values = (TILES / 15_500.0 - 0.05).astype(kind)
    frame = read_frame(written(tmp_path / "a.dng", values=values, drop=(50717,), **options))
    mosaic = frame.mosaic
    black = float(mosaic.black.max())
    scaled = (mosaic.values - black) / (mosaic.white - black)
    assert np.abs(scaled - np.clip(values.astype(np.float64), -black / 60_000, None)).max() < 2e-5 + 1e-4
    assert scaled.min() < -0.01
