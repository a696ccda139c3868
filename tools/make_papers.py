"""Write src/matiz/assets/papers/*.icc: colour profiles of two papers that nobody makes.

Run by a developer, seldom, from the project's folder: ``python tools/make_papers.py``. The files are committed.

A printer's driver takes RGB. Its inks are four: their overprints on each paper are made up here, of the order of what
pigment inks do on such papers (from memory, no source). Between the overprints colours follow Neugebauer (1937) with
the factor of Yule and Nielsen (1951); the driver's curves make greys of equal RGB neutral and even in L*.

Written as ICC.1:2001-04 (version 2.4), output class: lut16Type for the colorimetric and the perceptual intent.
"""

import struct
import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from scipy.optimize import least_squares
from scipy.spatial import cKDTree

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from matiz.colour.spaces import D50_XY, XYZ_to_Lab, xy_to_XYZ

FOLDER = Path(__file__).parents[1] / "src/matiz/assets/papers"
D50 = np.asarray(xy_to_XYZ(D50_XY))
YULE_NIELSEN = 2.0
GREYS, DEVICE, LAB, CURVE = 33, 17, 33, 257
"""Steps of the driver's curves, of the tables from and to RGB, and of the curves before these."""
CALM, STEP = 1e-3, 0.01
PERCEPTUAL_CHROMA = 0.93


@dataclass(frozen=True)
class Paper:
    """L*, a*, b* under D50 of the bare paper and of inks laid over each other in full."""

    name: str
    white: tuple[float, float, float]
    c: tuple[float, float, float]
    m: tuple[float, float, float]
    y: tuple[float, float, float]
    my: tuple[float, float, float]
    cy: tuple[float, float, float]
    cm: tuple[float, float, float]
    black: tuple[float, float, float]


PAPERS = {
    "matte": Paper("Matiz matte paper", (96.0, 0.6, 1.4), (58.0, -28.0, -44.0), (54.0, 62.0, -4.0), (89.0, -5.0, 82.0),
                   (54.0, 57.0, 34.0), (53.0, -48.0, 20.0), (36.0, 12.0, -36.0), (17.0, 0.4, 0.6)),
    "glossy": Paper("Matiz glossy paper", (95.0, 0.2, -2.4), (56.0, -36.0, -52.0), (48.0, 76.0, -8.0),
                    (90.0, -6.0, 104.0), (47.0, 70.0, 54.0), (49.0, -70.0, 32.0), (24.0, 26.0, -58.0),
                    (4.0, 0.2, -0.4)),
}  # fmt: skip


def Lab_to_XYZ(Lab: np.ndarray) -> np.ndarray:
    """Relative to D50."""
    f = (Lab[..., :1] + 16.0) / 116.0 + Lab[..., 1:2] * [0.002, 0.0, 0.0] - Lab[..., 2:] * [0.0, 0.0, 0.005]
    return np.where(f > 6.0 / 29.0, f**3, 3.0 * (6.0 / 29.0) ** 2 * (f - 4.0 / 29.0)) * D50


class Print:
    """What a paper shows of a driver's RGB, Lab relative to its own white."""

    def __init__(self, paper: Paper) -> None:
        corners = [paper.white, paper.c, paper.m, paper.cm, paper.y, paper.cy, paper.my, paper.black]
        self._roots = Lab_to_XYZ(np.array(corners)) ** (1.0 / YULE_NIELSEN)
        self.white_XYZ = Lab_to_XYZ(np.array(paper.white))
        self._curves = self._balanced()

    def of_inks(self, inks: np.ndarray) -> np.ndarray:
        """inks: covered shares (n, 3) of cyan, magenta and yellow."""
        c, m, y = inks.T
        shares = [kc * km * ky for ky in (1 - y, y) for km in (1 - m, m) for kc in (1 - c, c)]
        XYZ = (np.stack(shares, axis=1) @ self._roots) ** YULE_NIELSEN
        return np.asarray(XYZ_to_Lab(XYZ / self.white_XYZ * D50, D50))

    def of_rgb(self, rgb: np.ndarray) -> np.ndarray:
        grid = np.linspace(0.0, 1.0, GREYS)
        return self.of_inks(np.stack([np.interp(rgb[:, n], grid, self._curves[:, n]) for n in range(3)], axis=1))

    def _balanced(self) -> np.ndarray:
        """Shares of ink of equal RGB 0..1, (GREYS, 3)."""
        black = self.of_inks(np.ones((1, 3)))[0]
        out, start = np.zeros((GREYS, 3)), np.zeros(3)
        for n, t in enumerate(np.linspace(1.0, 0.0, GREYS)):
            # the black of all inks need not be neutral: what is missing fades toward it
            wanted = np.array([black[0] + t * (100.0 - black[0]), *(black[1:] * (1.0 - t) ** 4)])
            found = least_squares(
                lambda inks, w=wanted: self.of_inks(inks[None])[0] - w, start, bounds=(-1e-9, 1.0 + 1e-9)
            )
            start = np.clip(found.x, 0.0, 1.0)
            out[GREYS - 1 - n] = start
        out[0], out[-1] = 1.0, 0.0
        return np.minimum.accumulate(out, axis=0)


