"""Small pictures of what is decided, kept beside the shoot: one to a picture, named by the recipe that it shows."""

from io import BytesIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import FileError
from ..recipe.model import Recipe, plain_recipe
from ..system.files import write_whole
from ..system.own_files import make_own_folder

QUALITY = 88


def rendering_of(path: Path, recipe: Recipe) -> Path | None:
    """Where the small picture of a picture under a recipe lies, or would; None where nothing is decided."""
    if recipe.digest == plain_recipe(recipe.start).digest:
        return None
    return path.parent / ".matiz" / "tiles" / f"{path.name}.{recipe.digest.hex()[:16]}.jpg"


def keep_rendering(file: Path, screen: NDArray[np.uint8]) -> None:
    """Keep one, blue-green-red-255 (height, width, 4), in place of those of other recipes. Raises FileError."""
    shown = Image.fromarray(np.ascontiguousarray(screen[..., 2::-1]))
    try:
        make_own_folder(make_own_folder(file.parent.parent) / file.parent.name)
        data = BytesIO()  # written to a full disk by the library itself, a file may end early without an error
        shown.save(data, "JPEG", quality=QUALITY)
        write_whole(file, lambda temporary: _fill(temporary, data.getvalue()))
        name = file.name.rsplit(".", 2)[0]
        for other in file.parent.glob("*.jpg"):
            if other != file and other.name.rsplit(".", 2)[0] == name:
                other.unlink(missing_ok=True)
    except OSError as error:
        raise FileError(f"{file}: {error.strerror or error}") from error


def _fill(path: Path, data: bytes) -> None:
    path.write_bytes(data)
