"""What is written in a file about its picture: Exif, IPTC and XMP, read and written by one library.

exiv2 reads them from every kind of file that Matiz opens, makers' own notes included, and writes them into every kind
that it delivers; so what came in can go out as it was. Reading runs in the decoder process.

References: Exif 2.32; IPTC-IIM 4.2; XMP, ISO 16684-1.
"""

import contextlib
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import exiv2
from PIL import Image as Pillow

from ..errors import FileError
from .frame import Exposure, Frame, Metadata, PictureWords

MOST_TEXT, MOST_PACKET = 16_384, 2**20
SOFTWARE = "Matiz"
UTF_8 = "\x1b%G"
CAPTION_BYTES, KEYWORD_BYTES = 2000, 64
"""Of IPTC-IIM 4.2, 2:120 and 2:25; 1:90 says that they are in UTF-8."""
_IMAGE = ("Make", "Model", "ImageDescription", "Artist", "Copyright", "DateTime", "HostComputer", "Rating",
          "RatingPercent", "XPTitle", "XPComment", "XPAuthor", "XPKeywords", "XPSubject")  # fmt: skip
"""Of the first IFD: what is about the picture, and not about how its pixels lie in the file."""
_MOVED = {"ExposureTime": "ExposureTime", "FNumber": "FNumber", "ISOSpeedRatings": "ISOSpeedRatings",
          "DateTimeOriginal": "DateTimeOriginal", "FocalLength": "FocalLength", "SubjectDistance": "SubjectDistance",
          "0x9011": "OffsetTimeOriginal", "0xa434": "LensModel", "LensModel": "LensModel",
          "OffsetTimeOriginal": "OffsetTimeOriginal"}  # fmt: skip
"""TIFF/EP has these in the first IFD; in a picture they belong to Exif's own."""
_NOT_PHOTO = ("MakerNote", "InteroperabilityTag", "PixelXDimension", "PixelYDimension", "ColorSpace",
              "ComponentsConfiguration", "CompressedBitsPerPixel", "FileSource", "CFAPattern")  # fmt: skip


_PLACES = ("Exif.GPSInfo.", "Xmp.exif.GPS", "Xmp.iptc.CountryCode", "Iptc.Application2.City",
           "Iptc.Application2.SubLocation", "Iptc.Application2.ProvinceState", "Iptc.Application2.Country",
           "Iptc.Application2.LocationCode", "Iptc.Application2.LocationName")  # fmt: skip
"""How keys begin that say where a picture was taken."""
_PLACE_NAMES = ("City", "State", "Country", "Location")
"""How properties of XMP begin that do, whoever defined them."""
_RIGHTS = ("Exif.Image.Artist", "Exif.Image.Copyright", "Exif.Image.DateTime", "Exif.Photo.DateTimeOriginal",
           "Exif.Photo.OffsetTime", "Exif.Photo.SubSecTime", "Iptc.Application2.Byline", "Iptc.Application2.Copyright",
           "Iptc.Application2.Credit", "Iptc.Application2.DateCreated", "Iptc.Application2.TimeCreated",
           "Xmp.dc.rights", "Xmp.dc.creator", "Xmp.xmpRights.", "Xmp.plus.")  # fmt: skip
"""How keys begin that say whose a picture is, and when it was taken."""
_RIGHTS_NAMES = ("Credit", "DateCreated")
"""Properties of XMP that do, whoever defined them."""


@dataclass(frozen=True)
class KeptMetadata:
    """What of a picture's metadata a delivery keeps."""

    what: str = "all"
    """"all", "rights" (and the time) or "none"."""
    place: bool = True
    """Whether it says where the picture was taken."""
    author: str = ""
    """In place of the author and the rights that came with it, where it is not empty."""
    is_sRGB: bool = True

    def holds(self, key: str) -> bool:
        name = key.rpartition(".")[2] if key.startswith("Xmp.") else ""
        if not self.place and (key.startswith(_PLACES) or name.startswith(_PLACE_NAMES)):
            return False
        is_right = key.startswith(_RIGHTS) or name in _RIGHTS_NAMES
        return self.what == "all" or (self.what == "rights" and is_right)


