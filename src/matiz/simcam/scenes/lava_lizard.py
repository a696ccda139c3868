"""Lava lizard: a raised head and a long body on dark rock, warm ground out of focus behind."""

from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PchipInterpolator

from ...colour.illuminants import daylight
from ..scene import Map, Scene, box_of
from ..textures import blurred, cells, fbm, grid, slope_light, smoothstep

SUN = (-0.62, -0.58, 0.53)
"""Toward the sun: left, up, toward the camera."""

SPINE = np.array([
    [0.286, 0.258, 0.006], [0.300, 0.255, 0.013], [0.325, 0.250, 0.0225], [0.352, 0.254, 0.027],
    [0.380, 0.272, 0.0235], [0.412, 0.300, 0.027], [0.450, 0.328, 0.035], [0.515, 0.362, 0.041],
    [0.580, 0.392, 0.036], [0.632, 0.412, 0.027], [0.690, 0.424, 0.017], [0.770, 0.428, 0.0125],
    [0.860, 0.412, 0.0085], [0.940, 0.372, 0.0050], [1.020, 0.315, 0.0025],
])  # fmt: skip
"""x, y, radius along the back, in picture widths."""

LEGS = (
    np.array([[0.452, 0.338, 0.019], [0.436, 0.378, 0.0135], [0.418, 0.412, 0.0100], [0.392, 0.428, 0.0070]]),
    np.array([[0.432, 0.330, 0.014], [0.470, 0.392, 0.0105], [0.494, 0.424, 0.0080], [0.476, 0.438, 0.0058]]),
    np.array(
        [
            [0.612, 0.412, 0.021],
            [0.650, 0.432, 0.0165],
            [0.668, 0.452, 0.0120],
            [0.628, 0.470, 0.0085],
            [0.596, 0.474, 0.006],
        ]
    ),
)


@dataclass
class Body:
    """A tube around a line, per pixel: height over the picture plane, how far along, how far across."""

    height: Map
    along: Map
    across: Map
    """-1 at the back (upper side), +1 at the belly."""
    cover: Map


def lava_lizard(size: tuple[int, int], view: int = 0, seed: int = 23) -> Scene:
    """view turns the head a little and moves the picture by a few pixels: frames of a burst."""
    x, y = grid(size)
    x = x + np.float32(0.004 * view)
    lights = {"sun": daylight(5200.0), "sky": daylight(10_500.0)}
    scene = Scene(size, lights, {"sun": np.full_like(x, 0.80), "sky": np.full_like(x, 0.17)})
    _background(scene, x, y, seed)
    rock = _rock(scene, x, y, seed)
    spine = SPINE.copy()
    spine[:4, 1] -= 0.003 * view
    parts = [tube(x, y, spine), *(tube(x, y, leg) for leg in LEGS)]
    _cast_shadow(scene, parts, rock, size)
    for part in reversed(parts[1:]):
        _skin(scene, x, y, part, seed, leg=True)
    _skin(scene, x, y, parts[0], seed, leg=False)
    _eye(scene, x, y, 0.331, 0.2445 - 0.003 * view)
    subject = np.max([part.cover for part in parts], axis=0)
    scene.masks["subject"] = subject
    # in focus at the head; the tail lies behind, the foot of the rock before
    tail = smoothstep(0.66, 1.0, x) * smoothstep(0.30, 0.33, y) * 2.2
    near = smoothstep(0.47, 0.66, y) * 9.0
    scene.defocus_px = ((tail + near) * size[0] / 3000.0).astype(np.float32)
    return scene


def tube(x: Map, y: Map, line: np.ndarray) -> Body:
    """A tube of varying radius around a line of (x, y, radius)."""
    best = np.full(x.shape, 9.0, np.float32)
    height, along, across = (np.zeros_like(x) for _ in range(3))
    lengths = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line[:, :2], axis=0).T))])
    fine = np.linspace(0.0, lengths[-1], 6 * len(line))
    smooth = np.stack([PchipInterpolator(lengths, line[:, c])(fine) for c in range(3)], axis=1)
    for start, end, s0, s1 in zip(smooth[:-1], smooth[1:], fine[:-1], fine[1:], strict=True):
        reach = max(start[2], end[2]) * 1.4 + 0.003
        box = _box(x, np.minimum(start[:2], end[:2]) - reach, np.maximum(start[:2], end[:2]) + reach)
        if box is None:
            continue
        dx, dy = end[:2] - start[:2]
        px, py = x[box] - np.float32(start[0]), y[box] - np.float32(start[1])
        t = np.clip((px * dx + py * dy) / (dx * dx + dy * dy), 0.0, 1.0)
        offset_x, offset_y = px - t * np.float32(dx), py - t * np.float32(dy)
        distance = np.hypot(offset_x, offset_y)
        radius = start[2] + t * (end[2] - start[2])
        relative = distance / radius
        closer = relative < best[box]
        side = np.sign(offset_y * dx - offset_x * dy)
        best[box] = np.where(closer, relative, best[box])
        height[box] = np.where(closer, radius * np.sqrt(np.maximum(1.0 - relative**2, 0.0)), height[box])
        along[box] = np.where(closer, s0 + t * (s1 - s0), along[box])
        across[box] = np.where(closer, relative * side, across[box])
    edge = 1.0 / (x.shape[1] * max(float(line[:, 2].max()) * 0.35, 1e-3))
    return Body(
        height, along, across, smoothstep(1.0 + edge, 1.0 - edge, best) if edge < 1 else (best < 1).astype(np.float32)
    )


