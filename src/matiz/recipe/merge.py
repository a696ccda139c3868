"""Two documents of one picture that were changed apart: joined where they touch different things, else both kept."""

from dataclasses import replace

from .document import Document, Version
from .history import History


def merged(base: Document, ours: Document, theirs: Document) -> tuple[Document, tuple[str, ...]]:
    """What both decided since `base`, and the names under which versions were kept that could not be joined.

    Of ours a version that touches what theirs does is kept beside it under a free name, and stays the current one.
    """
    out = replace(
        theirs,
        sorted_as=theirs.sorted_as if ours.sorted_as == base.sorted_as else ours.sorted_as,
        rank=theirs.rank if ours.rank == base.rank else ours.rank,
        caption=theirs.caption if ours.caption == base.caption else ours.caption,
        keywords=_joined(base.keywords, ours.keywords, theirs.keywords),
        silenced=_joined(base.silenced, ours.silenced, theirs.silenced),
    )
    apart: list[str] = []
    current = ours.current if ours.current != base.current else theirs.current
    for name, own in ours.versions.items():
        other, before = out.versions.get(name), base.versions.get(name)
        if own in (before, other):
            continue
        if other is None or other == before:
            out = out.with_version(own, name)
            continue
        joined = _one(before or Version(), own, other)
        if joined is None:
            kept = out.free_name()
            out = out.with_version(own, kept)
            apart.append(kept)
            current = kept if name == ours.current else current
        else:
            out = out.with_version(joined, name)
    return replace(out, current=current if current in out.versions else out.current), tuple(apart)


def _one(base: Version, ours: Version, theirs: Version) -> Version | None:
    """Theirs with our new steps after it; None where both touched the same values, or steps were taken back."""
    common = base.history.changes[: base.history.position]
    own, other = (version.history.changes[: version.history.position] for version in (ours, theirs))
    if own[: len(common)] != common or other[: len(common)] != common:
        return None
    fresh, foreign = own[len(common) :], other[len(common) :]
    if {path for change in fresh for path in change.paths} & {path for change in foreign for path in change.paths}:
        return None
    recipe = theirs.recipe
    for change in fresh:
        recipe = recipe.applied(change.after())
    return Version(recipe, History((*other, *fresh), len(other) + len(fresh), theirs.history.unknown), theirs.unknown)


def _joined(base: tuple[str, ...], ours: tuple[str, ...], theirs: tuple[str, ...]) -> tuple[str, ...]:
    gone = (set(base) - set(ours)) | (set(base) - set(theirs))
    return tuple(name for name in dict.fromkeys((*theirs, *ours)) if name not in gone)
