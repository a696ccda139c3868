"""Edits to places, as settings of one step: a new one, one more of a place, one with its mask, two merged."""

from typing import Any

from .change import Settings
from .model import Recipe
from .paths import added
from .places import Brush, Place, SameAs
from .tree import ORDER, Rows, Section, replaced


def inserted(recipe: Recipe, place: Place, after: str = "") -> tuple[Settings, str]:
    """Settings that put a place into a recipe, and its id. after: the id of the place it comes after; else it is the
    last."""
    settings: list[tuple[str, Any]] = list(added(recipe, [("places", place)]))
    ident = settings[0][0].rpartition(".")[2]
    if after:
        order = list(recipe.places.order)
        order.insert(order.index(after) + 1, ident)
        settings.append((f"places.{ORDER}", tuple(order)))
    return tuple(settings), ident


def doubled(place: Place) -> Place:
    """The same place once more, under a name of its own when it has one."""
    return replaced(place, name=f"{place.name} twice" if place.name else "")


def with_mask_of(ident: str) -> Place:
    """A place that changes nothing yet and has the mask of another, which it follows."""
    return Place(mask=Rows([("m1", SameAs(of=ident))]))


def painted(name: str, exposure_EV: float) -> Place:
    """A place to paint in: its mask is an empty brush."""
    return Place(name=name, mask=Rows[Section]([("m1", Brush())]), exposure_EV=exposure_EV)


def merged(recipe: Recipe, ident: str) -> tuple[Settings, str] | None:
    """Settings that add a place's mask to the place before it and switch it off, and the id of that one; None for the
    first place, and for an id that is not there."""
    idents = list(recipe.places)
    if ident not in idents[1:]:
        return None
    into = idents[idents.index(ident) - 1]
    part = added(recipe, [(f"places.{into}.mask", SameAs(of=ident))])
    return (*part, (f"places.{ident}.active", "off")), into
