"""Published tables that ship with Matiz: observer, daylight, lamps, the 24-patch chart.

Source: CIE 015:2018 and its data files, the chart's published reflectances, as carried by
colour-science 0.4.7 (tools/make_colour_data.py wrote the files).
"""

import csv
from functools import cache

import numpy as np

from ..assets import FOLDER
from .types import Array

WAVELENGTHS_NM = np.arange(380, 731, 10)
"""Where every spectrum of Matiz is sampled: 36 bands."""


@cache
def table(name: str) -> dict[str, Array]:
    """Columns of a table by their heading; "illuminants" maps a name to (x, y)."""
    with (FOLDER / "colour" / f"{name}.csv").open(newline="") as file:
        header, *rows = csv.reader(file)
    if header[0] == "name":
        return {row[0]: np.array(row[1:], dtype=np.float64) for row in rows}
    columns = np.array(rows, dtype=np.float64).T
    return dict(zip(header, columns, strict=True))


@cache
def observer() -> tuple[Array, Array]:
    """Wavelengths in nm (n,) and the CIE 1931 2 degree observer (n, 3), every nanometre."""
    columns = table("observer")
    return columns["nm"], np.stack([columns[k] for k in "xyz"], axis=1)


@cache
def observer_bands() -> Array:
    """The observer at WAVELENGTHS_NM, (36, 3)."""
    nm, values = observer()
    return np.stack([np.interp(WAVELENGTHS_NM, nm, v) for v in values.T], axis=1)
