"""A picture opened as it is decided: its frame, its document, and an engine that renders it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ..develop.graph.engine import LITTLE_CACHE, Engine
from ..raw.decode import read_frame
from ..raw.frame import Frame
from ..recipe.document import Document
from ..recipe.model import Recipe
from .sidecar import load_document


@dataclass(frozen=True, eq=False)
class DecidedPicture:
    """What `as_decided` opens."""

    document: Document
    """With the starting values of the frame, where nothing was decided yet."""
    engine: Engine

    @property
    def frame(self) -> Frame:
        return self.engine.frame

    @property
    def recipe(self) -> Recipe:
        """Of the current version."""
        return self.document.recipe


def as_decided(
    path: Path,
    *,
    document: Document | None = None,
    read: Callable[[Path], Frame] = read_frame,
    cache_bytes: int = LITTLE_CACHE,
) -> DecidedPicture:
    """Open a picture as its sidecar decides.

    Parameters
    ----------
    path : file of the picture
    document : what is decided, where it is known already; the sidecar is read otherwise
    read : reads the frame, in the process of a decoder
    cache_bytes : how much the engine may keep

    Raises
    ------
    MatizError
        when the picture or its sidecar cannot be read; the message says what to do.
    """
    document = load_document(path) if document is None else document
    frame = read(path)
    return DecidedPicture(document.begun(frame.start), Engine(frame, cache_bytes=cache_bytes))
