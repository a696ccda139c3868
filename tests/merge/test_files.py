"""Files that are merged into a file, by the core and by the command."""

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import tifffile

from matiz.cli import main
from matiz.develop.graph.as_file import write_frame
from matiz.develop.graph.engine import Engine
from matiz.errors import ArgumentError, Cancelled, FileError
from matiz.findings.find import find
from matiz.measure.picture import Meter
from matiz.measure.report import report
from matiz.merge.files import kind_of, merge_files
from matiz.raw.decode import read_frame, shared_decoder
from matiz.raw.frame import Exposure
from matiz.recipe.model import Recipe
from matiz.shoot.sets import proposed_sets

from .moving import PANS, Seen, moved_by

SIZE = (900, 600)


@pytest.fixture(scope="module")
def made(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("bracket")
    pans = Seen("salt-pans", SIZE, 5)
    for n, ev in enumerate((-0.6, -2.6, 1.4)):
        settings = replace(PANS, ev=ev, seed=n + 1, time_s=2.0 ** (ev + 0.6) / 60,
                           time_utc=f"2026-03-14T06:31:0{n}Z")  # fmt: skip
        thing = ((200 + 150 * n, 420, 60, 44), 0.02)
        frame = pans.frame("", settings, moved_by(SIZE, 8.0 * n, 0.0, 0.0), thing)
        write_frame(frame, folder / f"CORVA_{16 + n:04d}.dng")
    return folder


@pytest.fixture(scope="module")
def merged(made):
    return merge_files(sorted(made.glob("CORVA_????.dng")), read_frame)


def test_it_lies_beside_them_and_is_a_picture_like_any_other(made, merged):
    assert merged.path == made / "CORVA_0016-0018 bracket.dng" and merged.reference == made / "CORVA_0016.dng"
    assert "3 frames merged" in merged.words and "\u22122.00\u202fEV" in merged.words and "moved" in merged.words
    frame = read_frame(merged.path)
    assert frame.merged is not None and frame.merged.kind == "bracket" and len(frame.merged.moved) >= 3
    assert frame.merged.names == ("CORVA_0016.dng", "CORVA_0017.dng", "CORVA_0018.dng")
    assert frame.start == "raw" and frame.full_level == 1.0 and frame.size == SIZE
    engine = Engine(frame)
    reading = Meter(engine).picture(Recipe())
    told = report(frame, frame.size, reading)
    assert json.dumps(told) and told["merged"]["frames"] == 3 and told["merged"]["moved_share"] > 0.005
    found = [each for each in find(engine, reading, Recipe()) if each.id == "mend.moved_while_merged"]
    assert len(found) == 1 and len(found[0].outlines) == len(frame.merged.moved) and not found[0].has_fix
    pixels, facts = shared_decoder().listing(merged.path)
    assert facts.merged is not None and max(pixels.shape) > 400


def test_another_reader_reads_its_light(merged):
    with tifffile.TiffFile(merged.path) as file:
        page = file.pages[0].pages[0]
        values = page.asarray()
    assert values.dtype == np.float16 and values.shape == (SIZE[1], SIZE[0], 3)
    assert np.abs(values.astype(np.float32) - read_frame(merged.path).linear).max() == 0.0


def test_the_merged_one_is_in_no_set(made, merged):
    exposures = {path: shared_decoder().listing(path)[1].exposure for path in made.glob("CORVA_????.dng")}
    assert [each.kind for each in proposed_sets(exposures)] == ["bracket"]
    from matiz.shoot.desk import Desk

    desk = Desk()
    desk.open([made])
    for path in desk.catalogue.pictures:
        desk.hear(path, shared_decoder().listing(path)[1])
    desk.catalogue.regroup()
    assert desk.catalogue.set_of(merged.path) is None
    assert len(desk.catalogue.set_of(made / "CORVA_0016.dng").pictures) == 3
    desk.close_log()


def test_one_that_was_merged_splits_no_set(tmp_path):
    """It has the time of its reference, which may lie in the middle."""
    from matiz.raw.frame import Facts, Merged
    from matiz.shoot.desk import Desk

    names = ["a.dng", "b.dng", "b0.dng", "c.dng"]
    for name in names:
        (tmp_path / name).write_bytes(b"")
    desk = Desk()
    desk.open([tmp_path])
    for name, time_s in zip(names, (1 / 240, 1 / 60, 1 / 60, 1 / 15), strict=True):
        second = {"a": 1, "b": 2, "c": 3}[name[0]]
        shot = Exposure(iso=100, time_s=time_s, f_number=8.0, time_utc=f"2026-03-14T06:31:0{second}Z")
        merged = Merged("bracket", ("b.dng",), (0.0,)) if name == "b0.dng" else None
        desk.hear(tmp_path / name, Facts("", shot, (9, 9), merged=merged))
    desk.catalogue.regroup()
    assert [path.name for path in desk.catalogue.set_of(tmp_path / "a.dng").pictures] == ["a.dng", "b.dng", "c.dng"]
    desk.close_log()


def test_a_second_one_takes_no_place_of_the_first(made, merged):
    again = merge_files(sorted(made.glob("CORVA_????.dng"))[:2], read_frame, kind="bracket")
    assert again.path.name == "CORVA_0016-0017 bracket.dng"
    once_more = merge_files(sorted(made.glob("CORVA_????.dng"))[:2], read_frame, kind="bracket")
    assert once_more.path.name == "CORVA_0016-0017 bracket 2.dng"
    with pytest.raises(FileError, match="already"):
        merge_files(sorted(made.glob("CORVA_????.dng"))[:2], read_frame, out=merged.path)
    for path in (again.path, once_more.path):
        path.unlink()


def test_stopped_or_refused_it_leaves_nothing(made, merged):
    before = sorted(made.iterdir())
    with pytest.raises(Cancelled):
        merge_files(sorted(made.glob("CORVA_????.dng")), read_frame, on_progress=lambda share, _: share < 0.6)
    with pytest.raises(ArgumentError, match="from 2 to"):
        merge_files([made / "CORVA_0016.dng"], read_frame)
    with pytest.raises(ArgumentError, match="kind"):
        merge_files(sorted(made.glob("CORVA_????.dng")), read_frame, kind="average")
    with pytest.raises(ArgumentError, match="only raw frames"):
        merge_files([made / "CORVA_0016.dng", merged.path], read_frame)
    assert sorted(made.iterdir()) == before


@pytest.mark.parametrize(
    ("shots", "kind"),
    [
        ([(1 / 60, 6.0), (1 / 240, 6.0), (1 / 15, 6.0)], "bracket"),
        ([(1 / 60, 0.95), (1 / 60, 14.0)], "focus"),
        ([(20.0, 6.0), (20.0, 6.0)], "mean"),
        ([(20.0, None), (20.0, 6.0)], "mean"),
    ],
)
def test_what_they_are_merged_as_follows_from_what_they_say(shots, kind):
    assert kind_of([Exposure(iso=100, time_s=t, f_number=8.0, focus_m=m) for t, m in shots]) == kind


def test_the_command_merges_and_tells(made, merged, tmp_path, capsys):
    out = tmp_path / "m.dng"
    files = [str(path) for path in sorted(made.glob("CORVA_????.dng"))]
    assert main(["merge", *files, "--as", "bracket", "-o", str(out)]) == 0
    assert "merged into m.dng" in capsys.readouterr().out and read_frame(out).merged is not None
    assert main(["merge", files[0], "-o", str(tmp_path / "n.dng")]) == 2
    assert "from 2 to" in capsys.readouterr().err
    assert main(["merge", *files, "-o", str(out)]) == 1


def test_a_damaged_record_leaves_the_picture(merged, tmp_path):
    data = merged.path.read_bytes()
    damaged = tmp_path / "d.dng"
    damaged.write_bytes(data.replace(b'{"kind"', b'{"king"'))
    assert data.count(b'{"kind"') == 1
    frame = read_frame(damaged)
    assert frame.merged is None and frame.linear is not None
