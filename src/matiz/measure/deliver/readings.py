"""The readings of Deliver: what each looks at, and where what it says lies in the picture."""

from ..table.table import Reading
from .deliver import read_delivery

READINGS = (
    Reading("delivery", lambda s: read_delivery(s.picture("small display"), s.picture("small rendered")),
            looks_at=("small display", "small rendered")),
)  # fmt: skip
