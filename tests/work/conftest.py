"""Work without a window: a plain loop, run by hand."""

import pytest

from matiz.work import loop


@pytest.fixture
def plain_loop(monkeypatch):
    """The loop of this test alone."""
    made = loop.PlainLoop()
    monkeypatch.setattr(loop._Current, "loop", made)
    return made
