"""Matiz in Python, for scripts and notebooks: open a picture, change its recipe, measure, find, develop, deliver.

    >>> from matiz.api import open_picture
    >>> picture = open_picture("IMG_0001.dng")
    >>> brighter = picture.changed({"tone.exposure_EV": 0.5})
    >>> brighter.develop(long_side=300).shape
    (200, 300, 3)

A `Picture` never changes: `changed` gives another one with the same pixels behind it, and nothing is written before
`save` or `deliver` is called. docs/python.md has a worked example.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .colour.spaces import REC2020_TO_SRGB
from .deliver.orders import Order, order_for
from .deliver.write import deliver as write_delivery
from .deliver.write import resized
from .develop.graph.engine import CACHE_BYTES, Engine, full_picture
from .develop.graph.graph import fit_to
from .errors import ArgumentError
from .findings.find import find
from .findings.model import Finding
from .measure.picture import NAMES, Meter, PictureReading
from .measure.report import report
from .raw.frame import Frame
from .recipe.document import Document
from .recipe.given import given_by
from .recipe.model import Recipe
from .shoot.as_decided import as_decided
from .shoot.folder import pictures_in
from .shoot.said import words_of
from .shoot.sidecar import update_document

Settings = Mapping[str, Any]


def open_picture(path: str | Path, *, recipe: Recipe | None = None) -> "Picture":
    """Open a picture as it is decided.

    Parameters
    ----------
    path : file of the picture: any raw file that the decoder reads, JPEG, TIFF or PNG
    recipe : taken instead of what its sidecar decides

    Returns
    -------
    Picture

    Raises
    ------
    MatizError
        when the file or its sidecar cannot be read; the message says what to do.
    """
    decided = as_decided(Path(path), cache_bytes=CACHE_BYTES)
    return Picture(Path(path), decided.engine, Meter(decided.engine), recipe or decided.recipe, decided.document)


def open_folder(folder: str | Path) -> list[Path]:
    """The pictures of a folder, in the order of their names.

    Raises
    ------
    MatizError
        when there is no such folder.
    """
    return pictures_in(Path(folder))


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture under a recipe. Made by `open_picture` and by `changed`."""

    path: Path
    engine: Engine
    meter: Meter
    recipe: Recipe
    document: Document
    """What its sidecar held when it was opened."""

    @property
    def frame(self) -> Frame:
        """What the camera took: pixels, colour, exposure, lens."""
        return self.engine.frame

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the developed picture, px, with its crop."""
        return self.engine.size(self.recipe)

    def changed(self, settings: Settings) -> "Picture":
        """The picture with some values of the recipe changed.

        Parameters
        ----------
        settings : values by dotted path, as in a sidecar: ``{"tone.exposure_EV": 0.5}``

        Raises
        ------
        RecipeError
            for a path or a value that a recipe does not have; the message names the limits.

        Examples
        --------
        >>> picture.changed({"tone.exposure_EV": 0.5, "light.cct_K": 5200.0}).recipe.tone.exposure_EV
        0.5
        """
        return replace(self, recipe=self.recipe.change_all(list(settings.items()), label="script")[0])

    def develop(
        self, *, long_side: int | None = None, region: tuple[int, int, int, int] | None = None, linear: bool = False
    ) -> NDArray[np.float32]:
        """The developed picture, without the border and the sharpening of a delivery.

        Parameters
        ----------
        long_side : px; never enlarges. The full size when not given
        region : x, y, width, height in px of the developed full-size picture; not together with long_side
        linear : scene-linear Rec.2020 with the exposure applied, before the rendition, instead of display-linear sRGB

        Returns
        -------
        (height, width, 3) float32. Display-linear sRGB lies within 0..1; scene-linear values have no upper limit, and
        0.18 is middle grey.

        Raises
        ------
        ArgumentError
            for a region that does not lie within the picture, or one together with long_side.
        """
        if region is not None and long_side is not None:
            raise ArgumentError("develop: give region or long_side, not both")
        result = "scene" if linear else "rendered"
        recipe = self.recipe.in_force()
        if region is None:
            pixels = full_picture(self.engine, recipe, result=result)
        else:
            pixels = self.engine.render(recipe, 0, region, result=result)
        if linear:
            pixels = pixels * np.float32(2.0**recipe.tone.exposure_EV)
        if long_side is not None:
            height, width = pixels.shape[:2]
            pixels = resized(pixels, Order(long_side=long_side).size_of((width, height)))
        return np.asarray(pixels if linear else fit_to(pixels, recipe, REC2020_TO_SRGB), np.float32)

    def measure(self, names: Iterable[str] | None = None) -> PictureReading:
        """What the instruments read.

        Parameters
        ----------
        names : of readings, see `reading_names`; all when not given

        Returns
        -------
        PictureReading, with one attribute for each reading

        Examples
        --------
        >>> reading = picture.measure(["light", "tone"])
        >>> 2000.0 < reading.light.lights.found[0].value.cct_K < 20000.0
        True
        """
        wanted = list(NAMES if names is None else names)
        unknown = [name for name in wanted if name not in NAMES]
        if unknown:
            raise ArgumentError(f"measure: no reading is called {unknown[0]!r}; there are {', '.join(NAMES)}")
        return PictureReading(self.meter.read(self.recipe, wanted))

    def report(self) -> dict[str, Any]:
        """All readings as plain values, as ``matiz measure --json`` prints them."""
        return report(self.frame, self.size, self.meter.picture(self.recipe))

    def findings(self) -> list[Finding]:
        """What a careful colleague would notice, the finding whose fix changes the picture most first."""
        return find(self.engine, self.meter.picture(self.recipe), self.recipe)

    def fixed(self, finding: Finding) -> "Picture":
        """The picture with a finding's fix.

        Raises
        ------
        ArgumentError
            for a finding without a fix.
        """
        if not finding.has_fix:
            raise ArgumentError(f"{finding.id}: there is nothing that would fix it by itself")
        return self.changed(dict(finding.settings(self.recipe)))

    def save(self, label: str = "Script") -> None:
        """Write the recipe into the sidecar, as one step that can be undone in the window.

        Raises
        ------
        MatizError
            when the sidecar cannot be written.
        """
        recipe = self.recipe

        def change(document: Document) -> Document:
            return document.change_all(given_by(recipe, document.recipe), label=label)[0]

        update_document(self.path, self.frame.start, change)

    def deliver(self, out: str | Path, *, order: Order | None = None) -> Path:
        """Write the picture as a file.

        Parameters
        ----------
        out : by its suffix .jpg, .tif, .png, .webp, .avif, .jxl or .exr, when no order is given
        order : size, colour space, sharpening, quality; see `matiz.deliver.orders`

        Returns
        -------
        Path of the file

        Raises
        ------
        MatizError
            when it cannot be written; a file that Matiz did not write is never replaced.
        """
        order = order_for(Path(out)) if order is None else order
        return write_delivery(self.engine, self.recipe, order, Path(out), said=words_of(self.document))


def reading_names() -> tuple[str, ...]:
    """The names of all readings, for `Picture.measure`."""
    return NAMES
