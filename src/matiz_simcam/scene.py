"""A scene as the camera meets it: materials, lights, and where each of them is.

Reflected light is linear in light and in material, so a picture needs no spectral cube: each pair
of light and material has its colour, computed once from the spectra, and maps say how much of
each is where. That is exact, and mixed light, metamerism and clipping come out as they must.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from matiz.colour.tables import observer_bands
from matiz.colour.types import Array
from matiz.errors import ArgumentError

from .spectra import reflectance

Map = NDArray[np.floating[Any]]
"""(height, width), kept as float32."""
STRIP_ROWS = 16
Box = tuple[slice, slice]


@dataclass
class Scene:
    """Scene-linear truth; luminance 1 is diffuse white under a light of irradiance 1."""

    size: tuple[int, int]
    """(width, height)."""
    lights: dict[str, Array]
    """Spectra (36,) of luminance 1."""
    irradiance: dict[str, Map]
    """Per light, (height, width)."""
    materials: dict[str, Map] = field(default_factory=dict)
    """Share of each pixel that a material covers, (height, width), times its shading; a material
    takes its spectrum by name."""
    emission: dict[str, Map] = field(default_factory=dict)
    """Light that reaches the camera as it is (sky, flames, reflections), by the name of its
    spectrum in `lights` or `glows`, (height, width)."""
    glows: dict[str, Array] = field(default_factory=dict)
    """Further spectra (36,) of luminance 1, for emission."""
    depth_m: Map | None = None
    """Distance of each pixel along the camera's axis, (height, width); None where it does not matter."""
    masks: dict[str, Map] = field(default_factory=dict)
    """Truth for tests: "subject", "source", ... with fractional coverage."""
    areas: dict[str, tuple[int, int, int, int]] = field(default_factory=dict)
    """Named areas x, y, w, h: chart patches, the grey card."""

    _allocate: Callable[[str, str], Map] | None = field(default=None, init=False, repr=False)

    def __post_init__(self) -> None:
        missing = set(self.lights) ^ set(self.irradiance)
        if missing:
            raise ArgumentError(f"scene: lights and irradiance differ in {', '.join(sorted(missing))}")

    def seen_through(self, sensitivities: Array) -> Map:
        """(height, width, n) response of `sensitivities` (36, n) to every pixel."""
        width, height = self.size
        out = np.zeros((height, width, sensitivities.shape[1]), np.float32)
        spectra = [reflectance(name) for name in self.materials]
        # one product for all lights: (pixels, materials) by (materials, lights * n)
        colours = np.zeros((len(spectra), len(self.lights) * sensitivities.shape[1]), np.float32)
        for row, spectrum in enumerate(spectra):
            colours[row] = np.concatenate(
                [spectrum @ (sensitivities * self.lights[n][:, None]) for n in self.irradiance]
            )
        glowing = [(self.lights | self.glows)[name] @ sensitivities for name in self.emission]
        glow = np.array(glowing, np.float32).reshape(-1, sensitivities.shape[1])

        def strips(maps: dict[str, Map], rows: slice) -> Map:
            return np.array([amount[rows].ravel() for amount in maps.values()], np.float32)

        for top in range(0, height, STRIP_ROWS):
            rows = slice(top, top + STRIP_ROWS)
            strip = out[rows]
            seen = np.zeros((out.shape[2], strip.shape[0] * width), np.float32)
            if spectra:
                mixed = (colours.T @ strips(self.materials, rows)).reshape(len(self.lights), *seen.shape)
                mixed *= strips(self.irradiance, rows)[:, None]
                seen += mixed.sum(axis=0)
            if glowing:
                seen += glow.T @ strips(self.emission, rows)
            strip[...] = seen.T.reshape(strip.shape)
        return out

    def XYZ(self) -> Map:
        """(height, width, 3), Y = 1 for diffuse white under irradiance 1."""
        return self.seen_through(observer_bands())

    def light_shares(self) -> dict[str, Map]:
        """Share of each light in the irradiance of each pixel."""
        total = np.maximum(np.sum(list(self.irradiance.values()), axis=0), 1e-9)
        return {name: (amount / total).astype(np.float32) for name, amount in self.irradiance.items()}

    def put(self, material: str, cover: Map) -> None:
        """Lay a material over what is there."""
        self.put_mix(cover, {material: np.ones((), np.float32)})

    def put_mix(self, cover: Map, parts: Mapping[str, Map]) -> None:
        """Lay a mixture over what is there; `parts` sum to about 1 and may hold shading."""
        rows = _rows(cover)
        kept = 1.0 - cover[rows]
        for amount in (*self.materials.values(), *self.emission.values()):
            amount[rows] *= kept
        for name, share in parts.items():
            here = self._map("materials", name)
            # noise may dip below nothing, but no surface takes light away
            here[rows] += cover[rows] * np.maximum(share[rows] if share.ndim else share, np.float32(0.0))

    def glow(self, name: str, amount: Map) -> None:
        """Add light that reaches the camera as it is; `name` is one of `lights` or `glows`."""
        rows = _rows(amount)
        self._map("emission", name)[rows] += amount[rows]

    def shade(self, factor: Map, lights: tuple[str, ...] | None = None) -> None:
        """Dim (or raise) the irradiance of some lights, or of all."""
        for name in lights or tuple(self.irradiance):
            self.irradiance[name] *= factor

    def _map(self, maps: str, name: str) -> Map:
        held: dict[str, Map] = getattr(self, maps)
        if name not in held:
            held[name] = self._empty(maps, name)
        return held[name]

    def lay(
        self, box: Box, cover: Map, depth_m: Map, parts: Mapping[str, Map], light: Mapping[str, Map], *, mask: str = ""
    ) -> None:
        """Put a surface in front of what is further away: maps are those of a part of the picture.

        light: irradiance of each light on it. mask: name of a mask that keeps what it covers.
        """
        if self.depth_m is None:
            self.depth_m = np.full((self.size[1], self.size[0]), np.inf, np.float32)
        behind = self.depth_m[box]
        seen = np.where(depth_m < behind, cover, np.float32(0.0))
        part = self.window(box)
        part.put_mix(seen, parts)
        for name, amount in light.items():
            here = part.irradiance[name]
            here += seen * (np.maximum(amount, np.float32(0.0)) - here)
        behind[...] = np.where(seen > 0.5, depth_m, behind)
        for held in self.masks.values():
            held[box] *= 1.0 - seen
        if mask:
            held = self.masks.setdefault(mask, np.zeros((self.size[1], self.size[0]), np.float32))
            held[box] += seen

    def copy(self) -> "Scene":
        """The same scene with maps of its own."""

        def copied(maps: dict[str, Map]) -> dict[str, Map]:
            return {name: amount.copy() for name, amount in maps.items()}

        return Scene(
            self.size, self.lights, copied(self.irradiance), copied(self.materials), copied(self.emission), self.glows,
            None if self.depth_m is None else self.depth_m.copy(), copied(self.masks), dict(self.areas),
        )  # fmt: skip

    def enlarged(self, size: tuple[int, int]) -> "Scene":
        """The same scene at another size, (width, height)."""

        def grown(maps: dict[str, Map]) -> dict[str, Map]:
            return {name: cv2.resize(m, size, interpolation=cv2.INTER_LINEAR) for name, m in maps.items()}

        # depth is not mixed: between two things there is nothing
        depth = None if self.depth_m is None else cv2.resize(self.depth_m, size, interpolation=cv2.INTER_NEAREST)
        return Scene(size, self.lights, grown(self.irradiance), grown(self.materials), grown(self.emission),
                     self.glows, depth, grown(self.masks), dict(self.areas))  # fmt: skip

    def window(self, box: Box) -> "Scene":
        """A part of the scene, (rows, columns), that shares its maps: what is put there is put here."""
        rows, columns = box

        def allocate(maps: str, name: str) -> Map:
            return self._map(maps, name)[box]

        part = Scene(
            (columns.stop - columns.start, rows.stop - rows.start),
            self.lights,
            {name: amount[box] for name, amount in self.irradiance.items()},
            {name: amount[box] for name, amount in self.materials.items()},
            {name: amount[box] for name, amount in self.emission.items()},
            self.glows,
        )
        part._allocate = allocate
        return part

    def _empty(self, maps: str, name: str) -> Map:
        if self._allocate is not None:
            return self._allocate(maps, name)
        return np.zeros((self.size[1], self.size[0]), np.float32)


def box_of(cover: Map) -> Box:
    """(rows, columns) of what is not zero."""
    used = np.flatnonzero(cover.any(axis=0))
    return _rows(cover), slice(int(used[0]), int(used[-1]) + 1) if used.size else slice(0, 0)


def _rows(amount: Map) -> slice:
    """The rows in which anything is."""
    used = np.flatnonzero(amount.any(axis=1))
    return slice(int(used[0]), int(used[-1]) + 1) if used.size else slice(0, 0)
