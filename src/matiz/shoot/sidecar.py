"""The sidecar: NAME.EXT.matiz.json beside the picture, all versions and their histories."""

import json
from pathlib import Path

from ..errors import FileError, FormatError, RecipeError
from ..files import write_whole
from ..recipe.document import Document

SUFFIX = ".matiz.json"
MOST_BYTES = 64 * 2**20


def sidecar_path(picture: Path) -> Path:
    return picture.with_name(picture.name + SUFFIX)


def load_document(picture: Path) -> Document:
    """The document of a picture; a fresh one when it has no sidecar.

    Raises FormatError for a sidecar that cannot be read, which is then left as it is.
    """
    path = sidecar_path(picture)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FormatError(f"{path.name}: too large to be a sidecar")
        return Document.from_json(json.loads(path.read_text(encoding="utf-8")))
    except FileNotFoundError:
        return Document()
    except (json.JSONDecodeError, UnicodeDecodeError, RecipeError) as error:
        raise FormatError(f"{path.name}: cannot be read ({error}); mend it or move it away") from None
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{path}: {error.strerror}") from None


def save_document(picture: Path, document: Document) -> None:
    text = json.dumps(document.to_json(), indent=1, ensure_ascii=False)

    def write(path: Path) -> None:
        path.write_text(text + "\n", encoding="utf-8")

    write_whole(sidecar_path(picture), write)
