"""Many deliveries without a window: in processes, on a cluster, killed in the middle."""

import contextlib
import errno
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from matiz.cli import main
from matiz.deliver import batch
from matiz.deliver.batch import check_room, chosen_pictures, run_here, tasks_for
from matiz.deliver.cluster import run_on_cluster
from matiz.deliver.orders import Order
from matiz.develop.graph.as_file import write_frame
from matiz.errors import ArgumentError, FileError
from matiz.shoot.sidecar import load_document, save_document
from matiz_simcam import targets
from matiz_simcam.camera import Settings, expose

SMALL = Order(long_side=60)


@pytest.fixture
def folder(tmp_path):
    """Six small pictures."""
    made = tmp_path / "shoot"
    made.mkdir()
    frame = expose(targets.chart((240, 160)), Settings())
    write_frame(frame, made / "CORVA_0001.dng")
    for n in range(2, 7):
        shutil.copy(made / "CORVA_0001.dng", made / f"CORVA_{n:04d}.dng")
    return made


def test_every_picture_is_there_once_and_a_second_run_adds_none(folder, tmp_path):
    out = tmp_path / "out"
    pictures = chosen_pictures([folder], only_kept=False)
    assert len(pictures) == 6
    done = list(run_here(tasks_for(pictures, SMALL, out), 2))
    assert sorted(each.path.name for each in done) == [f"CORVA_{n:04d}.jpg" for n in range(1, 7)]
    with Pillow.open(out / "CORVA_0003.jpg") as picture:
        assert picture.size == (60, 40)
    before = {path: path.stat().st_mtime_ns for path in out.iterdir()}
    (out / "CORVA_0002.jpg").unlink()
    again = list(run_here(tasks_for(pictures, SMALL, out), 1))
    assert sum(each.was_there for each in again) == 5 and len(list(out.iterdir())) == 6
    assert all(path.stat().st_mtime_ns == then for path, then in before.items() if path.name != "CORVA_0002.jpg")


def test_sidecars_decide_and_only_kept_ones_go(folder, tmp_path):
    path = folder / "CORVA_0002.dng"
    document = load_document(path).change_all([("tone.exposure_EV", -4.0)], label="x")[0]
    save_document(path, replace(document, sorted_as="keep", rank=4))
    assert chosen_pictures([folder], only_kept=True) == [path]
    order = Order(long_side=60, pattern="{rank}-{name}-{counter:02}")
    both = [path, folder / "CORVA_0003.dng"]
    done = {each.task.picture: each.path for each in run_here(tasks_for(both, order, tmp_path / "o"), 1)}
    assert done[path].name == "4-CORVA_0002-01.jpg"
    means = [np.asarray(Pillow.open(done[each]).convert("L")).mean() for each in both]
    assert means[0] < 0.4 * means[1]


def test_names_that_meet_are_told_apart(folder, tmp_path):
    tasks = tasks_for(chosen_pictures([folder], only_kept=False), Order(pattern="salt"), tmp_path)
    assert [task.stem for task in tasks[:3]] == ["salt", "salt-2", "salt-3"]


def test_what_fails_is_told_and_the_rest_goes_on(folder, tmp_path, capsys):
    (folder / "CORVA_0004.dng").write_bytes(b"no picture")
    code = main(["deliver", str(folder), "--order", "screen", "-o", str(tmp_path / "o"), "--jobs", "1"])
    told = capsys.readouterr()
    assert code == 1 and "failed" in told.out and "1 of 6 failed" in told.err
    assert len(list((tmp_path / "o").glob("*.jpg"))) == 5
    assert main(["deliver", str(folder), "--order", "nothing", "-o", str(tmp_path)]) == 2
    assert main(["deliver", str(folder), "--order", "screen", "-o", str(tmp_path), "--kept"]) == 1
    with pytest.raises(ArgumentError):
        list(run_here([], 0))


def _dies_of_the_third(task):
    if task.picture.stem.endswith("3"):
        os.kill(os.getpid(), signal.SIGKILL)
    return batch.Done(task, task.picture)


