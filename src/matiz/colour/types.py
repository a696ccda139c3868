"""Names for what an array holds, so that signatures say it."""

from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.floating[Any]]
"""Double precision unless it says otherwise: matrices, spectra, chromaticities."""
Image = NDArray[np.float32]
"""float32 (height, width, 3)."""

SceneLinear = Annotated[Image, "linear Rec.2020, D65; 0.18 is middle grey, 1 diffuse white"]
Camera = Annotated[Image, "camera values, black 0, white level 1, not balanced"]
Display = Annotated[Image, "display-linear, 0..1"]
Kelvin = Annotated[float, "K"]
Chromaticity = Annotated[Array, "CIE 1931 x, y"]