def _box(x: Map, low: np.ndarray, high: np.ndarray) -> tuple[slice, slice] | None:
    width = x.shape[1]
    left, right = (int((v - float(x[0, 0])) * width) for v in (low[0], high[0]))
    top, bottom = (int(v * width) for v in (low[1], high[1]))
    left, top, right, bottom = max(left, 0), max(top, 0), min(right + 1, width), min(bottom + 1, x.shape[0])
    return (slice(top, bottom), slice(left, right)) if right > left and bottom > top else None


def _background(scene: Scene, x: Map, y: Map, seed: int) -> None:
    """Sandy ground and scrub far behind, as a long lens blurs them."""
    broad = fbm(x * 2.1, y * 2.6, seed=seed, octaves=3)
    spots = fbm(x * 5.0 + 7.0, y * 6.0, seed=seed + 4, octaves=2)
    tone = np.clip(0.62 + 0.45 * broad + 0.55 * (0.30 - y), 0.15, 1.4)
    green = smoothstep(-0.1, 1.0, spots + 0.5 * broad)
    bright = smoothstep(0.1, 1.1, 0.6 * broad - spots)
    everywhere = np.ones_like(x)
    scene.put_mix(everywhere, {
        "sand": tone * (1.0 - 0.7 * green), "earth": tone * 0.5 * (1.0 - green), "leaves": green * tone * 0.9,
        "plaster": bright * tone * 0.25,
    })  # fmt: skip


def _rock(scene: Scene, x: Map, y: Map, seed: int) -> Map:
    """Rough basalt with rust and lichen; its upper edge is where the animal lies."""
    footprint = np.float32(1.0 / x.shape[1])
    edge = 0.436 + 0.022 * fbm(x[:2] * 3.1, x[:2] * 0.0, seed=seed + 9, octaves=7)[:1]
    edge = edge + 0.10 * smoothstep(0.30, 0.0, x[:1]) - 0.03 * smoothstep(0.72, 1.0, x[:1])
    cover = smoothstep(-0.0010, 0.0010, y - edge)
    depth = np.maximum(y - edge, 0.0)
    u, v = x * 9.0, y * 9.0 + depth * 14.0
    lumps = fbm(u * 0.8, v * 0.8, seed=seed + 12, octaves=4)
    rough = fbm(u * 3.0, v * 3.0, seed=seed + 14, octaves=8, footprint=footprint * 27.0, roughness=0.62)
    pits, _ = cells(u * 3.1, v * 3.1, seed=seed + 16)
    holes = smoothstep(0.32, 0.05, pits + 0.5 * rough) * 0.55
    height = lumps * 0.055 + rough * 0.016 - holes * 0.006 + 0.05 * smoothstep(0.0, 0.10, depth)
    shade = slope_light((height * x.shape[1]).astype(np.float32), SUN, 0.115)
    facing = np.clip(1.15 - 2.4 * depth, 0.35, 1.15)
    scene.shade(1.0 - cover + cover * shade * facing, ("sun",))
    scene.shade(1.0 - cover * (0.35 * holes + 0.25 * smoothstep(0.0, 0.2, depth)), ("sky",))
    patches = fbm(u * 1.3 + 5.0, v * 1.3, seed=seed + 18, octaves=6)
    rust = smoothstep(0.05, 0.55, patches)
    lichen = smoothstep(0.38, 0.52, fbm(u * 1.9, v * 1.9 + 3.0, seed=seed + 19, octaves=7, roughness=0.6))
    grey = 1.25 + 0.7 * rough
    scene.put_mix(cover, {
        "basalt": grey * (1.0 - 0.55 * rust) * (1.0 - lichen),
        "rust": 0.42 * rust * (1.0 + 0.5 * rough) * (1.0 - lichen),
        "lichen": lichen * (0.85 + 0.3 * rough),
        "sand": 0.10 * np.clip(lumps, 0.0, 1.0),
    })  # fmt: skip
    return cover


