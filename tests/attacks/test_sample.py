"""A small sample of the campaign of attacks; all of it is ``./dev attack``."""

import contextlib

import pytest

from .campaign import MOST_MB, Campaign, memory_MB
from .damage import FILES, TEXTS, damaged, damaged_text, good_files, good_texts
from .fuzz import NAMES
from .targets import ALLOWED, targets


@pytest.fixture(scope="module")
def campaign(tmp_path_factory):
    made = Campaign(tmp_path_factory.mktemp("attacks"))
    yield made
    made.end()


@pytest.mark.parametrize("kind, count", [*((kind, 60) for kind in FILES), *((kind, 150) for kind in TEXTS)])
def test_a_damaged_file_is_read_or_refused(campaign, kind, count):
    before = memory_MB()
    tally = campaign.run(kind, count, 7)
    assert not tally.falls
    assert tally.outcomes["refused"] and sum(tally.outcomes.values()) == count
    assert len(tally.outcomes) > 1, "none was read: the damage is too coarse to try anything"
    assert memory_MB() - before < MOST_MB


def test_the_same_seed_makes_the_same_damage(tmp_path):
    files, texts = good_files(tmp_path), good_texts()
    for kind in FILES:
        assert damaged(files[kind], 5) == damaged(files[kind], 5) != damaged(files[kind], 6)
    for kind in TEXTS:
        assert damaged_text(texts[kind], 5) == damaged_text(texts[kind], 5)


@pytest.mark.parametrize("name", NAMES)
def test_a_parser_refuses_or_reads_whatever_it_gets(name):
    """A sample; `python -m tests.attacks.fuzz` looks for more, guided by what it reaches."""
    target = targets()[name]
    for seed in target.seeds:
        target.run(seed)
        for n in range(80):
            with contextlib.suppress(*ALLOWED):
                target.run(damaged(seed, n) if n % 2 or name == "xmp" else damaged_text(seed.decode(), n))


def test_the_fuzzer_and_its_targets_name_the_same():
    assert set(NAMES) == set(targets())
