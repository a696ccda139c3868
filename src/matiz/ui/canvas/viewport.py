"""Which part of the picture is seen, and at which level it must be rendered: plain geometry."""

from dataclasses import dataclass, replace

from ...develop.frame.tiles import Region, deepest

FIT = 0.0
MOST_ZOOM = 8.0


@dataclass(frozen=True)
class Viewport:
    """A view of a picture of `picture` px (upright, full size) in a window of `window` device px."""

    picture: tuple[int, int]
    window: tuple[int, int]
    zoom: float = FIT
    """Device px per picture px; FIT shows all."""
    centre: tuple[float, float] = (0.5, 0.5)
    """The picture's point in the middle of the window, in shares of its width and height."""

    @property
    def scale(self) -> float:
        fit = min(self.window[0] / self.picture[0], self.window[1] / self.picture[1])
        return max(fit, 1e-4) if self.zoom == FIT else self.zoom

    @property
    def origin(self) -> tuple[float, float]:
        """Where the picture's upper left corner lies in the window, device px."""
        out = []
        for size, window, centre in zip(self.picture, self.window, self._held_centre(), strict=True):
            out.append(window / 2 - centre * size * self.scale)
        return out[0], out[1]

    def _held_centre(self) -> tuple[float, float]:
        """The centre, moved so that no empty border shows that need not."""
        held = []
        for size, window, centre in zip(self.picture, self.window, self.centre, strict=True):
            half = window / 2 / (size * self.scale)
            held.append(0.5 if half >= 0.5 else min(max(centre, half), 1.0 - half))
        return held[0], held[1]

    def to_window(self, x: float, y: float) -> tuple[float, float]:
        """Picture px to device px of the window."""
        left, top = self.origin
        return left + x * self.scale, top + y * self.scale

    def to_picture(self, x: float, y: float) -> tuple[float, float]:
        """Device px of the window to picture px."""
        left, top = self.origin
        return (x - left) / self.scale, (y - top) / self.scale

    def zoomed(self, zoom: float, around: tuple[float, float] | None = None) -> "Viewport":
        """Another zoom, with the picture's point under `around` (device px) staying there."""
        x, y = around or (self.window[0] / 2, self.window[1] / 2)
        px, py = self.to_picture(x, y)
        fresh = replace(self, zoom=min(zoom, MOST_ZOOM) if zoom != FIT else FIT)
        fit = replace(self, zoom=FIT).scale
        # a picture smaller than the window can still be seen 1:1
        if zoom == FIT or fresh.scale <= fit < 1.0 or fresh.scale < min(fit, 1.0):
            return replace(self, zoom=FIT, centre=(0.5, 0.5))
        cx = (px + (self.window[0] / 2 - x) / fresh.scale) / self.picture[0]
        cy = (py + (self.window[1] / 2 - y) / fresh.scale) / self.picture[1]
        return replace(fresh, centre=replace(fresh, centre=(cx, cy))._held_centre())

    def panned(self, dx: float, dy: float) -> "Viewport":
        """The picture moved by device px."""
        cx, cy = self._held_centre()
        moved = replace(self, centre=(cx - dx / self.scale / self.picture[0], cy - dy / self.scale / self.picture[1]))
        return replace(moved, centre=moved._held_centre())

    @property
    def level(self) -> int:
        """The smallest level that need not be scaled up."""
        level = 0
        while level < deepest(self.picture) and self.scale * 2 ** (level + 1) <= 1.0 + 1e-6:
            level += 1
        return level

    def region(self, level: int) -> Region:
        """What can be seen, in px of a level of the picture."""
        step = 2**level
        width, height = self.picture[0] // step, self.picture[1] // step
        x0, y0 = self.to_picture(0, 0)
        x1, y1 = self.to_picture(*self.window)
        left, top = max(0, int(x0 / step)), max(0, int(y0 / step))
        right, bottom = min(width, int(x1 / step) + 2), min(height, int(y1 / step) + 2)
        return left, top, max(1, right - left), max(1, bottom - top)

    def placed(self, region: Region, level: int) -> tuple[float, float, float, float]:
        """Where a region of a level lies in the window: x, y, width, height in device px."""
        step = 2**level
        x, y = self.to_window(region[0] * step, region[1] * step)
        return x, y, region[2] * step * self.scale, region[3] * step * self.scale