def _cast_shadow(scene: Scene, parts: list[Body], rock: Map, size: tuple[int, int]) -> None:
    """Sun shadow falls to the lower right; contact shadow right below."""
    width = size[0]
    everything = np.max([part.cover for part in parts], axis=0)
    moved = np.roll(everything, (round(0.030 * width), round(0.026 * width)), axis=(0, 1))
    sun = blurred(moved, 0.0028 * width)
    contact = blurred(np.roll(everything, round(0.008 * width), axis=0), 0.010 * width)
    scene.shade(1.0 - 0.93 * sun * rock, ("sun",))
    scene.shade(1.0 - 0.60 * contact * rock)


def _skin(scene: Scene, x: Map, y: Map, part: Body, seed: int, *, leg: bool) -> None:
    """Scales, shading of a round body, dark back with pale speckles, teal flank, pale throat."""
    width = x.shape[1]
    box = box_of(part.cover)
    scene, x, y = scene.window(box), x[box], y[box]
    part = Body(*(np.ascontiguousarray(a[box]) for a in (part.height, part.along, part.across, part.cover)))
    size_of = 1.0 + 0.8 * smoothstep(0.14, 0.0, part.along)
    u = part.along * 150.0 / size_of
    v = np.arcsin(np.clip(part.across, -1.0, 1.0)) * (7.0 if not leg else 4.0) + 0.5 * np.floor(u)
    gap, value = cells(u, v, seed=seed + 31, count=1024)
    ridge = smoothstep(0.0, 0.55, gap)
    height = part.height * width
    height = (
        height * 0.80
        + ridge * np.float32(width * 0.00034)
        + 0.0006 * width * fbm(x * 60.0, y * 60.0, seed=seed + 33, octaves=4)
    )
    shade = slope_light(height.astype(np.float32), SUN, 0.125)
    lower = smoothstep(-0.5, 1.0, part.across)
    scene.light_on(part.cover, shade, ("sun",))
    occluded = 0.70 * lower * smoothstep(0.10, 0.25, part.along) + 0.30 * (1.0 - ridge)
    scene.light_on(part.cover, np.maximum(1.0 - occluded, 0.05), ("sky",))
    band = smoothstep(0.30, 0.62, fbm(part.along * 26.0, part.across * 1.4, seed=seed + 36, octaves=4) + 0.25)
    throat = smoothstep(0.15, 0.65, part.across) * smoothstep(0.17, 0.06, part.along)
    flank = (
        smoothstep(0.05, 0.55, part.across) * smoothstep(0.16, 0.22, part.along) * smoothstep(0.52, 0.38, part.along)
    )
    throat, flank = throat * (not leg), flank * (not leg)
    speck = smoothstep(0.90, 0.99, value) * (1.0 - throat)
    base = (0.75 + 0.5 * value) * (0.55 + 0.45 * ridge)
    dark = (1.0 - throat) * (1.0 - 0.75 * flank)
    scene.put_mix(part.cover, {
        "scale_dark": base * dark * (1.15 - 0.5 * band), "rust": base * dark * band * 0.45,
        "scale_teal": base * flank * 0.55,
        "scale_pale": base * (throat * 1.0 + 0.30 * speck * dark + 0.10 * flank), "scale_red": base * throat * 0.20,
    })  # fmt: skip


def _eye(scene: Scene, x: Map, y: Map, cx: float, cy: float) -> None:
    near = _box(x, np.array([cx - 0.02, cy - 0.02]), np.array([cx + 0.02, cy + 0.02]))
    if near is None:
        return
    ball_map = np.zeros_like(x)
    scene.masks["eye"], scene, x, y = ball_map, scene.window(near), x[near], y[near]
    radius = np.hypot(x - cx, (y - cy) * 1.15)
    lid = smoothstep(0.0098, 0.0088, radius)
    ball = smoothstep(0.0072, 0.0066, radius)
    pupil = smoothstep(0.0040, 0.0035, radius)
    scene.put_mix(lid, {"scale_dark": np.full_like(x, 1.1), "scale_pale": np.full_like(x, 0.10)})
    scene.put_mix(ball, {"rust": np.full_like(x, 0.8), "cloth_ochre": np.full_like(x, 0.25)})
    scene.put_mix(pupil, {"cloth_dark": np.full_like(x, 0.3)})
    glint = smoothstep(0.0016, 0.0010, np.hypot(x - cx + 0.0028, y - cy + 0.0030))
    scene.glow("sun", 1.3 * glint)
    ball_map[near] = ball
