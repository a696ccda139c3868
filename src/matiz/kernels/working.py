"""Camera values to the working space, with clipped channels rebuilt from the others."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel

CLIP_START = 0.96
"""Share of the white level where a channel begins to count as clipped: white levels are
seldom exact, and a soft start leaves no edge."""


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import image, row_product, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    camera, gains, matrix = image("camera", 3), table("gains"), table("matrix", 2)
    clip = hl.Param(hl.Float(32), "clip")

    raw = [camera[i, x, y] for i in range(3)]
    balanced = [raw[i] * gains[i] for i in range(3)]
    weight = []
    for value in raw:
        t = hl.clamp((value / clip - CLIP_START) / (1.0 - CLIP_START), 0.0, 1.0)
        weight.append(t * t * (3.0 - 2.0 * t))
    brightest = hl.max(balanced[0], hl.max(balanced[1], balanced[2]))
    lost = weight[0] * weight[1] * weight[2]
    rebuilt = []
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        # a clipped channel is at least what it says, and about what its unclipped fellows say
        trust_j, trust_k = 1.001 - weight[j], 1.001 - weight[k]
        fellows = (balanced[j] * trust_j + balanced[k] * trust_k) / (trust_j + trust_k)
        value = hl.lerp(balanced[i], hl.max(balanced[i], fellows), weight[i])
        rebuilt.append(hl.lerp(value, brightest, lost))
    names = [hl.Func(f"rebuilt_{i}") for i in range(3)]
    for func, value in zip(names, rebuilt, strict=True):
        func[x, y] = value
    out = hl.Func("to_working")
    out[c, x, y] = row_product(matrix, c, [func[x, y] for func in names])
    schedule_pixels(out, c, x, y, 3)
    return [("to_working", out, [camera, gains, matrix, clip])]


def to_working(
    camera: NDArray[np.float32],
    gains: NDArray[np.float32],
    matrix: NDArray[np.float32],
    *,
    clip: float = 1.0,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Balance, rebuild clipped channels, and change to the working space.

    camera: float32 (height, width, 3), black 0. gains: (3,) that make the neutral equal in all
    channels. matrix: (3, 3) from balanced camera values to linear Rec.2020. clip: the camera value
    at which a channel is full; infinity leaves highlights alone. Returns float32
    (height, width, 3), scene-linear.
    """
    camera = require("camera", camera, np.float32, (None, None, 3))
    gains = require("gains", gains, np.float32, (3,))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    result = output("out", out, np.float32, camera.shape)
    kernel("to_working")(camera, gains, matrix, float(min(clip, 1e30)), result)
    return result
