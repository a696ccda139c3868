"""The lens: distortion, sideways fringes, tilt of the camera, fall-off, blur, veiling glare."""

import math
from dataclasses import dataclass

import cv2
import numpy as np

from matiz.errors import ArgumentError

from .scene import Map
from .vectors import moved, scaled

STRIP_ROWS = 64
"""Rows at a time, so that the arithmetic stays in the processor's cache."""


@dataclass(frozen=True)
class Lens:
    """What a lens does. Lengths are px of the frame; "corner" is half the diagonal from the middle."""

    distortion: float = 0.0
    """Share by which the corner is moved: negative is barrel, positive is pincushion."""
    fringe_red_px: float = 0.0
    """How much further from the middle red lies than green, at the corner."""
    fringe_blue_px: float = 0.0
    fall_off_EV: float = 0.0
    """At the corner."""
    blur_px: float = 0.0
    """Sigma in the middle."""
    corner_blur_px: float = 0.0
    """Sigma at the corner; the larger of the two counts there."""
    glare: float = 0.0
    """Share of the mean light that veils the picture."""

    def __post_init__(self) -> None:
        if not abs(self.distortion) <= 0.2:
            raise ArgumentError(f"distortion: within 0.2 of the corner's radius, got {self.distortion:g}")


PERFECT = Lens()
KIT = Lens(-0.012, 0.6, -0.8, 0.5, 0.55, 0.95, 0.002)
"""Corva 21-98, the demo's."""


@dataclass(frozen=True)
class Geometry:
    """Where each pixel of the frame looks in the scene: rotation, then distortion, then colour."""

    size: tuple[int, int]
    lens: Lens
    tilt_degrees: float
    """Turn of the picture, positive clockwise."""

    @property
    def is_plain(self) -> bool:
        lens = self.lens
        return not (self.tilt_degrees or lens.distortion or lens.fringe_red_px or lens.fringe_blue_px)

    @property
    def corner_px(self) -> float:
        return math.hypot(*self.size) / 2

    def sources(self, x: Map, y: Map) -> list[tuple[Map, Map]]:
        """Scene px seen by frame px, for red, green and blue."""
        zoom = self._zoom()
        dx, dy = self._bent(x, y)
        width, height = self.size
        out = []
        for shift in (self.lens.fringe_red_px, 0.0, self.lens.fringe_blue_px):
            scale = zoom / (1.0 + shift / self.corner_px)
            out.append((dx * scale + (width - 1) / 2, dy * scale + (height - 1) / 2))
        return out

    def _bent(self, x: Map, y: Map) -> tuple[Map, Map]:
        width, height = self.size
        dx, dy = x - (width - 1) / 2, y - (height - 1) / 2
        # plain floats: NumPy's own scalars would turn the maps into double precision
        cos, sin = math.cos(math.radians(self.tilt_degrees)), math.sin(math.radians(self.tilt_degrees))
        # a point that is moved outward in the frame is taken from further inward in the scene
        factor = 1.0 / (1.0 + self.lens.distortion / self.corner_px**2 * (dx * dx + dy * dy))
        return (dx * cos + dy * sin) * factor, (dy * cos - dx * sin) * factor

    def _zoom(self) -> float:
        """The scale at which the border of the frame just stays within the scene."""
        width, height = self.size
        t = np.linspace(0.0, 1.0, 200)
        x = np.concatenate([t * (width - 1), t * (width - 1), 0 * t, 0 * t + width - 1])
        y = np.concatenate([0 * t, 0 * t + height - 1, t * (height - 1), t * (height - 1)])
        dx, dy = self._bent(x, y)
        reach = max(float(np.abs(dx).max()) / ((width - 1) / 2), float(np.abs(dy).max()) / ((height - 1) / 2))
        return 1.0 / max(reach, 1.0)


def warped(image: Map, geometry: Geometry, *, fringes: bool = True, smooth: bool = True) -> Map:
    """An image (height, width[, channels]) of the scene as the frame sees it, cubic.

    smooth: False takes the nearest value, for what must not be mixed, such as depth.
    """
    if geometry.is_plain:
        return image
    width, height = geometry.size
    x = np.arange(width, dtype=np.float32)[None, :]
    y = np.arange(height, dtype=np.float32)[:, None]
    sources = geometry.sources(x, y)
    method = cv2.INTER_CUBIC if smooth else cv2.INTER_NEAREST
    planes = image.reshape(height, width, -1)
    out = np.empty_like(planes)
    for channel in range(planes.shape[2]):
        from_x, from_y = sources[channel if fringes else 1]
        plane = np.ascontiguousarray(planes[..., channel])
        out[..., channel] = cv2.remap(plane, from_x, from_y, method, borderMode=cv2.BORDER_REFLECT_101)
    return out.reshape(image.shape)


def through(light: Map, geometry: Geometry) -> Map:
    """Scene light (height, width, 3) as it falls on the sensor."""
    lens = geometry.lens
    height, width = light.shape[:2]
    light = np.maximum(warped(light, geometry), 0.0)
    y, x = np.ogrid[0.5 : height - 0.5 : height * 1j, 0.5 : width - 0.5 : width * 1j]
    radius2 = (((x - width / 2) ** 2 + (y - height / 2) ** 2) / geometry.corner_px**2).astype(np.float32)
    light = _blurred(light, lens, radius2)
    veil = light.mean(axis=(0, 1)) * np.float32(lens.glare)
    for top in range(0, height, STRIP_ROWS):
        part = light[top : top + STRIP_ROWS]
        part[...] = moved(part * np.float32(1.0 - lens.glare), veil)
        if lens.fall_off_EV > 0:
            part[...] = scaled(part, 2.0 ** (-lens.fall_off_EV * radius2[top : top + STRIP_ROWS]))
    return light


def _blurred(light: Map, lens: Lens, radius2: Map) -> Map:
    if lens.blur_px <= 0 and lens.corner_blur_px <= 0:
        return light
    middle = cv2.GaussianBlur(light, (0, 0), lens.blur_px) if lens.blur_px > 0 else light
    if lens.corner_blur_px <= lens.blur_px:
        return middle
    corner = cv2.GaussianBlur(light, (0, 0), lens.corner_blur_px)
    for top in range(0, len(light), STRIP_ROWS):
        rows = slice(top, top + STRIP_ROWS)
        corner[rows] -= middle[rows]
        corner[rows] = scaled(corner[rows], np.clip(radius2[rows], 0.0, 1.0)) + middle[rows]
    return corner
