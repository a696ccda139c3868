"""What the user says of a picture in words and ranks."""

from ..raw.frame import Said
from ..recipe.document import Document


def said_of(document: Document) -> Said:
    """What its document says of a picture."""
    return Said(document.rank, document.caption, document.keywords)
