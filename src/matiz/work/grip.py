"""What a hand holds while it drags."""

from ..recipe.model import Recipe
from ..shoot.desk import Edit
from .session_parts import OpenWork, Settings


class Grip:
    """An edit of the open picture, one after the other: begun with the first move or with `begin`, recorded by
    `commit`. Once that picture is closed, or the drag was cancelled, what the hand still does has no effect until it
    lets go."""

    def __init__(self, work: OpenWork) -> None:
        self._work = work
        self._edit: Edit | None = None
        self._is_begun = False

    @property
    def recipe(self) -> Recipe:
        """The recipe with what the drag shows."""
        return self._edit.recipe if self._edit else Recipe()

    def begin(self) -> None:
        """The drag is one of the picture that is open now."""
        self._edit, self._is_begun = self._work.begin_edit(), True

    def preview(self, settings: Settings) -> None:
        """Show values while the hand moves; nothing is recorded yet."""
        edit = self._alive()
        if edit is not None:
            asked = tuple(settings)
            self._work.attempt(lambda: edit.preview(asked))
            self._work.previewed()

    def commit(self, settings: Settings | None, label: str) -> None:
        """Record values, or what was shown last, as one step; the drag has ended."""
        edit = self._alive()
        self._edit, self._is_begun = None, False
        if edit is not None:
            self._work.attempt(lambda: edit.commit(settings, label))
            self._work.settled()

    def _alive(self) -> Edit | None:
        if not self._is_begun:
            self.begin()
        return self._edit if self._edit is not None and self._edit.is_alive else None
