"""Where a picture's pixels lie in its frame, and the other way round.

The frame is what the sensor saw, upright; the picture is what is shown and delivered: of another size, shape or
position as soon as the lens is corrected, or the picture cropped, levelled or warped. Everything that goes from one to
the other goes through a `Mapping`.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import pairwise, product
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ...colour.types import Array
from ...image.orientation import stored_box, swaps_sides, upright
from ...kernels.geometry import REACH_PX, brightened, resampled
from ...mend.straight import USUAL_FOCAL, Straight, applied, straight
from ...mend.warp import Bend, bend, bends
from ...raw.frame import Frame
from ...recipe.model import LIES, Mend
from .lens import LensTables, lens_tables
from .tiles import Region, Size, level_size

LENS = ("mend.lens", "mend.distortion_percent", "mend.fringe_red_px", "mend.fringe_blue_px")
PLACES = (*LENS, *LIES)
"""What of a recipe the places of a mapping depend on."""
LIGHT = (*PLACES, "mend.fall_off_EV")
"""What the taking back of the lens's fall-off depends on."""
SHARP = 4
"""Version of the arithmetic from which on pixels that only the lens moves are moved as sharply as all others."""
GREEN = 1
SHORTEST_MM = 10.0
"""A shorter lens sits before a small sensor, whose size it does not say."""
PROBES, BENT_PROBES = 17, 65
"""Places along each side of a region at which it is looked where it comes from."""
BENT_PX = 256
"""Longest side of what of a bent picture is drawn at once."""
_TURNS = {(0, False): 1, (1, False): 6, (2, False): 3, (3, False): 8,
          (0, True): 2, (1, True): 7, (2, True): 4, (3, True): 5}  # fmt: skip
"""Exif's orientation that turns as many quarters clockwise, mirrored before or not."""


