"""What a user reads: listed whole, and in words that nobody stumbles on."""

import re

import pytest
from tools.texts import OUT, pages

STUMBLED_ON = (
    r"\btold by\b", r"\btaken (away|back)\b", r"\bsay no more\b", r"\bhow much it has to say\b",
    r"\bnewest arithmetic\b",
    r"\blying or standing\b", r"\bas the noise wants\b", r"\bdrawn in\b", r"\bis meant\b", r"\bfollowed no more\b",
    r"\bas decided\b", r"\bleave the \{\} out\b", r"\bsmeared?\b", r"\bto the edge within\b", r"\bfound by itself\b",
)  # fmt: skip
"""Phrases that native speakers did not understand at one reading."""


def test_the_lists_of_texts_are_those_of_the_source():
    """`python -m tools.texts` writes them anew."""
    assert {path.name: path.read_text() for path in OUT.glob("*.md")} == pages()


@pytest.mark.parametrize("phrase", STUMBLED_ON)
def test_no_text_has_a_phrase_that_was_stumbled_on(phrase):
    lines = [line for page in pages().values() for line in page.splitlines() if line.startswith("- ")]
    assert not [line for line in lines if re.search(phrase, line, re.IGNORECASE)]