def test_a_picture_that_kills_its_process_takes_no_other_with_it(tmp_path):
    tasks = [batch.Task(tmp_path / f"p{n}.dng", SMALL, tmp_path, f"p{n}") for n in range(6)]
    done = {each.task.stem: each for each in run_here(tasks, 2, run=_dies_of_the_third)}
    assert sorted(done) == [f"p{n}" for n in range(6)]
    assert [name for name, each in done.items() if each.path is None] == ["p3"] and "died" in done["p3"].text


def test_files_are_written_over_only_when_told(folder, tmp_path):
    picture = folder / "CORVA_0001.dng"
    (tmp_path / "CORVA_0001.jpg").write_bytes(b"mine")
    (kept,) = run_here(tasks_for([picture], SMALL, tmp_path), 1)
    assert kept.was_there and (tmp_path / "CORVA_0001.jpg").read_bytes() == b"mine"
    (refused,) = run_here(tasks_for([picture], SMALL, tmp_path, replaces=True), 1)
    assert refused.path is None and "did not write it" in refused.text
    assert (tmp_path / "CORVA_0001.jpg").read_bytes() == b"mine", "what Matiz did not write is never replaced"
    (tmp_path / "CORVA_0001.jpg").unlink()
    (made,) = run_here(tasks_for([picture], SMALL, tmp_path), 1)
    written = made.path.stat().st_mtime_ns
    (again,) = run_here(tasks_for([picture], SMALL, tmp_path, replaces=True), 1)
    assert not again.was_there and again.path.stat().st_mtime_ns > written
    made.path.write_bytes(b"edited elsewhere since")
    (refused,) = run_here(tasks_for([picture], SMALL, tmp_path, replaces=True), 1)
    assert refused.path is None and made.path.read_bytes() == b"edited elsewhere since"


def test_names_by_time_are_told_without_decoding(folder, tmp_path):
    (folder / "CORVA_0009.dng").write_bytes(b"no picture")
    order = Order(pattern="{date}-{name}")
    tasks = tasks_for([folder / "CORVA_0001.dng", folder / "CORVA_0009.dng"], order, tmp_path)
    assert [task.stem for task in tasks] == ["2026-03-14-CORVA_0001", "-CORVA_0009"]


def test_a_full_disk_is_known_before_it_starts(tmp_path, monkeypatch):
    monkeypatch.setattr(batch.shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10**9, 10**9, 10**7))
    with pytest.raises(FileError, match="free some space"):
        check_room(tmp_path, Order("TIFF"), 50)
    check_room(tmp_path, SMALL, 50)


def test_kill_9_in_the_middle_leaves_no_half_file_and_a_second_run_completes(folder, tmp_path):
    out = tmp_path / "o"
    command = [
        sys.executable,
        "-m",
        "matiz",
        "deliver",
        str(folder),
        "--order",
        "hand on",
        "-o",
        str(out),
        "--jobs",
        "2",
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, start_new_session=True)
    assert process.stdout.readline()
    os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    import tifffile

    for path in out.glob("*.tif"):
        assert tifffile.imread(path).shape == (160, 240, 3)
    assert subprocess.run(command, stdout=subprocess.PIPE).returncode == 0
    assert len(list(out.glob("*.tif"))) == 6 and not list(out.glob(".matiz*"))


