"""The simulated camera itself is under test: its frames are made whenever they are asked for."""

import pytest

from tests.conftest import simulate


@pytest.fixture(autouse=True, scope="package")
def made_anew(frames_shared):
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(simulate, "folder", None)
        yield
