"""Words that say which pictures are shown."""

from pathlib import Path

import pytest

from matiz.raw.frame import Exposure
from matiz.recipe.document import Document
from matiz.shoot.choosing import Seen, chosen


def seen(name, exposure=None, kind="", is_merged=False, **document):
    return Seen(Path(f"a_{name}.dng"), Document(**document), exposure, kind, is_merged)


PICTURES = (
    seen("0011", Exposure(iso=100, focal_mm=24.0, lens="Wide 24"), sorted_as="keep", rank=4),
    seen("0031", Exposure(iso=1600, focal_mm=400.0, lens="Long 400"), "burst", sorted_as="drop"),
    seen("0032", Exposure(iso=3200, focal_mm=400.2), "burst", rank=2, caption="Lizard on a rock"),
    seen("0021", None, "bracket", rank=5, keywords=("Salt", "dawn")),
    seen("0021-bracket", Exposure(iso=100), is_merged=True, sorted_as="hold"),
    seen("0041", Exposure(), "focus pair"),
)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("", "0011 0031 0032 0021 0021-bracket 0041"),
        ("keep", "0011"),
        ("Keep", "0011"),
        ("undecided", "0032 0021 0041"),
        ("-drop", "0011 0032 0021 0021-bracket 0041"),
        ("rank2", "0032"),
        ("rank3+", "0011 0021"),
        ("rank2-", "0031 0032 0021-bracket 0041"),
        ("iso1600+", "0031 0032"),
        ("ISO100", "0011 0021-bracket"),
        ("-iso100", "0031 0032 0021 0041"),
        ("mm400", "0031 0032"),
        ("mm100-", "0011"),
        ("burst", "0031 0032"),
        ("set -burst", "0021 0041"),
        ("pair", "0041"),
        ("alone", "0011 0021-bracket"),
        ("merged", "0021-bracket"),
        ("burst undecided", "0032"),
        ("lizard", "0032"),
        ("salt", "0021"),
        ("long", "0031"),
        ("0021", "0021 0021-bracket"),
        ("keep drop", ""),
        ("-", "0021-bracket"),
        ("rank", ""),
    ],
)
def test_every_word_is_met(text, expected):
    assert [path.stem.removeprefix("a_") for path in chosen(text, PICTURES)] == expected.split()
