"""Camera values to the working space, with clipped channels rebuilt from the others."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from .buffers import output, require
from .loader import kernel

CLIP_START = 0.96
"""Share of the white level where a channel begins to count as clipped: white levels are
seldom exact, and a soft start leaves no edge."""

MOST_REBUILT = 4.0
"""Times the level at which a channel is full: no channel is rebuilt to more."""


def define() -> list[tuple[str, Any, list[Any]]]:
    import halide as hl

    from .pipeline import image, on_grid, row_product, schedule_pixels, table

    c, x, y = hl.Var("c"), hl.Var("x"), hl.Var("y")
    camera, gains, matrix = image("camera", 3), table("gains"), table("matrix", 2)
    ratios = image("ratios", 2)
    clip, scale = hl.Param(hl.Float(32), "clip"), hl.Param(hl.Float(32), "scale")
    left, top = hl.Param(hl.Float(32), "left"), hl.Param(hl.Float(32), "top")

    raw = [camera[i, x, y] for i in range(3)]
    balanced = [raw[i] * gains[i] for i in range(3)]
    weight = []
    for value in raw:
        t = hl.clamp((value / clip - CLIP_START) / (1.0 - CLIP_START), 0.0, 1.0)
        weight.append(t * t * (3.0 - 2.0 * t))
    coarse = on_grid(ratios, x, y, scale, left, top)

    def around(channel: int) -> Any:
        """Balanced value over that of green, of what lies round about."""
        return hl.pow(hl.f32(2.0), coarse(channel)) * gains[2 * channel] / gains[1]

    shares = [around(0), hl.f32(1.0), around(1)]
    lost = weight[0] * weight[1] * weight[2]
    trust = [hl.f32(1.001) - w for w in weight]
    green = sum((balanced[i] / shares[i] * trust[i] for i in range(3)), hl.f32(0.0)) / sum(trust, hl.f32(0.0))
    values = []
    for i in range(3):
        # a clipped channel is at least what it says, and about what the unclipped ones say of it
        fellows = hl.min(green * shares[i], clip * gains[i] * MOST_REBUILT)
        values.append(hl.lerp(balanced[i], hl.max(balanced[i], fellows), weight[i]))
    # where all are lost only white is left, no darker than what leads up to it
    brightest = hl.max(values[0], hl.max(values[1], values[2]))
    rebuilt = [hl.lerp(value, brightest, lost) for value in values]
    names = [hl.Func(f"rebuilt_{i}") for i in range(3)]
    for func, value in zip(names, rebuilt, strict=True):
        func[x, y] = value
    out = hl.Func("to_working")
    out[c, x, y] = row_product(matrix, c, [func[x, y] for func in names])
    schedule_pixels(out, c, x, y, 3)
    return [("to_working", out, [camera, gains, matrix, clip, ratios, scale, left, top])]


def to_working(
    camera: NDArray[np.float32],
    gains: NDArray[np.float32],
    matrix: NDArray[np.float32],
    *,
    clip: float = 1.0,
    ratios: NDArray[np.float32] | None = None,
    scale: float = 1.0,
    corner: tuple[float, float] = (0.0, 0.0),
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Balance, rebuild clipped channels, and change to the working space.

    camera: float32 (height, width, 3), black 0. gains: (3,) that make the neutral equal in all
    channels. matrix: (3, 3) from balanced camera values to linear Rec.2020. clip: the camera value
    at which a channel is full; infinity leaves highlights alone. ratios: (rows, columns, 2) log2 of
    red and blue over green, camera values, of what is not clipped round about, on a coarse grid; each
    pixel is `scale` of its steps, and the first pixel's corner lies at `corner` (x, y) on it. Without
    it clipped channels are taken for neutral. Returns float32 (height, width, 3), scene-linear.
    """
    camera = require("camera", camera, np.float32, (None, None, 3))
    gains = require("gains", gains, np.float32, (3,))
    matrix = require("matrix", matrix, np.float32, (3, 3))
    if ratios is None:
        ratios = np.broadcast_to(np.log2(gains[1] / gains[[0, 2]]), (2, 2, 2)).astype(np.float32)
    ratios = require("ratios", ratios, np.float32, (None, None, 2))
    result = output("out", out, np.float32, camera.shape)
    left, top = corner
    full = float(min(clip, 1e30))
    kernel("to_working")(camera, gains, matrix, full, ratios, float(scale), float(left), float(top), result)
    return result
