"""Test targets: the 24-patch chart, flat fields, a grey wedge."""

import numpy as np

from .camera import light_spectrum
from .scene import Scene
from .spectra import chart_patches


def _flat(size: tuple[int, int], light: str) -> Scene:
    width, height = size
    ones = np.ones((height, width), np.float32)
    return Scene(size, {light: light_spectrum(light)}, {light: ones})


def grey(size: tuple[int, int], light: str = "daylight:6500") -> Scene:
    """An even grey of 18 %."""
    scene = _flat(size, light)
    scene.put("grey", np.ones_like(scene.irradiance[light]))
    scene.areas["grey"] = (0, 0, *size)
    return scene


def chart(size: tuple[int, int], light: str = "daylight:6500") -> Scene:
    """The 24-patch chart on grey, filling the picture."""
    scene = grey(size, light)
    width, height = size
    cell_w, cell_h = width / 6, height / 4
    for n, name in enumerate(chart_patches()):
        x, y = round((n % 6 + 0.08) * cell_w), round((n // 6 + 0.08) * cell_h)
        w, h = round(cell_w * 0.84), round(cell_h * 0.84)
        cover = np.zeros((height, width), np.float32)
        cover[y : y + h, x : x + w] = 1.0
        scene.put(name, cover)
        inset_x, inset_y = w // 6, h // 6
        scene.areas[name] = (x + inset_x, y + inset_y, w - 2 * inset_x, h - 2 * inset_y)
    return scene


def wedge(size: tuple[int, int], light: str = "daylight:6500") -> Scene:
    """Eleven steps of white from -8 to +2 EV around diffuse white, left to right."""
    scene = _flat(size, light)
    width, height = size
    scene.put("white", np.ones((height, width), np.float32))
    step = np.minimum(np.arange(width) * 11 // width, 10)
    scene.irradiance[light] = np.broadcast_to(2.0 ** (step - 8.0), (height, width)).astype(np.float32) / np.float32(
        0.92
    )
    for n in range(11):
        left, right = -(-n * width // 11), (n + 1) * width // 11
        scene.areas[f"step {n}"] = (left + 4, 4, right - left - 8, height - 8)
    return scene
