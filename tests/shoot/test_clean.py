"""A shoot cleaned at once: dust that two views show at the same place is healed in both, as one step each."""

import numpy as np
import pytest

from matiz.cli import main
from matiz.errors import FileError
from matiz.raw.dng import write_dng
from matiz.shoot.clean import clean
from matiz.shoot.sidecar import load_document, sidecar_path
from matiz_simcam.shoot import DEMO_SHOTS, simulate


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("shoot")
    for name in ("CORVA_0015", "CORVA_0033"):
        shot = next(s for s in DEMO_SHOTS if s.name.startswith(name))
        frame = simulate(shot.scene, (1500, 1000), shot.settings, view=shot.view)
        write_dng(frame, made / f"{name}.dng", np.zeros((8, 12, 3), np.uint8))
    (made / "broken.dng").write_bytes(b"no picture")
    return made


def test_proven_dust_is_healed_in_every_sidecar(folder, capsys):
    assert main(["clean", str(folder), "--dry"]) == 0
    told = capsys.readouterr()
    assert "would be healed" in told.out and "left alone: broken.dng" in told.err
    assert not list(folder.glob("*.json")), "dry writes nothing"
    assert main(["clean", str(folder)]) == 0
    assert "2 frames" in capsys.readouterr().out
    for name in ("CORVA_0015.dng", "CORVA_0033.dng"):
        document = load_document(folder / name)
        repairs = list(document.recipe.mend.repairs.values())
        # the speck of the simulated sensor at 0.312, 0.071 of its width
        assert any(np.hypot(item.path[0][0] - 0.312, item.path[0][1] - 0.071) < 0.003 for item in repairs)
        assert len(document.version.history.changes) == 1
        assert all((item.dx, item.dy) != (0.0, 0.0) for item in repairs)
    assert not sidecar_path(folder / "broken.dng").exists()
    assert [count for _, count, _ in clean(folder, print)] == [0, 0], "nothing is healed twice"


def test_a_folder_that_is_not_there(tmp_path):
    with pytest.raises(FileError):
        list(clean(tmp_path / "nothing", print))
