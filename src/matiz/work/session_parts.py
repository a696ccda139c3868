"""What the parts of the session ask of it."""

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Protocol

from ..develop.graph.engine import Engine
from ..recipe.model import Recipe
from ..shoot.desk import Desk, Edit
from .jobs import Job

Settings = Iterable[tuple[str, Any]]
"""Paths of a recipe and the values that they get, as one step."""


class OpenWork(Protocol):
    """The open shoot and picture: the session, as far as its parts need it. See there."""

    desk: Desk
    path: Path | None

    @property
    def engine(self) -> Engine | None: ...
    @property
    def recipe(self) -> Recipe: ...
    def begin_edit(self) -> Edit | None: ...
    def cancel_edit(self) -> bool: ...
    def attempt(self, act: Callable[[], Any]) -> Any: ...
    def previewed(self) -> None: ...
    def settled(self) -> None: ...
    def show_sorted(self, changed: tuple[Path, ...]) -> None: ...
    def show_changed(self, paths: tuple[Path, ...]) -> None: ...
    def do_aside(
        self, work: Callable[[Job], Any], name: str, then: Callable[[Any], None], *, of_shoot: bool = False
    ) -> Job: ...
