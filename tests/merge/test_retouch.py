"""Places of a merged picture taken from one of its frames."""

from dataclasses import replace

import numpy as np
import pytest

from matiz.develop.frame.alignment import NUMBERS, Alignment
from matiz.develop.frame.beside import Beside, can_retouch
from matiz.develop.frame.sensor import Sensor
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.findings.find import find
from matiz.measure.picture import Meter
from matiz.merge.bracket import merge_bracket
from matiz.merge.focus import merge_focus
from matiz.raw.decode import read_frame
from matiz.recipe.mending import FromFrame
from matiz.recipe.model import Recipe
from matiz.recipe.paths import added

from .moving import PANS, Seen, moved_by

SIZE = (900, 600)
SHIFT_PX = 7.0
SPOT, RADIUS_PX = (330, 400), 24.0
INNER = np.s_[390:410, 320:340]


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """Two frames of one view, the second moved, twice as bright and with a thing that the first has not."""
    folder, pans = tmp_path_factory.mktemp("retouch"), Seen("salt-pans", SIZE, 5)
    for n, ev in enumerate((-1.6, -0.6)):
        thing = ((300, 370, 60, 60), 0.1) if n else ((0, 0, 2, 2), 0.1)
        settings = replace(PANS, ev=ev, seed=n + 1, time_s=2.0**ev / 60)
        write_frame(pans.frame("", settings, moved_by(SIZE, SHIFT_PX * n, 0.0, 0.0), thing), folder / f"F_{n}.dng")
    return folder


def frames_of(folder):
    return [read_frame(folder / f"F_{n}.dng") for n in range(2)]


@pytest.fixture(scope="module", params=["bracket", "focus"])
def merged(request, folder):
    made = {"bracket": merge_bracket, "focus": merge_focus}[request.param](frames_of(folder)).frame
    path = folder / f"{request.param}.dng"
    write_frame(made, path)
    return read_frame(path)


def taken(n, *, at=SPOT):
    path = (((at[0] + 0.5) / max(SIZE), (at[1] + 0.5) / max(SIZE)),)
    item = FromFrame(path, radius_px=RADIUS_PX, feather_px=6.0, frame=float(n))
    return Recipe().change_all(added(Recipe(), [("mend.repairs", item)]), label="x")[0]


def shown(frame, recipe):
    return Engine(frame).render(recipe, 0, result="camera")


def test_a_place_is_as_each_frame_has_it_and_the_rest_stays(merged, folder):
    assert can_retouch(merged) and len(merged.merged.lies[0]) == NUMBERS
    names = merged.merged.names
    plain = shown(merged, Recipe())
    for n, name in enumerate(names, 1):
        made = shown(merged, taken(n))
        own = Sensor(read_frame(folder / name)).read(0, (0, 0, *SIZE))
        least = min(merged.merged.exposures_EV) if merged.merged.kind == "bracket" else 0.0
        own = own * 2.0 ** (least - merged.merged.exposures_EV[n - 1])
        # the reference does not move; the other is laid on it
        moved = 0 if n == 1 else round(SHIFT_PX) * (1 if name == "F_1.dng" else -1)
        rows, columns = INNER
        there = own[rows, columns.start + moved : columns.stop + moved]
        assert made[INNER].mean(axis=(0, 1)) == pytest.approx(there.mean(axis=(0, 1)), rel=0.03)
        assert (made[:, :250] == plain[:, :250]).all() and (made[:360] == plain[:360]).all()
    has_it = shown(merged, taken(1 + names.index("F_1.dng")))[INNER].mean()
    has_not = shown(merged, taken(1 + names.index("F_0.dng")))[INNER].mean()
    assert abs(has_it / has_not - 1.0) > 0.2, "only one of them holds the thing"


def test_a_frame_that_is_not_there_leaves_the_place_and_is_said(merged, folder, tmp_path):
    alone = replace(merged, path=tmp_path / "alone.dng")
    recipe = taken(2)
    engine = Engine(alone)
    assert (engine.render(recipe, 0, result="camera") == shown(merged, Recipe())).all()
    (told,) = (each for each in find(engine, Meter(engine).picture(recipe), recipe) if each.id == "mend.frame_missing")
    assert merged.merged.names[1] in told.claim and not told.has_fix
    assert Meter(Engine(merged)).take(recipe, "merged").missing == ()
    (tmp_path / merged.merged.names[1]).write_bytes(b"no picture")
    assert Beside(alone).seen(2, (0, 0, 8, 8)) is None
    assert Meter(Engine(alone)).take(recipe, "merged").missing == (merged.merged.names[1],), "it is there, and no frame"
    assert Beside(merged).seen(3, (0, 0, 8, 8)) is None and Beside(merged).seen(0, (0, 0, 8, 8)) is None
    away = replace(merged, merged=replace(merged.merged, names=("../F_0.dng", "../../F_1.dng")))
    assert Beside(away).seen(2, (0, 0, 8, 8)) is not None, "a name is looked for in the folder of the picture alone"


def test_what_is_full_in_a_frame_is_left(merged, folder):
    name = merged.merged.names[1]
    frame = read_frame(folder / name)
    mosaic = frame.mosaic
    full = replace(frame, mosaic=replace(mosaic, values=np.full_like(mosaic.values, mosaic.white)))
    other = folder / merged.merged.kind
    other.mkdir()
    write_frame(full, other / name)
    alone = replace(merged, path=other / "merged.dng")
    assert (shown(alone, taken(2)) == shown(merged, Recipe())).all()


def test_merges_that_do_not_know_how_their_frames_lie_offer_nothing(merged):
    old = replace(merged, merged=replace(merged.merged, lies=()))
    assert not can_retouch(old) and Beside(old).seen(1, (0, 0, 8, 8)) is None
    assert not can_retouch(replace(merged, merged=None))


def test_an_alignment_goes_through_its_numbers():
    bend = np.random.default_rng(1).normal(size=(10, 2))
    own = Alignment(np.array([[1.01, 0.02, 3.0], [0.0, 0.99, -4.0], [1e-6, 0.0, 1.0]]), bend, SIZE)
    back = Alignment.of_numbers(own.numbers(), SIZE)
    at = np.array([10.0, 400.0]), np.array([20.0, 300.0])
    assert np.allclose(back.at(*at), own.at(*at))
    for wrong in (own.numbers()[:-1], (float("nan"), *own.numbers()[1:])):
        with pytest.raises(ValueError):
            Alignment.of_numbers(wrong, SIZE)
