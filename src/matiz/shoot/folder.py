"""The pictures of a folder."""

from pathlib import Path

from ..errors import FileError
from ..raw.decode import READABLE


def pictures_in(folder: Path) -> list[Path]:
    """Files that Matiz can read, by name; hidden files and folders are left out."""
    try:
        files = [p for p in folder.iterdir() if p.suffix.lower() in READABLE and not p.name.startswith(".")]
    except OSError as error:
        raise FileError(
            f"{folder}: cannot be opened as a shoot ({error.strerror}); choose a folder of pictures"
        ) from None
    return sorted((p for p in files if p.is_file()), key=lambda p: p.name.lower())


def gather(paths: list[Path]) -> list[Path]:
    """Pictures of files and folders given by hand, folders in their place, each once."""
    found: list[Path] = []
    for path in paths:
        if path.is_dir():
            found += pictures_in(path)
        elif path.is_file():
            found.append(path)
        else:
            raise FileError(f"{path}: there is no such file or folder")
    return list(dict.fromkeys(found))
