"""The command line, as a script would use it."""

import json
import os
import shutil
import subprocess
import sys

import numpy as np
import pytest
import tifffile
from PIL import Image as Pillow

from matiz.cli import main
from matiz.recipe.document import Document, Version
from matiz.recipe.model import Recipe
from matiz.shoot.sidecar import load_document, save_document, sidecar_path


def run(*arguments, capsys) -> tuple[int, str, str]:
    try:
        code = main([str(a) for a in arguments])
    except SystemExit as stop:
        code = stop.code
    out = capsys.readouterr()
    return code, out.out, out.err


def test_measure_prints_one_line_of_json(small_shoot, capsys):
    path = small_shoot / "CORVA_0011.dng"
    code, out, _ = run("measure", path, "--json", "--area", "10,10,20,20", "--area", "5,5,1,1", capsys=capsys)
    reading = json.loads(out)
    assert code == 0 and out.count("\n") == 1
    assert reading["file"] == str(path) and reading["camera"] == "Corva Body A"
    assert len(reading["areas"]) == 2 and len(reading["areas"][0]["XYZ"]) == 3
    code, out, _ = run("measure", path, "--station", "tone", "--set", "tone.exposure_EV=1", capsys=capsys)
    moved = json.loads(out)
    assert "light" not in moved
    assert moved["tone"]["middle_EV"] == pytest.approx(reading["tone"]["middle_EV"] + 1, abs=1e-3)


def test_find_and_its_fix(small_shoot, capsys, tmp_path):
    path = small_shoot / "CORVA_0011.dng"
    found = json.loads(run("find", path, "--json", capsys=capsys)[1])
    finding = next(f for f in found if f["id"] == "tone.under_exposed")
    settings = [a for item in finding["fix"] for a in ("--set", f"{item['path']}={item['value']}")]
    after = json.loads(run("find", path, "--json", *settings, capsys=capsys)[1])
    assert "tone.under_exposed" not in {f["id"] for f in after}
    assert "Under-exposed" in run("find", path, capsys=capsys)[1]


def test_develop_every_format(small_shoot, capsys, tmp_path):
    path = small_shoot / "CORVA_0031.dng"
    assert run("develop", path, "-o", tmp_path / "a.jpg", "--long-side", "150", capsys=capsys)[0] == 0
    assert Pillow.open(tmp_path / "a.jpg").size == (150, 100)
    assert run("develop", path, "-o", tmp_path / "a.tif", "--region", "10,20,64,48", capsys=capsys)[0] == 0
    assert tifffile.imread(tmp_path / "a.tif").shape == (48, 64, 3)
    assert run("develop", path, "-o", tmp_path / "a.png", capsys=capsys)[0] == 0
    assert run("develop", path, "-o", tmp_path / "a.npy", "--linear", capsys=capsys)[0] == 0
    run("develop", path, "-o", tmp_path / "b.npy", "--linear", "--set", "tone.exposure_EV=1", capsys=capsys)
    linear, brighter = np.load(tmp_path / "a.npy"), np.load(tmp_path / "b.npy")
    assert linear.shape == (400, 600, 3) and linear.dtype == np.float32
    np.testing.assert_allclose(brighter, linear * 2, rtol=1e-5, atol=1e-6)


def test_recipes_from_files_and_sidecars(small_shoot, capsys, tmp_path):
    _, out, _ = run("recipe", "new", capsys=capsys)
    (tmp_path / "r.json").write_text(out)
    assert run("recipe", "check", tmp_path / "r.json", capsys=capsys)[:2] == (0, "ok\n")
    assert json.loads(run("recipe", "schema", capsys=capsys)[1])["title"] == "Matiz recipe"
    version = Version().record(*Recipe().change("tone.exposure_EV", 2.0))
    save_document(tmp_path / "x.dng", Document().with_version(version))
    path = small_shoot / "CORVA_0011.dng"
    plain = json.loads(run("measure", path, "--json", capsys=capsys)[1])
    side = json.loads(run("measure", path, "--json", "--recipe", sidecar_path(tmp_path / "x.dng"), capsys=capsys)[1])
    assert side["tone"]["middle_EV"] == pytest.approx(plain["tone"]["middle_EV"] + 2, abs=1e-3)


def test_simulate(capsys, tmp_path):
    out = tmp_path / "g.dng"
    arguments = ("simulate", "grey", "-o", out, "--size", "96x64", "--light", "planck:2700", "--ideal")
    assert run(*arguments, capsys=capsys)[0] == 0
    reading = json.loads(run("measure", out, "--json", "--area", "8,8,60,40", capsys=capsys)[1])
    assert reading["areas"][0]["cct_K"] == pytest.approx(2700, rel=0.01)
    assert (
        run("simulate", "chart24", "-o", tmp_path / "c.dng", "--size", "96x64", "--mosaic", "6x6", capsys=capsys)[0]
        == 0
    )
    assert json.loads(run("measure", tmp_path / "c.dng", "--json", capsys=capsys)[1])["size"] == [96, 64]
    arguments = ("simulate", "two-light-wall", "-o", tmp_path / "w.dng", "--size", "96x64", "--truth", tmp_path / "t")
    assert run(*arguments, capsys=capsys)[0] == 0 and (tmp_path / "t" / "truth.json").exists()


