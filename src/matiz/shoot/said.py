"""What the user says of a picture in words and ranks."""

from ..raw.frame import PictureWords
from ..recipe.document import Document


def words_of(document: Document) -> PictureWords:
    """What its document says of a picture."""
    return PictureWords(document.rank, document.caption, document.keywords)