def inverse(printed: Print, wanted: np.ndarray) -> np.ndarray:
    """RGB (n, 3) whose print comes nearest to Lab (n, 3)."""
    steps = np.linspace(0.0, 1.0, 49)
    every = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    # a hue that turns is seen sooner than chroma that is lost, and lightness sooner than either
    weights = np.array([1.4, 1.0, 1.0])
    rgb = every[cKDTree(printed.of_rgb(every) * weights).query(wanted * weights)[1]]
    for _ in range(6):
        now = printed.of_rgb(rgb)
        sides = ([printed.of_rgb(np.clip(rgb + sign * step, 0, 1)) for sign in (1, -1)] for step in STEP * np.eye(3))
        turned = np.stack([(up - down) / (2.0 * STEP) for up, down in sides], axis=-1) * weights[:, None]
        miss = ((wanted - now) * weights)[..., None]
        steps_rgb = np.linalg.solve(
            turned.transpose(0, 2, 1) @ turned + CALM * np.eye(3), turned.transpose(0, 2, 1) @ miss
        )
        tried = np.clip(rgb + 0.7 * steps_rgb[..., 0], 0.0, 1.0)
        better = (((printed.of_rgb(tried) - wanted) * weights) ** 2).sum(1) < (((now - wanted) * weights) ** 2).sum(1)
        rgb = np.where(better[:, None], tried, rgb)
    return rgb


def lut16(table: np.ndarray, *, of_Lab: bool) -> bytes:
    """A table (steps, steps, steps, 3) of 0..1. ICC.1:2001-04 6.5.7. of_Lab: its last step of L* is 100, not what the
    16 bits could hold, so that white is exactly white."""
    head = b"mft2" + bytes(4) + struct.pack(">BBBx", 3, 3, table.shape[0])
    matrix = struct.pack(">9i", *(np.eye(3, dtype=int).ravel() * 65_536))
    straight = np.linspace(0.0, 1.0, CURVE)
    first = np.minimum(straight * 65_535.0 / 65_280.0, 1.0) if of_Lab else straight
    before = b"".join(_codes(curve) for curve in (first, straight, straight))
    return head + matrix + struct.pack(">HH", CURVE, 2) + before + _codes(table) + _codes(np.array([0.0, 1.0] * 3))


def _codes(values: np.ndarray) -> bytes:
    return np.rint(values * 65_535.0).astype(">u2").tobytes()


def in_codes(Lab: np.ndarray) -> np.ndarray:
    """Lab as 0..1 of version 2's 16 bits, where 100 and 255 are 65,280."""
    codes = np.stack(
        [Lab[..., 0] / 100.0 * 65_280.0, (Lab[..., 1] + 128.0) * 256.0, (Lab[..., 2] + 128.0) * 256.0], axis=-1
    )
    return np.clip(codes / 65_535.0, 0.0, 1.0)


def grid(steps: int) -> np.ndarray:
    t = np.linspace(0.0, 1.0, steps)
    return np.stack(np.meshgrid(t, t, t, indexing="ij"), axis=-1).reshape(-1, 3)


def profile(paper: Paper) -> bytes:
    printed = Print(paper)
    black_L = float(printed.of_rgb(np.zeros((1, 3)))[0, 0])
    from_rgb = printed.of_rgb(grid(DEVICE))
    lab = grid(LAB) * [100.0, 65_535.0 / 256.0, 65_535.0 / 256.0] - [0.0, 128.0, 128.0]
    to_rgb = inverse(printed, lab)
    # perceptual: black onto the paper's black, and a little less chroma, so that less is cut
    squeezed = lab * [(100.0 - black_L) / 100.0, PERCEPTUAL_CHROMA, PERCEPTUAL_CHROMA] + [black_L, 0.0, 0.0]
    stretched = (from_rgb - [black_L, 0.0, 0.0]) / [(100.0 - black_L) / 100.0, PERCEPTUAL_CHROMA, PERCEPTUAL_CHROMA]

    def cube(values: np.ndarray, steps: int) -> np.ndarray:
        return values.reshape(steps, steps, steps, 3)

    tags = {
        b"desc": _desc(paper.name),
        b"cprt": b"text" + bytes(4) + b"No rights reserved\0",
        b"wtpt": b"XYZ " + bytes(4) + _fixed(printed.white_XYZ),
        b"A2B0": lut16(cube(in_codes(stretched), DEVICE), of_Lab=False),
        b"A2B1": lut16(cube(in_codes(from_rgb), DEVICE), of_Lab=False),
        b"B2A0": lut16(cube(inverse(printed, squeezed), LAB), of_Lab=True),
        b"B2A1": lut16(cube(to_rgb, LAB), of_Lab=True),
    }
    offset = 128 + 4 + 12 * len(tags)
    table, body = struct.pack(">I", len(tags)), b""
    for name, data in tags.items():
        table += struct.pack(">4sII", name, offset + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = struct.pack(
        ">I4sI4s4s4s6H4s4sIIIQI12s", 128 + len(table) + len(body), bytes(4), 0x02400000, b"prtr", b"RGB ", b"Lab ",
        2026, 1, 1, 0, 0, 0, b"acsp", bytes(4), 0, 0, 0, 0, 0, _fixed(D50),
    )  # fmt: skip
    return head + bytes(128 - len(head)) + table + body


def _desc(text: str) -> bytes:
    data = text.encode("ascii") + b"\0"
    return b"desc" + bytes(4) + struct.pack(">I", len(data)) + data + bytes(4 + 4 + 2 + 1 + 67)


def _fixed(values: np.ndarray) -> bytes:
    return b"".join(struct.pack(">i", round(float(value) * 65_536.0)) for value in values)


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, paper in PAPERS.items():
        (FOLDER / f"{name}.icc").write_bytes(profile(paper))


if __name__ == "__main__":
    main()
