"""A view in which something takes long: at first as one piece, then of tiles.

Tiles serve every view of a picture, but those that a view touches hold up to four times what is seen. So what is looked
at first is made alone, and its tiles follow when nobody waits for anything else.
"""

from collections.abc import Callable

from ...recipe.model import Recipe
from ..frame.tiles import Region
from .engine import Engine


class FirstLook:
    """Knows which tiles of the picture that was looked at last have been made. Not for several threads."""

    def __init__(self) -> None:
        self._of: tuple[int, bytes, int] | None = None
        self._made: set[Region] = set()

    def is_due(self, engine: Engine, recipe: Recipe, level: int, region: Region) -> bool:
        """Whether less is to be made for the view alone than for the tiles that are missing. Where not, they are taken
        for made."""
        slow = engine.slow_part(recipe, level)
        if slow is None:
            return False
        if self._of != (id(engine), slow, level):
            self._of = (id(engine), slow, level)
            self._made.clear()
        missing = [tile for tile in engine.tiles(recipe, level, region) if tile not in self._made]
        if sum(width * height for _, _, width, height in missing) > region[2] * region[3]:
            return True
        self._made.update(missing)
        return False

    def fill(self, engine: Engine, recipe: Recipe, level: int, region: Region, *, stopped: Callable[[], bool]) -> None:
        """Make the tiles of a view, unless `stopped` says that something else is wanted."""
        for tile in engine.tiles(recipe, level, region):
            if stopped():
                return
            if tile not in self._made:
                engine.render(recipe, level, tile)
                self._made.add(tile)