@pytest.mark.parametrize(
    "arguments, code, says",
    [
        (("measure", "/nowhere.dng"), 1, "no such file"),
        (("develop", "IN", "-o", "x.gif"), 2, "must end in"),
        (("develop", "IN", "-o", "x.npy"), 2, "--linear"),
        (("develop", "IN", "-o", "x.jpg", "--set", "tone.exposure_EV=99"), 2, "-6..6 EV"),
        (("develop", "IN", "-o", "x.jpg", "--region", "1,2,3"), 2, "x,y,w,h"),
        (("develop", "IN", "-o", "x.jpg", "--region", "0,0,9000,10"), 2, "600x400"),
        (("measure", "IN", "--recipe", "/nowhere.json"), 1, "/nowhere.json"),
        (("simulate", "moon", "-o", "x.dng"), 2, "one of"),
        (("simulate", "grey", "-o", "x.jpg"), 2, ".dng"),
        (("simulate", "grey"), 2, "--tether"),
        (("simulate", "grey", "-o", "x.dng", "--size", "big"), 2, "WIDTHxHEIGHT"),
        (("recipe", "check"), 2, "name the recipe"),
        (("measure",), 2, "required"),
        (("recipe", "paint"), 2, "invalid choice"),
    ],
)
def test_bad_usage_and_failures(small_shoot, capsys, monkeypatch, tmp_path, arguments, code, says):
    monkeypatch.chdir(tmp_path)
    given = [small_shoot / "CORVA_0011.dng" if a == "IN" else a for a in arguments]
    got, _, err = run(*given, capsys=capsys)
    assert got == code and says in err and "Traceback" not in err
    assert list(tmp_path.iterdir()) == []


def test_debug_shows_where(capsys):
    from matiz.errors import FileError

    with pytest.raises(FileError):
        main(["measure", "/nowhere.dng", "--debug"])


def test_commands_need_no_qt(small_shoot):
    code = (
        "import sys; from matiz.cli import main; main(sys.argv[1:]); sys.exit(any('PySide6' in m for m in sys.modules))"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, "measure", str(small_shoot / "CORVA_0011.dng"), "--json"], capture_output=True
    )
    assert done.returncode == 0


def test_light_is_given_to_others(small_shoot, capsys, tmp_path):
    """The light that a sidecar holds goes into the sidecars of others, as a step that can be taken back."""
    names = ["CORVA_0011.dng", "CORVA_0031.dng", "CORVA_0052.dng"]
    for name in names:
        shutil.copy(small_shoot / name, tmp_path / name)
    source, *others = (tmp_path / name for name in names)
    recipe, change = Recipe().change_all([("light.cct_K", 4000.0), ("light.duv", 0.001)], label="Light")
    save_document(source, Document().with_version(Version().record(recipe, change)))
    code, out = run("give-light", source, *others, capsys=capsys)[:2]
    assert code == 0 and out.count("4000 K") == 2
    for path in others:
        document = load_document(path)
        assert document.recipe.light.cct_K == 4000.0 and document.version.undo().recipe == Recipe()
    code, out = run("give-light", source, *others, "--relative", capsys=capsys)[:2]
    kelvins = [load_document(path).recipe.light.cct_K for path in others]
    assert code == 0 and len(set(kelvins)) == 2, "each keeps its own difference"
    assert run("give-light", source, tmp_path / "nowhere.dng", capsys=capsys)[0] == 1


def test_linear_data_are_scene_linear_after_tones_scene_part(small_shoot, tmp_path):
    """Exposure, zones and haze are in them; the rendition, its ends and curves are not."""
    source, out = str(small_shoot / "CORVA_0011.dng"), str(tmp_path / "a.npy")

    def linear(*settings: str) -> np.ndarray:
        flags = [part for setting in settings for part in ("--set", setting)]
        assert main(["develop", source, "-o", out, "--linear", *flags]) == 0
        return np.load(out)

    plain = linear()
    np.testing.assert_allclose(linear("tone.exposure_EV=1"), 2.0 * plain, rtol=1e-5)
    lifted = linear("tone.zones_EV=1,1,1,1,1,1,1,1,1,1,1")
    assert np.median(lifted / np.maximum(plain, 1e-6)) == pytest.approx(2.0, rel=0.02)
    assert np.abs(linear("tone.haze_percent=60") - plain).mean() > 0.003
    same = linear("tone.rendition=strong", "tone.white_EV=1", "tone.curve.red=[[0,0.1],[1,1]]")
    np.testing.assert_array_equal(same, plain)