ALL = KeptMetadata()


NOTHING = PictureWords()


@dataclass(frozen=True)
class FileMetadata:
    """What a file says of how its picture was taken."""

    maker: str = ""
    camera: str = ""
    orientation: int = 1
    exposure: Exposure = field(default_factory=Exposure)
    rating: int = 0
    metadata: Metadata = field(default_factory=Metadata)
    is_wide: bool = False
    """Whether Exif says that the colours are opRGB, IEC 61966-2-5 (interoperability index R03)."""


def read_metadata(path: Path) -> FileMetadata:
    """Everything that is known of a file without its pixels; what cannot be read is left out, one value at a time."""
    try:
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
        exif, iptc, xmp = image.exifData(), image.iptcData(), image.xmpData()
        packet = image.xmpPacket()
    except Exception:  # whatever a damaged file makes the library do
        return FileMetadata()
    texts = {key: text for datum in exif if (pair := _pair(datum)) is not None for key, text in [pair]}
    kept = tuple(sorted((new, text) for key, text in texts.items() if (new := _kept_as(key))))
    captions = tuple(pair for datum in iptc if (pair := _pair(datum)) is not None)
    metadata = Metadata(kept, captions, packet if isinstance(packet, str) and len(packet) <= MOST_PACKET else "")
    maker, model = (_text_of(find, exif) for find in (exiv2.make, exiv2.model))
    unique = texts.get("Exif.Image.UniqueCameraModel", "").strip("\x00 ")
    exposure = Exposure(
        _number(exiv2.isoSpeed, exif),
        _number(exiv2.exposureTime, exif),
        _number(exiv2.fNumber, exif),
        _time_utc(texts),
        _number(exiv2.focalLength, exif),
        _text_of(exiv2.lensName, exif) or _lens(texts),
        _number(exiv2.subjectDistance, exif),
        _positive(texts.get("Exif.Photo.FocalLengthIn35mmFilm", "")),
    )
    camera = unique or " ".join(part for part in (maker, model) if part)
    orientation = _number(exiv2.orientation, exif)
    stars = {datum.key(): datum.toString() for datum in xmp if datum.key() == "Xmp.xmp.Rating"}
    rating = stars.get("Xmp.xmp.Rating") or texts.get("Exif.Image.Rating", "0")
    return FileMetadata(
        maker,
        camera,
        int(orientation) if orientation is not None and orientation in range(1, 9) else 1,
        exposure,
        min(max(int(rating), 0), 5) if rating.lstrip("-").isdigit() else 0,
        metadata,
        texts.get("Exif.Iop.InteroperabilityIndex", "").strip("\x00 ") == "R03",
    )


def write_metadata(
    path: Path, frame: Frame, size: tuple[int, int], *, said: PictureWords = NOTHING, kept: KeptMetadata = ALL
) -> None:
    """Write what came with a frame's file, and what is known of it, into a finished picture of `size`.

    FileError when the file cannot be written.
    """
    try:
        if frame.metadata.xmp and kept.what != "none":
            _write_packet(path, frame.metadata.xmp)
        image = exiv2.ImageFactory.open(str(path))
        image.readMetadata()
        # how the pixels lie in this file stays as its writer said
        exif, iptc, xmp = image.exifData(), exiv2.IptcData(), image.xmpData()
        texts = {**own_exif(frame), **dict(frame.metadata.exif)}
        texts = {key: text for key, text in texts.items() if kept.holds(key)}
        for key, text in {**texts, **_fixed(size, is_sRGB=kept.is_sRGB)}.items():
            _put(exif, key, text)
        for key, text in frame.metadata.iptc:
            if kept.holds(key):
                _add(iptc, key, text)
        for key in [datum.key() for datum in xmp]:
            if key.startswith(("Xmp.tiff.", "Xmp.exif.Pixel")) or not kept.holds(key):
                del xmp[key]
        if kept.author and kept.what != "none":
            _put(exif, "Exif.Image.Artist", kept.author)
            _put(exif, "Exif.Image.Copyright", kept.author)
            _add(iptc, "Iptc.Application2.Byline", kept.author)
            _put(xmp, "Xmp.dc.creator", kept.author)
            _put(xmp, "Xmp.dc.rights", kept.author)
        if kept.what != "none":
            xmp["Xmp.xmp.CreatorTool"] = SOFTWARE
        if kept.what == "all":
            _say(said, exif, iptc, xmp)
        image.setExifData(exif)
        image.setIptcData(iptc)
        image.setXmpData(xmp)
        image.writeMetadata()
    except exiv2.Exiv2Error as error:
        raise FileError(f"{path.name}: its metadata cannot be written ({error})") from None


