"""XMP beside a picture, checked by a reader that knows nothing of Matiz."""

from functools import partial
from xml.etree import ElementTree

import pytest
from PIL import Image as Pillow

from matiz.errors import FormatError
from matiz.raw.decode import shared_decoder
from matiz.raw.frame import PictureWords
from matiz.system.files import xmp_beside

RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"
DC, XMP = "{http://purl.org/dc/elements/1.1/}", "{http://ns.adobe.com/xap/1.0/}"
OF_ANOTHER = b"""<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/"
 xmlns:own="http://example.org/own/" xmp:Rating="2" own:Step="7">
<dc:subject><rdf:Bag><rdf:li>old</rdf:li></rdf:Bag></dc:subject>
<dc:description><rdf:Alt><rdf:li xml:lang="de">Wind</rdf:li><rdf:li xml:lang="x-default">Wind, "loud"</rdf:li></rdf:Alt>
</dc:description></rdf:Description></rdf:RDF></x:xmpmeta>"""


@pytest.fixture
def picture(tmp_path):
    path = tmp_path / "a.jpg"
    Pillow.new("RGB", (8, 8)).save(path)
    return path


def words(packet, name):
    root = ElementTree.fromstring(packet)
    return [each.text for each in root.iter(f"{RDF}li") if each in list(next(root.iter(f"{DC}{name}")).iter())]


def test_what_is_said_is_written_and_read(picture):
    decoder = shared_decoder()
    assert decoder.words_beside(picture) == PictureWords()
    said = PictureWords(4, 'Salt, "white" and grün', ("salt", "pan, old"))
    packet = decoder.packet_saying(picture, said)
    root = ElementTree.fromstring(packet)
    assert next(root.iter(f"{RDF}Description")).get(f"{XMP}Rating") == "4"
    assert words(packet, "description") == ['Salt, "white" and grün']
    assert words(packet, "subject") == ["salt", "pan, old"]
    xmp_beside(picture).write_bytes(packet)
    assert decoder.words_beside(picture) == said


def test_what_another_program_wrote_stays(picture):
    decoder = shared_decoder()
    xmp_beside(picture).write_bytes(OF_ANOTHER)
    assert decoder.words_beside(picture) == PictureWords(2, 'Wind, "loud"', ("old",))
    packet = decoder.packet_saying(picture, PictureWords(0, "", ("new",)))
    description = next(ElementTree.fromstring(packet).iter(f"{RDF}Description"))
    assert description.get("{http://example.org/own/}Step") == "7" and description.get(f"{XMP}Rating") == "2"
    assert words(packet, "subject") == ["new"] and 'Wind, "loud"' in words(packet, "description")


def test_the_name_that_is_there_is_used(picture):
    assert xmp_beside(picture).name == "a.xmp"
    whole = picture.with_name("a.jpg.xmp")
    whole.write_bytes(OF_ANOTHER)
    assert xmp_beside(picture) == whole and shared_decoder().words_beside(picture).rank == 2
    picture.with_suffix(".xmp").write_bytes(OF_ANOTHER.replace(b'"2"', b'"3"'))
    assert shared_decoder().words_beside(picture).rank == 3


@pytest.mark.parametrize("damage", [b"no xml at all", OF_ANOTHER[:200], b"\0" * 300_000])
def test_what_is_damaged_is_told_and_stays(picture, damage):
    beside = xmp_beside(picture)
    beside.write_bytes(damage)
    decoder = shared_decoder()
    for ask in (decoder.words_beside, partial(decoder.packet_saying, said=PictureWords(1))):
        with pytest.raises(FormatError, match=r"a\.(xmp|jpg)"):
            ask(picture)
    assert beside.read_bytes() == damage