def test_a_look_is_laid_on_by_name_or_file(shoot, tmp_path, capsys):
    picture = str(next(iter(sorted(shoot.glob("*.dng")))))
    assert main(["recipe", "looks"]) == 0
    looks = json.loads(capsys.readouterr().out)
    assert len(looks) == 6
    own = tmp_path / "own.json"
    own.write_text(json.dumps({"look": 1, "name": "Grey", "recipe": {"colour": {"black_and_white": "on"}}}))
    seen = []
    for look in ([], ["--look", f"{looks[2]['name']}:150"], ["--look", str(own)]):
        out = tmp_path / f"{len(seen)}.png"
        assert main(["develop", picture, "-o", str(out), "--region", "100,100,60,40", *look]) == 0
        with Pillow.open(out) as made:
            seen.append(np.asarray(made).astype(float))
    assert np.abs(seen[1] - seen[0]).mean() > 0.5 and np.ptp(seen[2], axis=2).max() <= 257
    assert main(["recipe", "look-schema"]) == 0
    for wrong in ("No such look", f"{looks[0]['name']}:900", str(tmp_path / "none.json")):
        assert main(["develop", picture, "-o", str(tmp_path / "x.png"), "--look", wrong]) != 0


def test_frames_are_ranked_where_they_must_be_sharp(shoot, capsys):
    picture = next(shoot.glob("*.dng"))
    copy = picture.with_name("again.dng")
    shutil.copy(picture, copy)
    assert main(["burst", str(picture), str(copy), "--at", "300,240", "--json"]) == 0
    told = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert {each["picture"] for each in told} == {str(picture), str(copy)}
    assert all(each["detail"] > 0.98 and each["kind"] == "" for each in told)
    assert main(["burst", str(picture), str(copy), "--at", "300,240"]) == 0
    assert "sharpest there" in capsys.readouterr().out
    assert main(["burst", str(picture), "--at", "9999,1"]) == 2 and "lies outside" in capsys.readouterr().err
    assert main(["burst", str(picture), "--at", "nowhere"]) == 2


def test_checks_are_told_before_pictures_are_written(shoot, capsys):
    picture = next(shoot.glob("*.dng"))
    assert main(["check", str(picture), "--order", "screen"]) == 0
    assert picture.name in capsys.readouterr().out
    assert main(["check", str(picture), "--order", "screen", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["picture"] == str(picture) and all({"id", "claim", "fix"} <= set(each) for each in told["found"])
    assert main(["check", str(picture), "--order", "nothing"]) == 2


@pytest.mark.parametrize(
    "typed, says",
    [
        ("develp", "did you mean 'develop'?"), ("FIND", "did you mean 'find'?"), ("clustr", "did you mean 'cluster'?"),
        ("xyzzy", "commands are demo, develop"), ("nothing/like.it", "commands are demo, develop"),
    ],
)  # fmt: skip
def test_a_mistyped_command_opens_no_window(capsys, monkeypatch, typed, says):
    monkeypatch.setattr("matiz.ui.frame.app.run", lambda *_, **__: pytest.fail("a window was opened"))
    code, _, error = run(typed, "folder", capsys=capsys)
    assert code == 2 and "neither a command nor a file" in error and says in error


def test_what_a_file_is_called_never_steers_the_terminal(tmp_path, capsys):
    name = "a\x1b[31m\x07\u202e.dng"
    (tmp_path / name).write_bytes(b"no picture")
    code, out, error = run("find", tmp_path / name, capsys=capsys)
    assert code == 1 and r"\x1b[31m\x07\u202e" in error
    code, out, error = run("deliver", tmp_path, "--order", "screen", "-o", tmp_path / "out", capsys=capsys)
    assert code == 1 and not any(c in out + error for c in "\x1b\x07\u202e")


def test_names_that_are_no_characters_are_printed(tmp_path, capsys):
    (tmp_path / os.fsdecode(b"a\xff.dng")).write_bytes(b"no picture")
    code, out, _ = run("deliver", tmp_path, "--order", "screen", "-o", tmp_path / "out", capsys=capsys)
    assert code == 1 and r"a\udcff.dng" in out


def test_what_nobody_expected_is_in_the_log(tmp_path, monkeypatch):
    """With its traceback, whichever thread it ended."""
    script = (
        "import threading\n"
        "from matiz.system.logs import keep_log\n"
        "keep_log()\n"
        "def fail(): raise IndexError('on a thread \\x1b[31m')\n"
        "thread = threading.Thread(target=fail); thread.start(); thread.join()\n"
        "raise KeyError('in main')\n"
    )
    environment = {**os.environ, "XDG_STATE_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-P", "-c", script], capture_output=True, text=True, env=environment)
    logged = (tmp_path / "matiz" / "matiz.log").read_text()
    assert done.returncode == 1 and logged.count("Traceback") == 2
    assert "KeyError: 'in main'" in logged and "on a thread" in logged and "\x1b" not in logged
