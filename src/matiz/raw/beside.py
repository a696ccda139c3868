"""XMP beside a picture: what is said of it there, and that with what the user says of it.

Reading runs in the decoder process, and so does writing, since what is there already is kept. Reference: XMP, ISO
16684-1.
"""

import tempfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import exiv2

from ..errors import FormatError
from ..system.files import xmp_beside
from .frame import PictureWords
from .listing import MOST_BESIDE_BYTES
from .metadata import say_in_xmp


def words_beside(path: Path) -> PictureWords:
    """What XMP beside a picture says; nothing where there is none. FormatError when it is damaged."""
    beside = xmp_beside(path)
    if not beside.is_file():
        return PictureWords()
    xmp = _read(beside).xmpData()
    rank, caption, keywords = 0, "", []
    for datum in xmp:
        key, text = datum.key(), datum.toString()
        if key == "Xmp.xmp.Rating":
            rank = min(max(int(float(text)), 0), 5) if text.replace(".", "", 1).lstrip("-").isdigit() else 0
        elif key == "Xmp.dc.description":
            caption = _in_any_language(datum.value(), text)
        elif key == "Xmp.dc.subject":
            keywords = [str(datum.value()[n]) for n in range(datum.value().count())]
    return PictureWords(rank, caption.strip(), tuple(word.strip() for word in keywords if word.strip()))


def _in_any_language(value: Any, text: str) -> str:
    """A text that is there in several languages, or in none."""
    languages = value if isinstance(value, exiv2.LangAltValue) else {}
    for language in ("x-default", *languages):
        if language in languages:
            return str(languages[language])
    return text


def packet_saying(path: Path, said: PictureWords) -> bytes:
    """The file to lie beside a picture: what is there already, and what is said of it. FormatError when what is there
    is damaged: it stays as it is then."""
    beside = xmp_beside(path)
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "made.xmp"
        if beside.is_file():
            made.write_bytes(_checked(beside))
            image = _read(made)
        else:
            image = exiv2.ImageFactory.create(exiv2.ImageType.xmp, str(made))
        xmp = image.xmpData()
        say_in_xmp(said, xmp)
        image.setXmpData(xmp)
        image.writeMetadata()
        return made.read_bytes()


def _checked(beside: Path) -> bytes:
    data = beside.read_bytes()
    if len(data) > MOST_BESIDE_BYTES:
        raise FormatError(
            f"{beside.name}: has more than {MOST_BESIDE_BYTES / 2**10:.0f} KiB; it is no XMP of a picture"
        )
    return data


def _read(beside: Path) -> exiv2.Image:
    try:
        # the library takes what is cut off for empty
        ElementTree.fromstring(_checked(beside))
        image = exiv2.ImageFactory.open(str(beside))
        image.readMetadata()
    except (exiv2.Exiv2Error, ElementTree.ParseError) as error:
        raise FormatError(f"{beside.name}: is damaged ({error}); repair it or move it away") from None
    return image