@dataclass(frozen=True, eq=False)
class Mapping:
    """The geometry of one picture under one recipe."""

    frame_size: Size
    lens: LensTables
    straight: Straight
    orientation: int = 1
    """How what is cut out of the plane is turned and mirrored, as Exif counts it."""
    sharp: bool = True
    bend_of: Callable[[], Bend] | None = None
    """Gives how the picture is bent on its plane: it takes a while, and many only ask for the picture's size."""
    moves: bool = field(init=False)
    """Whether pixels are moved by other than whole pixels."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "moves", self.lens.moves or not self.is_plain)

    @classmethod
    def of(cls, frame: Frame, mend: Mend, processing: int = SHARP) -> "Mapping":
        turns = (frame.size, focal_px(frame), mend.level_deg, mend.vertical_deg, mend.horizontal_deg)
        how = straight(*turns, mend.crop, mend.crop_ratio)
        bent = partial(bend, *turns, mend.warp) if bends(mend.warp) else None
        turned = _TURNS[int(mend.quarter_turns), mend.mirror == "on"]
        sharp = processing >= SHARP or not how.is_plain or bent is not None
        return cls(frame.size, lens_tables(frame, mend), how, turned, sharp, bent)

    @property
    def is_plain(self) -> bool:
        """Whether the picture's plane is what the lens drew."""
        return self.straight.is_plain and self.bend_of is None

    @property
    def bend(self) -> Bend | None:
        return self.bend_of() if self.bend_of is not None else None

    @property
    def size(self) -> Size:
        """Of the picture, (width, height) in px at full size."""
        return self._turned_size(self.straight.size)

    @property
    def is_lens_alone(self) -> bool:
        """Whether the picture lies as the frame does, whatever the lens did."""
        return self.is_plain and self.straight.size == self.frame_size and self.orientation == 1

    @property
    def is_idle(self) -> bool:
        """Whether the picture's pixels are the frame's."""
        return self.is_lens_alone and not self.moves

    @property
    def brightens(self) -> bool:
        """Whether the lens's fall-off is taken back."""
        return self.lens.brightens

    def size_at(self, level: int) -> Size:
        """(width, height) of the picture at a level."""
        return level_size(self.size, level)

    def to_frame(self, points: ArrayLike) -> Array:
        """Where points (n, 2) of the picture lie in the frame; px of the full size, as green was drawn."""
        return self._through_lens(self._to_lens(self.to_plane(points)), GREEN) + _middle(self.frame_size)

    def to_picture(self, points: ArrayLike) -> Array:
        """Where points (n, 2) of the frame lie in the picture; px of the full size. What the frame has beyond the
        picture's corners is put on the way there."""
        away = np.asarray(points, np.float64).reshape(-1, 2) - _middle(self.frame_size)
        radius = np.linspace(0.0, 1.0, 2048) * self._corner_px(0)
        drawn = radius * self._scale(radius**2, GREEN)
        far = np.hypot(*away.T)
        back = np.interp(far, drawn, radius)
        share = np.where(far > 0, back / np.maximum(far, 1e-12), 1.0 / self._scale(np.zeros(1), GREEN))
        seen: Array = away * share[:, None]
        bent = self.bend
        if bent is not None:
            seen = bent.before(seen)
        return self.from_plane(applied(np.linalg.inv(self.straight.to_lens), seen))

    def area_to_picture(self, area: Region) -> Region:
        """The upright rectangle round an area of the frame, in the picture; px of the full size."""
        x, y, w, h = area
        if self.is_idle:
            return area
        corners = self.to_picture([(x, y), (x + w, y), (x, y + h), (x + w, y + h)])
        (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
        width, height = self.size
        left, top = min(max(0, round(left)), width - 1), min(max(0, round(top)), height - 1)
        right, bottom = min(width, round(right)), min(height, round(bottom))
        return left, top, max(1, right - left), max(1, bottom - top)

    def place_in(self, other: "Mapping") -> tuple[float, float]:
        """Where the picture's upper left corner lies in that of another mapping of the same frame, which differs from
        this one by its crop alone; px of the full size."""
        corner = other.from_plane(self.to_plane([(0.0, 0.0)]))[0]
        return float(corner[0]), float(corner[1])

    def flat(self) -> "Mapping":
        """The same picture, not bent."""
        return replace(self, bend_of=None)

    def to_place(self, points: ArrayLike) -> Array:
        """What points (n, 2) of the picture show of the plane, had it not been bent: in units of the long side from its
        upper left corner, as the recipe counts places of crops and warps."""
        on_plane = self.to_plane(points)
        if self.bend_of is not None:
            on_plane = applied(np.linalg.inv(self.straight.to_lens), self._to_lens(on_plane))
        return (on_plane + np.array(self.frame_size) / 2.0) / max(self.frame_size)

    def from_place(self, places: ArrayLike) -> Array:
        """Where places (n, 2) of the plane are shown in the picture, px."""
        on_plane: Array = np.asarray(places, np.float64).reshape(-1, 2) * max(self.frame_size)
        on_plane = on_plane - np.array(self.frame_size) / 2.0
        bent = self.bend
        if bent is not None:
            seen = bent.before(applied(self.straight.to_lens, on_plane))
            on_plane = applied(np.linalg.inv(self.straight.to_lens), seen)
        return self.from_plane(on_plane)

    # ---- tiles; px of a level

    def source(self, level: int, region: Region) -> Region:
        """The part of the frame that a region of the picture comes from."""
        x, y, w, h = self._unturned(level, region)
        if not self.moves:
            left, top = self._cut(level)
            return left + x, top + y, w, h
        seen = self._probed(level, (x, y, w, h))
        places = [self._in_frame(seen, level, channel) for channel in range(3)]
        width, height = level_size(self.frame_size, level)
        left, right = _held(min(p[:, 0].min() for p in places), max(p[:, 0].max() for p in places), width)
        top, bottom = _held(min(p[:, 1].min() for p in places), max(p[:, 1].max() for p in places), height)
        return left, top, right - left, bottom - top

    def drawn(self, source: Array, held: Region, level: int, region: Region) -> Array:
        """A region of the picture from the part `held` of the frame, float32 (height, width, 3), as `source` says."""
        if not self.moves:
            return upright(source, self.orientation)
        if self.bend_of is not None and max(region[2:]) > BENT_PX:
            return self._in_parts(source, held, level, region)
        wanted = self._unturned(level, region)
        middle = self._lens_middle(level)
        made = resampled(
            source,
            self.lens.scales.astype(np.float32),
            corner_px=self._corner_px(level),
            away=self._away(level, wanted),
            middle=(middle[0] - held[0], middle[1] - held[1]),
            size=(wanted[2], wanted[3]),
            to_lens=self._to_lens_at(level),
            steepest=None if self.is_plain else self._steepest(level, wanted),
            sharp=self.sharp,
            **self._bent(level),
        )
        return upright(made, self.orientation)

    def _in_parts(self, source: Array, held: Region, level: int, region: Region) -> Array:
        """The same part by part: most of a bent picture is hardly bent, and as quickly drawn as any."""
        x, y, w, h = region
        out = np.empty((h, w, 3), np.float32)
        across, down = (np.linspace(0, n, -(-n // BENT_PX) + 1).astype(int) for n in (w, h))
        for (top, bottom), (left, right) in product(pairwise(down), pairwise(across)):
            part = (x + int(left), y + int(top), int(right - left), int(bottom - top))
            sx, sy, sw, sh = own = self.source(level, part)
            pixels = np.ascontiguousarray(source[sy - held[1] :, sx - held[0] :][:sh, :sw])
            out[top:bottom, left:right] = self.drawn(pixels, own, level, part)
        return out

    def brightened(self, picture: Array, level: int, region: Region) -> Array:
        """A region of the picture with the lens's fall-off taken back."""
        wanted = self._unturned(level, region)
        back = _TURNED_BACK[self.orientation]
        made = brightened(
            upright(picture, back),
            self.lens.gains.astype(np.float32),
            corner_px=self._corner_px(level),
            away=self._away(level, wanted),
            to_lens=self._to_lens_at(level),
            **self._bent(level),
        )
        return upright(made, self.orientation)

    # ---- from the picture to its plane and on to the frame

    def _turned_size(self, size: Size) -> Size:
        return (size[1], size[0]) if swaps_sides(self.orientation) else size

    def _unturned(self, level: int, region: Region) -> Region:
        """A region of the picture at a level in the px that are cut out of the plane."""
        return stored_box(region, self.size_at(level), self.orientation)

    def _cut(self, level: int) -> tuple[int, int]:
        """Where the picture begins on the plane, in whole px of a level."""
        wide, high = level_size(self.straight.size, level)
        width, height = level_size(self.frame_size, level)
        left, top = (round(start / 2.0**level) for start in (self.straight.left, self.straight.top))
        return min(max(left, 0), width - wide), min(max(top, 0), height - high)

    def to_plane(self, points: ArrayLike) -> Array:
        """Points (n, 2) of the picture on the plane, px of the full size from its middle."""
        wide, high = self.straight.size
        # about the middle, where turning needs no sizes
        x, y = (np.asarray(points, np.float64).reshape(-1, 2) - _middle(self.size)).T
        for _ in range(_QUARTERS[self.orientation]):
            x, y = y, -x
        x = -x if _MIRRORED[self.orientation] else x
        start = np.array([self.straight.left + (wide - 1) / 2.0, self.straight.top + (high - 1) / 2.0])
        return np.stack([x, y], axis=1) + start - _middle(self.frame_size)

    def from_plane(self, points: ArrayLike) -> Array:
        """Points (n, 2) of the plane in the picture."""
        wide, high = self.straight.size
        start = np.array([self.straight.left + (wide - 1) / 2.0, self.straight.top + (high - 1) / 2.0])
        x, y = (np.asarray(points, np.float64).reshape(-1, 2) + _middle(self.frame_size) - start).T
        x = -x if _MIRRORED[self.orientation] else x
        for _ in range(_QUARTERS[self.orientation]):
            x, y = -y, x
        return np.stack([x, y], axis=1) + _middle(self.size)

    def _to_lens(self, points: Array) -> Array:
        """Points (n, 2) of the plane, from its middle, from the middle of what the lens drew."""
        seen = applied(self.straight.to_lens, points)
        bent = self.bend
        return seen if bent is None else seen + bent.at(seen)

    def _through_lens(self, away: Array, channel: int) -> Array:
        """Where a channel of points (n, 2) lies in the frame, px of the full size from its middle."""
        return away * self._scale((away**2).sum(axis=1), channel)[:, None]

    def _scale(self, square_px: Array, channel: int) -> Array:
        """How many times as far from the middle a channel lies in the frame, by squared distance in the picture."""
        entries = square_px / self._corner_px(0) ** 2 * (len(self.lens.scales) - 1)
        return np.interp(entries, np.arange(len(self.lens.scales)), self.lens.scales[:, channel])

    # ---- at a level

    def _probed(self, level: int, wanted: Region, right: float = 0.0) -> Array:
        """Where places all over a region of the plane come from in what the lens drew, (n, 2) px of the full size from
        its middle. right: px of the level that they are taken further right."""
        w, h = wanted[2:]
        from_x, from_y = self._away(level, wanted)
        count = PROBES if self.bend_of is None or max(w, h) <= BENT_PX else BENT_PROBES
        across, down = from_x + np.linspace(0.0, w - 1.0, count) + right, from_y + np.linspace(0.0, h - 1.0, count)
        return self._to_lens(np.stack(np.meshgrid(across, down), axis=-1).reshape(-1, 2) * 2.0**level)

    def _in_frame(self, seen: Array, level: int, channel: int) -> Array:
        """Where a channel of such places (n, 2) lies in the frame, px of a level."""
        return self._through_lens(seen, channel) / 2.0**level + self._lens_middle(level)

    def _steepest(self, level: int, wanted: Region) -> float:
        """How much the shift changes from px to px along a row of a region, at most."""
        here, beside = (self._in_frame(self._probed(level, wanted, right), level, GREEN) for right in (0.0, 1.0))
        change = beside - here - np.array([1.0, 0.0])
        # between the probes a bend may be a little steeper than at them
        return float(np.abs(change).max()) * (1.0 if self.bend_of is None else 1.25)

    def _bent(self, level: int) -> dict[str, Any]:
        """The bend as the kernels take it, px of a level."""
        bent = self.bend
        if bent is None:
            return {}
        step = 2.0**level
        return {"bend": bent.shifts / np.float32(step), "per_bend": step / bent.step}

    def _to_lens_at(self, level: int) -> Array:
        step = 2.0**level
        return self.straight.to_lens * np.array([[1.0, 1.0, 1.0 / step], [1.0, 1.0, 1.0 / step], [step, step, 1.0]])

    def _lens_middle(self, level: int) -> Array:
        """The middle of what the lens drew, px of a level of the frame."""
        return np.array(self.frame_size) / 2.0 ** (level + 1) - 0.5

    def _corner_px(self, level: int) -> float:
        return math.hypot(*self.frame_size) / 2.0 ** (level + 1)

    def _away(self, level: int, wanted: Region) -> tuple[float, float]:
        """Where the first px of a region of the plane lies from the plane's middle."""
        middle, step = self._lens_middle(level), 2.0**level
        return (
            wanted[0] + self.straight.left / step - float(middle[0]),
            wanted[1] + self.straight.top / step - float(middle[1]),
        )


def focal_px(frame: Frame) -> float:
    """Focal length of a frame in its px, from the file; a usual one where it does not say."""
    shot = frame.exposure
    focal_mm = shot.focal_35_mm
    if focal_mm is None and shot.focal_mm and shot.focal_mm >= SHORTEST_MM:
        # the sensor's size is not said: taken for 36 mm wide
        focal_mm = shot.focal_mm
    return max(frame.size) * (focal_mm / 36.0 if focal_mm else USUAL_FOCAL)


_QUARTERS = {code: turns for (turns, _), code in _TURNS.items()}
_MIRRORED = {code: mirrored for (_, mirrored), code in _TURNS.items()}
_TURNED_BACK = {code: {6: 8, 8: 6}.get(code, code) for code in _QUARTERS}
"""Of an orientation, that which takes it back."""


def _middle(size: Size) -> Array:
    return (np.array(size, np.float64) - 1.0) / 2.0


def _held(low: float, high: float, length: int) -> tuple[int, int]:
    """Begin and end of a stretch with its margin, inside the frame."""
    begin = min(max(0, math.floor(low) - REACH_PX), length - 2)
    return begin, max(begin + 2, min(length, math.ceil(high) + 1 + REACH_PX))
