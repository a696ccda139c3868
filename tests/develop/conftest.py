"""The small pictures of these tests are cut into tiles as large ones are."""

import pytest


@pytest.fixture(autouse=True, scope="package")
def small_pictures_in_tiles():
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("matiz.develop.frame.tiles.WHOLE_PX", 0)
        yield
