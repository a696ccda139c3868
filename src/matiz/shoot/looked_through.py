"""A folder looked through without a window: its lights, and what is found of it as a whole."""

from contextlib import suppress
from pathlib import Path

from ..errors import MatizError
from ..measure.sort.brief import Brief, brief_of
from ..raw.decode import read_frame, shared_decoder
from .briefs import Briefs
from .desk import Say
from .folder import gather
from .of_shoot import OfShoot, found
from .one_light import OneLight, PictureFacts, balance_of, in_one_light
from .own_sets import OwnSets
from .sidecar import load_document

FACTS_PX = 32
"""Of the preview that is asked for with what a file says: it is not looked at."""


def looked_through(folder: Path, say: Say) -> tuple[list[OneLight], list[OfShoot]]:
    """What is measured is kept in the folder, as the window does it. A picture that cannot be read is left alone, which
    is said. Raises FileError when the folder is not there, or where nothing can be kept in it."""
    paths = gather([folder])
    known: dict[Path, PictureFacts] = {}
    merged: set[str] = set()
    briefs = Briefs(folder, say)
    try:
        for path in paths:
            try:
                _, facts = shared_decoder().listing(path, FACTS_PX)
                if facts.merged is not None:
                    merged.update(facts.merged.names)
                    continue
                brief, document = _brief(path, briefs), load_document(path)
            except MatizError as error:
                say(f"left alone: {error}")
                continue
            balance = balance_of(document.recipe.light, brief)
            known[path] = PictureFacts(path, facts.exposure, brief, balance, document.sorted_as)
    finally:
        briefs.close()
    lights = in_one_light(known.values())
    sets = OwnSets(folder, say).over({path: each.exposure for path, each in known.items()})
    return lights, found(known.values(), sets, lights, [path for path in known if path.name in merged])


def _brief(path: Path, briefs: Briefs) -> Brief:
    brief = briefs.get(path)
    if brief is None:
        brief = brief_of(read_frame(path))
        with suppress(MatizError):  # a full disk: it is measured again the next time
            briefs.put(path, brief)
    return brief
