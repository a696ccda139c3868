"""A picture as a paper will show it, through the paper's profile and an intent."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..assets import FOLDER
from ..colour.difference import delta_E_2000
from ..colour.outputs import SPACES
from ..colour.spaces import decode_sRGB, encode_sRGB, sRGB_to_Lab

PAPERS = {name: FOLDER / "papers" / f"{name}.icc" for name in ("matte", "glossy")}
"""Papers that ship, by name; nobody makes them."""
STEPS = 33
"""Of the table of screen colours."""
SEEN_dE = 5.0
"""ΔE00 that is plain to see. Common practice, no source."""
SAMPLE = 20_000

Screen = NDArray[np.uint8]


@dataclass(frozen=True)
class Paper:
    """A paper and the way onto it."""

    profile: Path
    intent: str = "relative"
    black_point: bool = True


@dataclass(frozen=True)
class PaperReading:
    """What becomes of a picture on a paper, the eye used to its white."""

    median_dE: float
    """ΔE00 between screen and paper."""
    high_dE: float
    """That a twentieth of the picture exceeds."""
    seen: float
    """Share of the picture, 0..1, that moves by SEEN_dE or more."""
    black_L: float
    """L* of the darkest that the paper can show."""


@lru_cache(maxsize=16)
def table_of(paper: Paper, *, with_white: bool) -> Any:
    """What each colour of the screen becomes. FileError or FormatError when the profile cannot be used."""
    # few look at paper, and every start would wait for what reads profiles
    from PIL import ImageFilter

    from .profiles import through_paper

    line = decode_sRGB(np.linspace(0.0, 1.0, STEPS))
    # red varies fastest, as the table has it
    b, g, r = np.meshgrid(line, line, line, indexing="ij")
    inverse = np.linalg.inv(SPACES["sRGB"].from_rec2020())
    rec2020 = np.stack([r, g, b], axis=-1).reshape(STEPS * STEPS, STEPS, 3) @ inverse.T
    shown = (
        through_paper(rec2020, paper.profile, paper.intent, black_point=paper.black_point, with_white=with_white)
        @ SPACES["sRGB"].from_rec2020().T
    )
    codes = encode_sRGB(np.clip(shown, 0.0, 1.0))
    return ImageFilter.Color3DLUT(STEPS, codes.reshape(-1).tolist())


def on_paper(screen: Screen, paper: Paper, *, with_white: bool) -> Screen:
    """sRGB-encoded pixels (height, width, 3), red first, as the paper shows them; colours that a screen cannot show
    are drawn in."""
    from PIL import Image

    table = table_of(paper, with_white=with_white)
    return np.asarray(Image.fromarray(np.ascontiguousarray(screen)).filter(table))


def read_paper(screen: Screen, paper: Paper) -> PaperReading:
    """Of sRGB-encoded pixels (height, width, 3), red first."""
    pixels = screen.reshape(-1, 3)
    pixels = pixels[:: max(1, len(pixels) // SAMPLE)]
    before, after = (sRGB_to_Lab(decode_sRGB(each / 255.0))
                     for each in (pixels, on_paper(pixels[None], paper, with_white=False)[0]))  # fmt: skip
    moved = delta_E_2000(before, after)
    black = on_paper(np.zeros((1, 1, 3), np.uint8), paper, with_white=False)
    return PaperReading(
        float(np.median(moved)), float(np.quantile(moved, 0.95)), float((moved >= SEEN_dE).mean()),
        float(sRGB_to_Lab(decode_sRGB(black[0, 0] / 255.0))[0]),
    )  # fmt: skip
