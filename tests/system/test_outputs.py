"""What is written where the user says never takes the place of what Matiz did not write as that kind of thing."""

import pytest

from matiz.deliver.orders import Order, free_name, named
from matiz.deliver.write import deliver
from matiz.develop.graph.engine import Engine
from matiz.recipe.model import Recipe
from matiz.system.files import TakenError
from matiz.system.outputs import was_written, write_output, write_text_output
from matiz_simcam.camera import Settings, expose
from matiz_simcam.targets import grey


def test_what_was_written_is_replaced_and_nothing_else(tmp_path):
    path = tmp_path / "log.md"
    write_text_output(path, "one", "log")
    write_text_output(path, "two", "log")
    assert path.read_text() == "two" and was_written(path, "log")
    with pytest.raises(TakenError, match="did not write it as a mask"):
        write_text_output(path, "three", "mask")
    path.write_text("edited by the user")
    with pytest.raises(TakenError):
        write_text_output(path, "three", "log")
    assert path.read_text() == "edited by the user"
    path.unlink()
    write_text_output(path, "four", "log")
    assert path.read_text() == "four"


def test_a_copy_of_what_was_written_is_not_known(tmp_path):
    write_text_output(tmp_path / "a.md", "one", "log")
    (tmp_path / "b.md").write_bytes((tmp_path / "a.md").read_bytes())
    with pytest.raises(TakenError):
        write_text_output(tmp_path / "b.md", "two", "log")


@pytest.mark.parametrize("target", ["elsewhere", "nowhere"])
def test_links_are_not_followed(tmp_path, target):
    (tmp_path / "elsewhere").write_text("mine")
    (tmp_path / "log.md").symlink_to(tmp_path / target)
    with pytest.raises(TakenError, match="a link"):
        write_text_output(tmp_path / "log.md", "x", "log")
    assert (tmp_path / "elsewhere").read_text() == "mine" and not (tmp_path / "nowhere").exists()


def test_without_a_state_folder_it_is_written_once(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    write_text_output(tmp_path / "a.md", "one", "log")
    with pytest.raises(TakenError):
        write_text_output(tmp_path / "a.md", "two", "log")
    assert (tmp_path / "a.md").read_text() == "one"


def test_what_fails_in_the_middle_leaves_what_was_there(tmp_path):
    write_text_output(tmp_path / "a.md", "one", "log")

    def fail(part):
        part.write_text("half")
        raise OSError(28, "No space left on device")

    with pytest.raises(OSError, match="No space left"):
        write_output(tmp_path / "a.md", fail, "log")
    assert (tmp_path / "a.md").read_text() == "one" and [path.name for path in tmp_path.iterdir()] == ["a.md"]


@pytest.fixture(scope="module")
def engine(tmp_path_factory):
    made = expose(grey((60, 40)), Settings())
    return Engine(made)


def test_a_link_that_leads_nowhere_takes_its_name(engine, tmp_path):
    """It was encoded 159 times without end: free to ask, taken to write."""
    for name in ("a.jpg", "a-2.jpg"):
        (tmp_path / name).symlink_to(tmp_path / "nowhere")
    assert free_name(tmp_path, "a", Order()) == tmp_path / "a-3.jpg"
    made = deliver(engine, Recipe(), Order(), tmp_path / "a.jpg", taken="rename")
    assert made.name not in ("a.jpg", "a-2.jpg") and made.is_file() and not (tmp_path / "nowhere").exists()


def test_a_name_that_is_taken_again_and_again_is_given_up(engine, tmp_path, monkeypatch):
    (tmp_path / "a.jpg").write_bytes(b"")
    tries = []
    monkeypatch.setattr("matiz.deliver.write.free_name", lambda *_: (tries.append(1), tmp_path / "a.jpg")[1])
    with pytest.raises(TakenError):
        deliver(engine, Recipe(), Order("JPEG", quality=50), tmp_path / "a.jpg", taken="rename")
    assert len(tries) <= 100


@pytest.mark.parametrize(
    "name", ["ä" * 200, "\U0001f3d4" * 80, "日本" * 100, "a" * 400, "\x1b[31mred\x07", "x\u202eexe.gpj"]
)
def test_names_have_room_for_a_suffix_in_bytes_and_no_control_characters(name, tmp_path):
    made = named("{name}", {"name": name})
    assert len(made.encode()) <= 200 and made.isprintable()
    (tmp_path / f"{made}-999.jpg.matiz.json").write_bytes(b"")
