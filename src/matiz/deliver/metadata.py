"""Metadata of deliveries: Exif 2.32, XMP (ISO 16684-1), the sRGB profile (ICC.1)."""

from fractions import Fraction
from functools import cache
from typing import Any

from PIL import Image as Pillow
from PIL import ImageCms

from ..raw.frame import Frame

SOFTWARE = "Matiz"
_XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/"
 xmp:CreatorTool="{software}" xmp:Rating="{rank}"/>
</rdf:RDF></x:xmpmeta><?xpacket end="w"?>"""


@cache
def sRGB_profile() -> bytes:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def xmp_packet(rank: int) -> bytes:
    return _XMP.format(software=SOFTWARE, rank=rank).encode()


def exif_values(frame: Frame) -> dict[int, Any]:
    """Tags that say how the frame was taken: text, whole numbers or fractions, by tag number."""
    shot = frame.exposure
    make, _, model = frame.camera.partition(" ")
    stamp = shot.time_utc[:19].replace("-", ":").replace("T", " ") if shot.time_utc else None
    values: dict[int, Any] = {
        271: make or None,
        272: model or None,
        305: SOFTWARE,
        306: stamp,
        33434: _fraction(shot.time_s),
        33437: _fraction(shot.f_number),
        34855: min(int(shot.iso), 65_535) if shot.iso else None,
        36867: stamp,
        36881: "+00:00" if stamp else None,
        37386: _fraction(shot.focal_mm),
        42036: shot.lens or None,
    }
    return {tag: value for tag, value in values.items() if value is not None}


def jpeg_exif(frame: Frame) -> Pillow.Exif:
    exif = Pillow.Exif()
    details = exif.get_ifd(0x8769)
    for tag, value in exif_values(frame).items():
        (exif if tag < 1000 else details)[tag] = float(value) if isinstance(value, Fraction) else value
    exif[274] = 1
    details[40961] = 1  # colour space: sRGB
    return exif


def tiff_tags(frame: Frame, rank: int) -> list[tuple[Any, ...]]:
    tags: list[tuple[Any, ...]] = [(700, "B", 0, xmp_packet(rank)), (274, "H", 1, 1)]
    for tag, value in exif_values(frame).items():
        if tag == 305:
            continue  # the writer has an argument of its own for it
        if isinstance(value, Fraction):
            tags.append((tag, "2I", 1, (value.numerator, value.denominator)))
        else:
            tags.append((tag, "s" if isinstance(value, str) else "H", 0 if isinstance(value, str) else 1, value))
    return tags


def _fraction(value: float | None) -> Fraction | None:
    return Fraction(value).limit_denominator(100_000) if value else None
