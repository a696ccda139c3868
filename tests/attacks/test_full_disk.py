"""A small sample of full disks; more of it is ``python -m tests.attacks.full_disk``."""

import pytest

from .full_disk import NoMount, attack, small_disk


@pytest.mark.parametrize("kind", ["tmpfs", "ext4"])
def test_every_writer_leaves_the_old_file_or_the_new_one(kind, qapp, monkeypatch):
    try:
        with small_disk(kind) as disk:
            monkeypatch.setenv("XDG_STATE_HOME", str(disk / "state"))
            assert attack(disk, 3 if kind == "tmpfs" else 1, 5) == []
    except NoMount as reason:
        pytest.skip(f"no small file system can be mounted here: {reason}")