def _say(said: PictureWords, exif: Any, iptc: Any, xmp: Any) -> None:
    """Rank, caption and keywords, under every name by which readers look for them."""
    say_in_xmp(said, xmp)
    if said.caption or said.keywords:
        _put(iptc, "Iptc.Envelope.CharacterSet", UTF_8)
    if said.caption:
        _put(exif, "Exif.Image.ImageDescription", said.caption)
        _put(iptc, "Iptc.Application2.Caption", _shortened(said.caption, CAPTION_BYTES))
    if said.keywords:
        _drop(iptc, "Iptc.Application2.Keywords")
        for word in said.keywords:
            _add(iptc, "Iptc.Application2.Keywords", _shortened(word, KEYWORD_BYTES))


def say_in_xmp(said: PictureWords, xmp: Any) -> None:
    """Put what the user says of a picture into its XMP; what is empty leaves what is there."""
    if said.rank or "Xmp.xmp.Rating" not in [datum.key() for datum in xmp]:
        xmp["Xmp.xmp.Rating"] = str(said.rank)
    if said.caption:
        _put(xmp, "Xmp.dc.description", said.caption)
    if said.keywords:
        _drop(xmp, "Xmp.dc.subject")
        words = exiv2.XmpArrayValue(exiv2.TypeId.xmpBag)
        for word in said.keywords:
            words.append(word)
        xmp.add(exiv2.XmpKey("Xmp.dc.subject"), words)


def _drop(data: Any, key: str) -> None:
    while key in [datum.key() for datum in data]:
        del data[key]


def _shortened(text: str, most_bytes: int) -> str:
    return text.encode("utf-8")[:most_bytes].decode("utf-8", "ignore")


