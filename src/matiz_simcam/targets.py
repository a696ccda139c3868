"""Test targets: the 24-patch chart, flat fields, a grey wedge."""

import numpy as np

from .camera import light_spectrum
from .scene import Scene
from .spectra import chart_patches
from .textures import fbm


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


def slanted_edge(size: tuple[int, int], light: str = "daylight:6500") -> Scene:
    """A dark half and a light half, the edge 5 degrees from upright (ISO 12233), contrast 4:1."""
    scene = _flat(size, light)
    width, height = size
    # coverage of each pixel by the light half, from the distance to the edge
    y, x = np.mgrid[0:height, 0:width].astype(np.float64) + 0.5
    angle = np.radians(5.0)
    distance = (x - width / 2) * np.cos(angle) + (y - height / 2) * np.sin(angle)
    cover = np.clip(distance + 0.5, 0.0, 1.0).astype(np.float32)
    scene.put_mix(np.ones_like(cover), {"white": 0.2 + 0.6 * cover})
    return scene


def zone_plate(size: tuple[int, int], light: str = "daylight:6500") -> Scene:
    """Rings that grow finer outward, up to one cycle in two pixels at the border's middle."""
    scene = _flat(size, light)
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    radius2 = (x - width / 2) ** 2 + (y - height / 2) ** 2
    rings = 0.5 + 0.5 * np.cos(np.pi / 2 * radius2 / (max(size) / 2))
    scene.put_mix(np.ones((height, width), np.float32), {"white": (0.1 + 0.8 * rings).astype(np.float32)})
    return scene


def star_field(size: tuple[int, int], light: str = "daylight:6500", *, count: int = 200, seed: int = 5) -> Scene:
    """Points of light on a dark ground; `areas` names the first ones "star 0", ... with their places."""
    scene = _flat(size, light)
    width, height = size
    random = np.random.default_rng(seed)
    scene.put_mix(np.ones((height, width), np.float32), {"white": np.full((height, width), 0.004, np.float32)})
    stars = np.zeros((height, width), np.float32)
    for n in range(count):
        x, y = int(random.integers(4, width - 4)), int(random.integers(4, height - 4))
        stars[y, x] += float(0.15 * 2.0 ** random.uniform(0.0, 6.0))
        if n < 20:
            scene.areas[f"star {n}"] = (x - 3, y - 3, 7, 7)
    scene.glow(light, stars)
    return scene


def skin_set(size: tuple[int, int], light: str = "daylight:5500") -> Scene:
    """Two skins in five lightnesses each, on grey."""
    scene = grey(size, light)
    width, height = size
    for n in range(10):
        x, y = round((n % 5 + 0.1) * width / 5), round((n // 5 + 0.1) * height / 2)
        w, h = round(width / 5 * 0.8), round(height / 2 * 0.8)
        cover = np.zeros((height, width), np.float32)
        cover[y : y + h, x : x + w] = 1.0
        tone = np.float32(0.5 + 0.15 * (n % 5))
        scene.put_mix(cover, {("skin", "skin_deep")[n // 5]: tone * np.ones_like(cover)})
        scene.areas[f"skin {n}"] = (x + w // 6, y + h // 6, w * 2 // 3, h * 2 // 3)
    return scene


def cliffs(size: tuple[int, int], light: str = "daylight:5500", *, rust: float = 0.1) -> Scene:
    """Two rock faces side by side, the right one with a share of rust in it; `areas` names them "left" and "right"."""
    scene = _flat(size, light)
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / width
    grain = 1.0 + 0.25 * fbm(x * 40.0, y * 40.0, seed=12, octaves=5, footprint=40.0 / width)
    share = np.where(x < 0.5, 0.0, rust).astype(np.float32)
    scene.put_mix(np.ones((height, width), np.float32), {"sand": grain * (1.0 - share), "rust": grain * share})
    for name, left in (("left", 0.08), ("right", 0.58)):
        scene.areas[name] = (round(left * width), round(0.2 * height), round(0.34 * width), round(0.6 * height))
    return scene


def two_light_wall(size: tuple[int, int], light: str = "daylight:7000", *, warm: str = "planck:2700") -> Scene:
    """A plastered wall, `light` from the left and `warm` from the right, half and half in the middle."""
    width, height = size
    ramp = np.broadcast_to(np.linspace(0.0, 1.0, width, dtype=np.float32) ** 1.5, (height, width))
    lights = {light: light_spectrum(light), warm: light_spectrum(warm)}
    scene = Scene(size, lights, {light: (1.0 - ramp).astype(np.float32), warm: ramp.astype(np.float32).copy()})
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / width
    grain = 1.0 + 0.15 * fbm(x * 60.0, y * 60.0, seed=8, octaves=5, footprint=60.0 / width)
    scene.put_mix(np.ones((height, width), np.float32), {"plaster": grain * 0.9})
    return scene


def hazy_posts(size: tuple[int, int], light: str = "daylight:6000") -> Scene:
    """Rows of dark and light posts further and further off; `masks["transmission"]` is the haze's truth."""
    scene = _flat(size, light)
    width, height = size
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    row = np.minimum(y * 6 // height, 5)
    transmission = np.exp(-0.22 * row).astype(np.float32)
    posts = ((x + row * width / 23) % (width / 12) < width / 24).astype(np.float32)
    scene.put_mix(
        np.ones_like(posts), {"old_wood": transmission * posts, "plaster": transmission * (1.0 - posts) * 0.9}
    )
    scene.glow(light, 0.75 * (1.0 - transmission))
    scene.masks["transmission"] = transmission
    return scene
