"""An order: how deliveries of one kind are made."""

from dataclasses import dataclass
from pathlib import Path

from ..errors import ArgumentError

FORMATS = {"JPEG": ".jpg", "TIFF": ".tif", "PNG": ".png"}
"""TIFF and PNG are written with 16 bit."""


@dataclass(frozen=True)
class Order:
    """Format, size and quality. All deliveries are sRGB."""

    format: str = "JPEG"
    quality: int = 95
    """Of JPEG, 50..100."""
    short_side: int | None = None
    """px; None keeps the full size. A picture is never enlarged."""
    long_side: int | None = None

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise ArgumentError(f"format: one of {', '.join(FORMATS)}; got {self.format!r}")
        if not 50 <= self.quality <= 100:
            raise ArgumentError(f"quality: 50..100, got {self.quality}")
        for name in ("short_side", "long_side"):
            side = getattr(self, name)
            if side is not None and not 16 <= side <= 60_000:
                raise ArgumentError(f"{name}: 16..60000 px, got {side}")

    def size_of(self, size: tuple[int, int]) -> tuple[int, int]:
        """(width, height) of the delivery of a picture of `size`."""
        scales = [1.0]
        if self.short_side is not None:
            scales.append(self.short_side / min(size))
        if self.long_side is not None:
            scales.append(self.long_side / max(size))
        scale = min(scales)
        return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))


def order_for(path: Path, *, long_side: int | None = None) -> Order:
    """The order that a file name asks for by its suffix."""
    suffix = path.suffix.lower()
    names = {".jpg": "JPEG", ".jpeg": "JPEG", ".tif": "TIFF", ".tiff": "TIFF", ".png": "PNG"}
    if suffix not in names:
        raise ArgumentError(f"{path.name}: the output must end in {', '.join(names)} or .npy")
    return Order(names[suffix], long_side=long_side)


def free_name(folder: Path, stem: str, order: Order) -> Path:
    """A path in `folder` that is not taken: deliveries never overwrite each other."""
    suffix = FORMATS[order.format]
    path = folder / f"{stem}{suffix}"
    number = 2
    while path.exists():
        path = folder / f"{stem}-{number}{suffix}"
        number += 1
    return path
