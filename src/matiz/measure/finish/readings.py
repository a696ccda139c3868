"""The readings of Finish: what each looks at, and where what it says lies in the picture."""

from ...recipe.shapes import NO_GRID
from ..table.table import Reading, Sight
from .finish import FinishReading, read_finish


def _finish(sight: Sight) -> FinishReading:
    """Grain is no detail, and the signature is not what it stands on."""
    bare = sight.recipe.applied(
        [("finish.grain.strength_L", 0.0), ("finish.signature.text", ""), ("finish.signature.drawing", NO_GRID)]
    )
    no_fall_off = bare.applied([("finish.fall_off.depth_EV", 0.0), ("finish.fall_off.lift_EV", 0.0)])
    no_glow = bare.applied([("finish.glow.amount_percent", 0.0)])
    shown, even, dark = (
        sight.engine.render(each, sight.level, result="small display") for each in (bare, no_fall_off, no_glow)
    )
    return read_finish(shown, even, dark, sight.recipe.finish)


READINGS = (
    Reading("finish", _finish, looks_at=("small display",), reads=("finish",)),
)  # fmt: skip
