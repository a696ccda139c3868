"""One damaged picture, sidecar or fault of ours takes no other picture with it."""

import logging

import pytest
from PIL import Image as Pillow

from matiz.cli import main
from matiz.deliver import batch
from matiz.deliver.batch import run_here, tasks_for
from matiz.deliver.orders import Order
from matiz.develop.graph.as_file import write_frame
from matiz.errors import FileError
from matiz.recipe.document import Document
from matiz.shoot import as_decided
from matiz.shoot.sidecar import save_document, sidecar_path
from matiz.ui.stations.deliver.sheet_pdf import cell_of, write_sheet
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import grey

SMALL = Order(long_side=40)


@pytest.fixture
def folder(tmp_path):
    """Three pictures; the sidecar of the second is damaged."""
    made = tmp_path / "shoot"
    made.mkdir()
    for name in ("a.dng", "b.dng", "c.dng"):
        write_frame(expose(grey((60, 40)), Settings()), made / name)
    save_document(made / "a.dng", Document(sorted_as="keep"))
    sidecar_path(made / "b.dng").write_text("{damaged")
    return made


@pytest.mark.parametrize("kept", [[], ["--kept"]])
def test_deliver_goes_on_past_a_damaged_sidecar(folder, tmp_path, capsys, kept):
    out = tmp_path / "out"
    assert main(["deliver", str(folder), "--order", "screen", "-o", str(out), "--jobs", "1", *kept]) == 1
    assert sorted(path.name for path in out.iterdir()) == (["a.jpg"] if kept else ["a.jpg", "c.jpg"])
    printed = capsys.readouterr()
    assert "b.dng" in printed.out and "cannot be read" in printed.out and "1 of" in printed.err


def test_check_goes_on_past_a_damaged_sidecar_and_picture(folder, capsys):
    (folder / "c.dng").write_bytes(b"II*\0no picture")
    assert main(["check", str(folder), "--order", "screen"]) == 1
    printed = capsys.readouterr()
    assert printed.out.startswith("a.dng") and "b.dng" in printed.err and "c.dng" in printed.err
    assert "2 of 3 could not be checked" in printed.err


def test_a_sheet_shows_what_it_can_and_says_what_it_cannot(folder, tmp_path, capsys, qapp):
    path = tmp_path / "sheet.pdf"
    assert main(["sheet", str(folder), "-o", str(path)]) == 1
    assert path.read_bytes().startswith(b"%PDF") and "b.dng" in capsys.readouterr().err
    written = path.stat().st_size
    assert main(["sheet", str(folder / "a.dng"), "-o", str(path)]) == 0
    assert path.stat().st_size != written, "a sheet of Matiz's is replaced"
    path.write_bytes(b"somebody's")
    assert main(["sheet", str(folder / "a.dng"), "-o", str(path)]) == 1
    assert path.read_bytes() == b"somebody's"


def test_a_sheet_on_a_full_disk_is_not_there(folder, tmp_path, monkeypatch, qapp):
    """It was "written" with 0 bytes."""
    monkeypatch.setattr(
        "matiz.ui.stations.deliver.sheet_pdf._fill",
        lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")),
    )
    with pytest.raises(FileError, match="No space left"):
        write_sheet(tmp_path / "sheet.pdf", [cell_of(folder / "a.dng")], "x")
    assert not [path for path in tmp_path.iterdir() if path.suffix in (".pdf", ".part")]


def test_a_sheet_has_all_its_pages(folder, tmp_path, qapp):
    cells = [cell_of(folder / "a.dng")] * 45
    write_sheet(tmp_path / "sheet.pdf", cells, "x")
    data = (tmp_path / "sheet.pdf").read_bytes()
    assert data.count(b"/Type /Page\n") == 3 and data.rstrip().endswith(b"%%EOF")


@pytest.mark.parametrize("jobs", [1, 2])
def test_a_fault_of_ours_takes_one_picture_and_is_logged(folder, tmp_path, caplog, jobs):
    sidecar_path(folder / "b.dng").unlink()
    tasks = tasks_for(sorted(folder.glob("*.dng")), SMALL, tmp_path / "out")
    with caplog.at_level(logging.ERROR, "matiz"):
        done = {each.task.picture.name: each for each in run_here(tasks, jobs, run=_fails_for_the_second)}
    assert done["a.dng"].path and done["c.dng"].path
    assert done["b.dng"].path is None and "unexpected IndexError" in done["b.dng"].text
    if jobs == 1:
        assert "Traceback" in caplog.text


def _fails_for_the_second(task):
    if task.picture.name == "b.dng":
        patched, as_decided.load_document = as_decided.load_document, lambda _: [][1]
        try:
            return batch.run_task(task)
        finally:
            as_decided.load_document = patched
    return batch.run_task(task)


def test_cameras_own_jpegs_are_never_replaced(folder, tmp_path, capsys):
    """Delivered into the folder of the shoot, over the JPEG that the camera made with each raw file."""
    sidecar_path(folder / "b.dng").unlink()
    Pillow.new("RGB", (60, 40), (9, 9, 9)).save(folder / "a.jpg")
    before = (folder / "a.jpg").read_bytes()
    order = [
        "deliver",
        str(folder / "a.dng"),
        str(folder / "c.dng"),
        "--order",
        "screen",
        "-o",
        str(folder),
        "--replace",
    ]
    assert main([*order, "--jobs", "1"]) == 1
    assert (folder / "a.jpg").read_bytes() == before and (folder / "c.jpg").is_file()
    assert "did not write it" in capsys.readouterr().out


@pytest.mark.parametrize("command", ["log", "simulate", "develop", "mask", "linear"])
def test_no_command_writes_over_a_picture(folder, command):
    picture, other = folder / "a.dng", folder / "b.dng"
    before = other.read_bytes()
    (folder / "b.jpg").write_bytes(before)
    (folder / "b.png").write_bytes(before)
    (folder / "b.npy").write_bytes(before)
    given = {
        "log": ["log", str(folder), "-o", str(other)],
        "simulate": ["simulate", "grey", "-o", str(other), "--size", "60x40"],
        "develop": ["develop", str(picture), "-o", str(folder / "b.jpg")],
        "mask": ["mask", str(picture), "--part", "bright", "-o", str(folder / "b.png")],
        "linear": ["develop", str(picture), "--linear", "-o", str(folder / "b.npy")],
    }[command]
    assert main(given) == 1
    assert all(path.read_bytes() == before for path in (other, folder / "b.jpg", folder / "b.png", folder / "b.npy"))
