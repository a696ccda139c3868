"""The repairs of a picture in their order."""

from collections.abc import Mapping

from ....recipe.mending import BOTH, FromFrame, Heal, Repair
from ....wording import number
from ...kit.rows_list import ListRow, RowsList


def repair_label(item: Repair) -> str:
    """A repair in a few words."""
    shape = "outline" if item.outline == "on" else "spot" if len(item.path) == 1 else "stroke"
    size = "" if shape == "outline" else f" {number(item.radius_px, 0, 'px')}"
    layer = item.layer if isinstance(item, Heal) and item.layer != BOTH else ""
    which = f" {number(item.frame, 0)}" if isinstance(item, FromFrame) else ""
    return f"{layer or item.KIND}{which}, {shape}{size}"


class RepairList(RowsList):
    """Repairs by number, kind and size."""

    def __init__(self) -> None:
        super().__init__(
            "Repairs, in the order in which they are applied",
            "Repairs, in the order in which they are applied. Drag one, or Shift with up or down, to apply it "
            "earlier or "
            "later; the box switches it off; Delete removes it.",
        )
        self.setMinimumWidth(220)

    def show_repairs(self, repairs: Mapping[str, Repair], chosen: str) -> None:
        numbered = enumerate(repairs.items(), 1)
        self.show_rows(
            (ListRow(ident, f"{n}  {repair_label(item)}", item.active == "on") for n, (ident, item) in numbered), chosen
        )
