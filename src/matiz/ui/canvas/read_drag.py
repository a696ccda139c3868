"""A drag in the picture that begins with what lies under the pointer: that is read off the window's thread, as the
pointer hovers and again at the press, and the drag goes on as soon as it is there.
"""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt

from ...recipe.change import Settings
from ...recipe.model import Recipe
from ...work.grip import Grip
from ...work.latest import LatestWorker
from ...work.session import Session
from .tools import Pointer, Tool

Read = Callable[[Any, Callable[[Any], None]], None]


class ReadDrag(Tool):
    """Subclasses say what is read, and what a drag from there asks for."""

    label = ""
    """Of the step in the history."""

    def __init__(self, session: Session, read: Read, name: str) -> None:
        """read: gets (open picture, recipe, place, `told()`), and hands on what is there."""
        self.session = session
        self.grip: Grip | None = None
        self.held: Any = None
        """What the drag moves, once it is known."""
        self.right_px, self.up_px = 0.0, 0.0
        self._from, self._pressed = (0.0, 0.0), (0.0, 0.0)
        self._is_over = False
        """Whether the hand let go before it was known what it held."""
        self._reader = LatestWorker(read, name)
        self._reader.answered.connect(self._on_read)

    # ---- what a subclass says

    def context(self) -> Any:
        """What the reader is told besides; an answer to another one counts no more."""
        return None

    def is_ready(self) -> bool:
        return True

    def show(self, found: Any) -> None:
        """Show what is under the pointer."""

    def hold(self, recipe: Recipe, found: Any) -> Any:
        """What a drag from there moves."""
        raise NotImplementedError

    def settings(self) -> Settings:
        """What the drag asks for now, of `held`, `right_px` and `up_px`."""
        raise NotImplementedError

    # ---- what it does

    def end_thread(self) -> None:
        self._reader.end()

    def is_idle(self) -> bool:
        return self._reader.is_idle()

    def begin(self, pointer: Pointer) -> bool:
        if pointer.button != Qt.MouseButton.LeftButton or not self._ask(pointer):
            return False
        self.grip, self.held, self._is_over = self.session.begin(), None, False
        self._pressed = pointer.picture
        self._from, self.right_px, self.up_px = (pointer.widget.x(), pointer.widget.y()), 0.0, 0.0
        return True

    def move(self, pointer: Pointer) -> None:
        self.right_px, self.up_px = pointer.widget.x() - self._from[0], self._from[1] - pointer.widget.y()
        self._preview()

    def end(self, pointer: Pointer) -> None:
        if self.held is None:
            self._is_over = True
        else:
            self._commit()

    def _commit(self) -> None:
        grip, self.grip = self.grip, None
        if grip is not None:
            grip.commit(self.settings() or None, self.label)

    def cancel(self) -> None:
        self.grip = None

    def hover(self, pointer: Pointer) -> None:
        self._ask(pointer)

    def _ask(self, pointer: Pointer) -> bool:
        picture = self.session.picture
        if picture is None or not pointer.inside or not self.is_ready():
            return False
        self._reader.ask((picture, self.session.recipe, pointer.picture, self.context()))
        return True

    def _on_read(self, asked: Any, found: Any) -> None:
        picture, recipe, place, told = asked
        if picture is not self.session.picture or told != self.context():
            return
        self.show(found)
        if self.grip is not None and self.held is None and place == self._pressed:
            self.held = self.hold(recipe, found)
            self._commit() if self._is_over else self._preview()

    def _preview(self) -> None:
        if self.grip is not None and self.held is not None:
            settings = self.settings()
            if settings:
                self.grip.preview(settings)
