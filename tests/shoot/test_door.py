"""The one door for sidecars, and the log: what others may have written, and names that are no characters."""

import json
import os

import pytest

from matiz.errors import FormatError
from matiz.recipe.document import Document
from matiz.shoot.desk import Desk
from matiz.shoot.log import Log
from matiz.shoot.sidecar import load_document, save_document, sidecar_path

EXPOSURE = "tone.exposure_EV"


def _document(label: str = "x") -> Document:
    return Document().change_all([(EXPOSURE, 0.5)], label=label)[0]


@pytest.mark.parametrize(
    "text",
    [
        "[" * 100_000,
        '{"versions": {"a": {"recipe": {"tone": {"exposure_EV": ' + "9" * 5000 + "}}}}}",
        '{"versions": 7}',
        '{"versions": {"a": null}}',
        '{"versions": {"a": {"recipe": {}, "history": {"position": 1e400}}}}',
        "null",
        "",
        "\x00",
    ],
)
def test_a_malformed_sidecar_is_one_message_and_is_kept(tmp_path, text):
    for name in ("a.dng", "b.dng"):
        (tmp_path / name).write_bytes(b"x")
    sidecar_path(tmp_path / "a.dng").write_text(text)
    said: list[str] = []
    desk = Desk(said.append)
    desk.open([tmp_path])
    for _ in range(3):
        assert desk.document(tmp_path / "a.dng") is None
        assert desk.record(tmp_path / "a.dng", [(EXPOSURE, 1.0)], "x") is None
    assert desk.record(tmp_path / "b.dng", [(EXPOSURE, 1.0)], "x")
    assert desk.save() == []
    desk.close_log()
    assert len(said) == 1 and "a.dng.matiz.json" in said[0]
    assert sidecar_path(tmp_path / "a.dng").read_text() == text


def test_half_a_character_goes_out_as_it_came_in(tmp_path):
    picture = tmp_path / "a.dng"
    picture.write_bytes(b"x")
    data = _document("half \ud800").to_json()
    sidecar_path(picture).write_text(json.dumps(data))
    document = load_document(picture)
    save_document(picture, document)
    assert load_document(picture) == document
    assert document.version.history.changes[0].label == "half \ud800"
    log = Log(tmp_path)
    assert [event.kind for event in log.events()] == ["change"], "the log is rebuilt with it"
    log.close()


def test_what_is_no_file_does_not_block(tmp_path):
    os.mkfifo(sidecar_path(tmp_path / "a.dng"))
    sidecar_path(tmp_path / "b.dng").mkdir()
    for name in ("a.dng", "b.dng"):
        with pytest.raises(FormatError, match="regular file"):
            load_document(tmp_path / name)


def test_a_name_that_is_no_characters_is_edited_and_logged(tmp_path):
    picture = tmp_path / os.fsdecode(b"a\xff.dng")
    picture.write_bytes(b"x")
    said: list[str] = []
    desk = Desk(said.append)
    desk.open([tmp_path])
    assert desk.record(picture, [(EXPOSURE, 1.0)], "x") and desk.save() == []
    desk.close_log()
    log = Log(tmp_path)
    assert len(log.events(picture.name)) == 1 and not said
    log.close()
    assert load_document(picture).recipe.tone.exposure_EV == 1.0
