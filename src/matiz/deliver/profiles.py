"""Colour profiles of deliveries (ICC.1)."""

from functools import cache

from PIL import ImageCms


@cache
def sRGB_profile() -> bytes:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
