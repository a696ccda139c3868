"""Write src/matiz/assets/colour/*.csv from the tables that colour-science carries.

Run by a developer, seldom: the files are committed. colour-science 0.4.7; the tables are the CIE's
(CIE 015:2018 and its data files) and the published spectra of a 24-patch test chart.
"""

import csv
import sys
from pathlib import Path

import numpy as np

import colour

FOLDER = Path(__file__).parents[1] / "src/matiz/assets/colour"
OBSERVER = "CIE 1931 2 Degree Standard Observer"
SPECTRA = ("A", "D65", "FL2", "FL4", "FL7", "FL11", "LED-B1", "LED-B3", "LED-B5", "LED-V1", "LED-RGB1", "HP1")
WAVELENGTHS_NM = np.arange(380, 731, 10)


def write(name: str, header: list[str], rows: list[list[float | str]]) -> None:
    with (FOLDER / name).open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(header)
        writer.writerows(rows)


def sampled(spectrum: colour.SpectralDistribution) -> np.ndarray:
    shape = colour.SpectralShape(380, 730, 10)
    return spectrum.copy().interpolate(colour.SpectralShape(380, 730, 1)).align(shape).values


def banded(spectrum: colour.SpectralDistribution) -> np.ndarray:
    """Means over triangles 10 nm to each side, so that narrow lamp lines are neither lost nor doubled."""
    fine = np.arange(370, 741)
    values = np.interp(fine, spectrum.wavelengths, spectrum.values, left=0.0)
    weights = 1.0 - np.abs(np.arange(-10, 11)) / 10.0
    smooth = np.convolve(values, weights / weights.sum(), mode="same")
    return smooth[np.searchsorted(fine, WAVELENGTHS_NM)]


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    observer = colour.MSDS_CMFS[OBSERVER]
    rows = [
        [int(nm), *map(repr, map(float, xyz))] for nm, xyz in zip(observer.wavelengths, observer.values, strict=True)
    ]
    write("observer.csv", ["nm", "x", "y", "z"], rows)

    basis = colour.colorimetry.SDS_BASIS_FUNCTIONS_CIE_ILLUMINANT_D_SERIES
    names = ("S0", "S1", "S2")
    columns = [sampled(basis[n]) for n in names]
    write(
        "daylight.csv",
        ["nm", *names],
        [[int(nm), *map(float, v)] for nm, *v in zip(WAVELENGTHS_NM, *columns, strict=True)],
    )

    xy = colour.CCS_ILLUMINANTS[OBSERVER]
    wanted = [
        "A",
        "D50",
        "D55",
        "D65",
        "D75",
        *(f"FL{i}" for i in range(1, 13)),
        "LED-B1",
        "LED-B2",
        "LED-B3",
        "LED-B4",
        "LED-B5",
        "LED-BH1",
        "LED-RGB1",
        "LED-V1",
        "LED-V2",
        "HP1",
    ]
    write("illuminants.csv", ["name", "x", "y"], [[n, float(xy[n][0]), float(xy[n][1])] for n in wanted])

    columns = [banded(colour.SDS_ILLUMINANTS[n]) for n in SPECTRA]
    write(
        "lights.csv",
        ["nm", *SPECTRA],
        [[int(nm), *(round(float(x), 5) for x in v)] for nm, *v in zip(WAVELENGTHS_NM, *columns, strict=True)],
    )

    chart = colour.SDS_COLOURCHECKERS["ISO 17321-1"]
    patches = list(chart)
    columns = [sampled(chart[p]) for p in patches]
    write(
        "chart24.csv",
        ["nm", *patches],
        [[int(nm), *(round(float(x), 5) for x in v)] for nm, *v in zip(WAVELENGTHS_NM, *columns, strict=True)],
    )


if __name__ == "__main__":
    sys.exit(main())