@pytest.fixture
def cluster(tmp_path):
    """A scheduler and two workers on this machine: its address and the workers' processes."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    address = f"tcp://127.0.0.1:{port}"
    quiet = dict(stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    own = [
        sys.executable,
        "-m",
        "distributed.cli.dask_scheduler",
        "--host",
        "127.0.0.1",
        "--port",
        str(port),
        "--no-dashboard",
    ]
    started = [subprocess.Popen(own, **quiet)]
    for _ in range(2):
        worker = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-nanny",
                  "--no-dashboard", "--local-directory", str(tmp_path / "dask")]  # fmt: skip
        started.append(subprocess.Popen(worker, **quiet))
    yield address, started[1:]
    for process in started:
        with contextlib.suppress(ProcessLookupError):
            process.kill()
        process.wait()


def test_a_cluster_delivers_each_once_though_a_worker_is_killed(folder, tmp_path, cluster):
    address, workers = cluster
    from distributed import Client

    with Client(address, timeout="60s", set_as_default=False) as client:
        client.wait_for_workers(2, timeout=60)
    tasks = tasks_for(chosen_pictures([folder], only_kept=False), SMALL, tmp_path / "o")
    done = []
    for each in run_on_cluster(tasks, address):
        done.append(each)
        if len(done) == 1:
            workers[0].kill()
    assert len(done) == 6 and all(each.path is not None for each in done), [each.text for each in done]
    deadline = time.monotonic() + 10
    while len(list((tmp_path / "o").iterdir())) > 6 and time.monotonic() < deadline:
        time.sleep(0.1)
    assert sorted(path.name for path in (tmp_path / "o").glob("*.jpg")) == [f"CORVA_{n:04d}.jpg" for n in range(1, 7)]


def test_no_cluster_is_told():
    with pytest.raises(ArgumentError, match="tcp://"):
        list(run_on_cluster([], "somewhere"))


def test_a_folder_that_is_removed_in_the_middle_of_fifty_is_told_and_a_second_run_completes(folder, tmp_path):
    for n in range(7, 51):
        shutil.copy(folder / "CORVA_0001.dng", folder / f"CORVA_{n:04d}.dng")
    out, pictures = tmp_path / "o", chosen_pictures([folder], only_kept=False)
    assert len(pictures) == 50
    done = []
    for each in run_here(tasks_for(pictures, SMALL, out), 2):
        done.append(each)
        if len(done) == 10:  # moved first: what is being written there may not come in between
            shutil.rmtree(out.rename(tmp_path / "removed"))
    assert len({each.task.picture for each in done}) == 50
    failed = [each for each in done if each.path is None]
    assert len(failed) >= 38 and all(str(out) in each.text or out.name in each.text for each in failed)
    assert not out.exists() or not [path for path in out.iterdir() if path.suffix != ".jpg"], "no half file"
    again = list(run_here(tasks_for(pictures, SMALL, out), 2))
    assert all(each.path is not None for each in again)
    assert sorted(path.name for path in out.iterdir()) == [f"CORVA_{n:04d}.jpg" for n in range(1, 51)]
    for path in out.iterdir():
        with Pillow.open(path) as picture:
            assert picture.load() is not None


def test_a_disk_that_fills_in_the_middle_is_told_and_a_second_run_completes(folder, tmp_path, monkeypatch):
    out, pictures = tmp_path / "o", chosen_pictures([folder], only_kept=False)
    tasks = tasks_for(pictures, SMALL, out)
    from matiz.deliver import write

    real, calls = write.write_pixels, []

    def full(path, *arguments):
        calls.append(path)
        if len(calls) > 3:
            path.write_bytes(b"half")
            raise OSError(errno.ENOSPC, "No space left on device", str(path))
        return real(path, *arguments)

    monkeypatch.setattr(write, "write_pixels", full)
    done = [batch.run_task(task) for task in tasks]
    assert [each.path is None for each in done] == [False] * 3 + [True] * 3
    assert all("No space left" in each.text for each in done[3:])
    assert len(list(out.iterdir())) == 3, "no half file under a final name, and none beside it"
    monkeypatch.setattr(write, "write_pixels", real)
    assert all(batch.run_task(task).path for task in tasks) and len(list(out.iterdir())) == 6


def test_room_is_asked_for_all_of_them(tmp_path, monkeypatch):
    """There is room for ten, and none for eleven."""
    one = Order("TIFF", long_side=1000)
    width, height = one.size_of((6000, round(batch.PX_OF_PICTURE / 6000)))
    free = int(10.5 * batch.LEAST_FREE * width * height * batch.BYTES_PER_PX["TIFF"])
    monkeypatch.setattr(batch.shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10**12, 10**12, free))
    check_room(tmp_path, one, 10)
    with pytest.raises(FileError, match="11 deliveries"):
        check_room(tmp_path, one, 11)