def metadata_blocks(frame: Frame, size: tuple[int, int], said: PictureWords, kept: KeptMetadata) -> tuple[bytes, bytes]:
    """The same as Exif and XMP for a writer that embeds them itself."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "metadata.jpg"
        Pillow.new("RGB", (8, 8)).save(path, "JPEG")
        write_metadata(path, frame, size, said=said, kept=kept)
        with Pillow.open(path) as picture:
            return picture.info.get("exif", b""), picture.info.get("xmp", b"")


def _write_packet(path: Path, packet: str) -> None:
    """The XMP of another file as it is; reading it back makes values of it."""
    image = exiv2.ImageFactory.open(str(path))
    image.readMetadata()
    image.setXmpPacket(packet)
    image.writeXmpFromPacket(True)
    image.writeMetadata()


def own_exif(frame: Frame) -> dict[str, str]:
    """What a frame itself knows, as Exif: for one that came without."""
    shot = frame.exposure
    stamp = shot.time_utc[:19].replace("-", ":").replace("T", " ") if shot.time_utc else ""
    maker, model = frame.maker_and_model
    values = {
        "Exif.Image.Make": maker,
        "Exif.Image.Model": model,
        "Exif.Image.DateTime": stamp,
        "Exif.Photo.DateTimeOriginal": stamp,
        "Exif.Photo.OffsetTimeOriginal": "+00:00" if stamp else "",
        "Exif.Photo.ExposureTime": _ratio(shot.time_s),
        "Exif.Photo.FNumber": _ratio(shot.f_number),
        "Exif.Photo.ISOSpeedRatings": str(min(int(shot.iso), 65_535)) if shot.iso else "",
        "Exif.Photo.FocalLength": _ratio(shot.focal_mm),
        "Exif.Photo.LensModel": shot.lens,
        "Exif.Photo.SubjectDistance": _ratio(shot.focus_m),
    }
    if any(key == "Exif.Photo.DateTimeOriginal" for key, _ in frame.metadata.exif):
        # a time without an offset came without one: none is made up
        del values["Exif.Photo.OffsetTimeOriginal"]
    return {key: text for key, text in values.items() if text}


def _fixed(size: tuple[int, int], *, is_sRGB: bool) -> Mapping[str, str]:
    """What a delivery says whatever came in: it is upright, of its own size, and written by Matiz."""
    return {
        "Exif.Image.Orientation": "1",
        "Exif.Image.Software": SOFTWARE,
        "Exif.Photo.ColorSpace": "1" if is_sRGB else "65535",
        "Exif.Photo.PixelXDimension": str(size[0]),
        "Exif.Photo.PixelYDimension": str(size[1]),
    }


def _kept_as(key: str) -> str:
    """The key under which a value of a file goes into a delivery; "" for what does not."""
    _, group, name = key.split(".", 2)
    if group == "Image":
        return key if name in _IMAGE else f"Exif.Photo.{_MOVED[name]}" if name in _MOVED else ""
    if group == "Photo":
        return "" if name in _NOT_PHOTO or name.startswith("0x") else key
    return key if group == "GPSInfo" and not name.startswith("0x") else ""


def _pair(datum: Any) -> tuple[str, str] | None:
    try:
        key, text = datum.key(), datum.toString()
    except Exception:  # text in no encoding that the library knows
        return None
    return (key, text) if (len(text) <= MOST_TEXT and text.isprintable()) or "\n" in text else None


def _put(data: Any, key: str, text: str) -> None:
    try:
        data[key] = text
    except (exiv2.Exiv2Error, ValueError, TypeError):
        return  # a value that this key does not take: the rest goes on


def _add(data: Any, key: str, text: str) -> None:
    try:
        value = exiv2.StringValue()
        value.read(text)
        data.add(exiv2.IptcKey(key), value)
    except (exiv2.Exiv2Error, ValueError, TypeError):
        return


def _text_of(find: Callable[[Any], Any], exif: Any) -> str:
    found = find(exif)
    if found is None or found == exif.end():
        return ""
    try:
        return str(found.print(exif) if find is exiv2.lensName else found.toString()).strip("\x00 ")
    except Exception:  # see _pair
        return ""


def _lens(texts: Mapping[str, str]) -> str:
    return next((texts[k].strip("\x00 ") for k in ("Exif.Photo.LensModel", "Exif.Image.0xa434") if k in texts), "")


def _number(find: Callable[[Any], Any], exif: Any) -> float | None:
    text = _text_of(find, exif).split()
    try:
        value = float(Fraction(text[0])) if text else 0.0
    except (ValueError, ZeroDivisionError, OverflowError):
        return None
    return value if 0.0 < value < 1e9 else None


def _time_utc(texts: Mapping[str, str]) -> str | None:
    """Time of exposure; without an offset the camera's clock is taken for UTC. One rule for raw files and pictures."""
    keys = ("Exif.Photo.DateTimeOriginal", "Exif.Image.DateTimeOriginal", "Exif.Image.DateTime")
    stamp = next((texts[key] for key in keys if key in texts), "").strip("\x00 ")
    offset = texts.get("Exif.Photo.OffsetTimeOriginal", texts.get("Exif.Image.0x9011", "")).strip("\x00 ")
    try:
        taken = datetime.strptime(stamp[:19], "%Y:%m:%d %H:%M:%S").replace(tzinfo=UTC)
    except ValueError:
        return None
    with contextlib.suppress(ValueError, OverflowError):
        taken -= datetime.strptime(offset, "%z").utcoffset() or taken - taken
    return taken.strftime("%Y-%m-%dT%H:%M:%SZ")


def _positive(text: str) -> float | None:
    """A whole number over nothing; None for all else."""
    return float(text) if text.strip().isdigit() and int(text) > 0 else None


def _ratio(value: float | None) -> str:
    if not value or not 0 < value < 1e6:
        return ""
    fraction = Fraction(value).limit_denominator(100_000)
    return f"{fraction.numerator}/{fraction.denominator}" if fraction else ""
