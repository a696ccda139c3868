"""The recipe of a picture: what the user can decide, in sections by station."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from functools import cache
from typing import Any, ClassVar, Self

from ..colour.illuminants import NAMES
from ..colour.temperature import duv_limit
from ..errors import RecipeError
from . import paths, toning, tree
from .as_json import plain, section_from
from .change import Change, Settings, changed
from .colour import Grading
from .detail import Detail
from .finish import Finish
from .leaves import Box, Choice, CurvePoints, FramePoints, Leaf, Number, Points, Values, described
from .mending import Band, Clone, Fill, FromFrame, Heal, HeldLine, Pull
from .paths import leaves
from .places import Place, check_references
from .tree import ABSENT, Implied, Rows, Section, checked, replaced

SCHEMA = 1
"""Version of the JSON layout."""

PROCESSING = 4
"""Version of the arithmetic: a newer Matiz renders an older recipe as before, until it is moved up.

2: the curves of red, green and blue act on the working primaries before the output gamut is fitted, where 1 had them
on sRGB after it; what clipped places are rebuilt from moves with the lens's correction. 3: the
haze that is taken away follows the veil, where 1 and 2 had it follow luminance; where none is seen, none is taken. 4:
darks that are lifted leave behind the colour that is noise; pixels are moved more sharply.
"""


RATIOS = ("1:1", "4:5", "5:7", "2:3", "3:4", "16:9", "golden")
RENDITIONS = ("linear", "standard", "soft", "strong", "as_delivered")
RAW, RENDERED = "raw", "rendered"
"""What a picture is before anything is decided: light from a sensor, or a picture that somebody has rendered."""


MOST_REPAIRS = 5000


@dataclass(frozen=True)
class Mend(Section):
    """What the lens did, and is taken back. Radii count from the middle; the corner is half the diagonal away."""

    lens: str = described(
        Choice(
            ("off", "known"),
            "off",
            "Whether distortion and vignetting are corrected from the lens database, when it knows the lens.",
        )
    )
    distortion_percent: float = described(
        Number("%", -20.0, 20.0, 0.0, 0.1, 2, "Distortion at the corner; negative is barrel.")
    )
    fall_off_EV: float = described(Number("EV", 0.0, 4.0, 0.0, 0.05, 2, "Vignetting at the corner."))
    fringe_red_px: float = described(
        Number("px", -10.0, 10.0, 0.0, 0.05, 2, "Red fringe: how much further out than green at the corner.")
    )
    fringe_blue_px: float = described(
        Number("px", -10.0, 10.0, 0.0, 0.05, 2, "Blue fringe: how much further out than green at the corner.")
    )
    level_deg: float = described(Number("°", -45.0, 45.0, 0.0, 0.1, 2, "Clockwise rotation around the centre."))
    vertical_deg: float = described(
        Number("°", -30.0, 30.0, 0.0, 0.1, 1, "Correction for a camera tilted up: verticals become parallel.")
    )
    horizontal_deg: float = described(
        Number("°", -30.0, 30.0, 0.0, 0.1, 1, "Correction for a camera turned right: horizontals become level.")
    )
    crop: Values = described(
        Box(
            "Left, top, width, height of the crop, in shares of the frame's long side; none for the largest "
            "picture without empty corners."
        )
    )
    crop_ratio: str = described(
        Choice(
            ("original", "free", *RATIOS),
            "original",
            "Ratio that the crop keeps while it is dragged, long side over short side.",
        )
    )
    quarter_turns: str = described(Choice(("0", "1", "2", "3"), "0", "Quarter turns clockwise, after everything else."))
    mirror: str = described(Choice(("off", "on"), "off", "Whether left and right are flipped."))
    warp: Rows[Section] = tree.table(Band, Pull, HeldLine)
    repairs: Rows[Section] = tree.table(Heal, Clone, Fill, FromFrame, most=MOST_REPAIRS)
    no_dust: Points = described(
        FramePoints("Spots that look like dust and are not, in shares of the frame's long side.", 500)
    )
    subject: Points = described(
        FramePoints(
            "Where the user placed the subject, in shares of the frame's long side; none for where it is found.", 1
        )
    )
    active: str = toning.active()


LIES = ("mend.level_deg", "mend.vertical_deg", "mend.horizontal_deg", "mend.crop", "mend.crop_ratio",
        "mend.quarter_turns", "mend.mirror", "mend.warp")  # fmt: skip
"""How a picture lies: what decides its size and what is where in it."""
_HELD = ("level_deg", "vertical_deg", "horizontal_deg", "crop", "crop_ratio", "warp")
"""What of it the camera could have held otherwise."""


@dataclass(frozen=True)
class Light(Section):
    """The light that is to look neutral."""

    source: str = described(
        Choice(
            ("as_shot", "manual", *NAMES),
            "as_shot",
            "Source of the white balance; cct_K and duv apply when it is manual.",
        )
    )
    cct_K: float = described(
        Number("K", 1500.0, 25_000.0, 5500.0, 50.0, 0, "Correlated colour temperature of the light.")
    )
    duv: float = described(
        Number("", -0.03, 0.03, 0.0, 0.0005, 4, "Distance from the Planckian locus; positive is greener.")
    )
    adaptation_percent: float = described(
        Number("%", 0.0, 100.0, 100.0, 1.0, 0, "Degree of adaptation: lower keeps some of the light's colour.")
    )
    greys: Points = described(
        FramePoints("Something grey in each of two lights, in shares of the frame's long side.", 2)
    )
    active: str = toning.active()

    # a temperature or a Duv that is set means a manual light, unless a source is named after it
    IMPLIES: ClassVar[Implied] = {"cct_K": (("source", "manual"),), "duv": (("source", "manual"),)}

    def check_together(self) -> None:
        """Duv has less room where the locus of black bodies runs close to the pure colours."""
        limit = duv_limit(self.cct_K)
        if self.duv > limit:
            raise RecipeError(f"light.duv: {self.duv:g} is not a real light at {self.cct_K:.0f} K; at most {limit:.4f}")


@dataclass(frozen=True)
class Curve(Section):
    """Tone curves on display lightness."""

    lightness: Points = toning.lightness_curve()
    red: Points = described(CurvePoints("Curve of the red channel, after that of lightness."))
    green: Points = described(CurvePoints("Curve of the green channel, after that of lightness."))
    blue: Points = described(CurvePoints("Curve of the blue channel, after that of lightness."))


@dataclass(frozen=True)
class Tone(Section):
    """How scene luminance becomes display lightness."""

    exposure_EV: float = toning.exposure()
    rendition: str = described(
        Choice(
            RENDITIONS,
            "standard",
            "The curve from scene to display; as_delivered for pictures that are rendered already.",
        )
    )
    black_EV: float = described(
        Number(
            "EV",
            -12.0,
            -2.0,
            -12.0,
            0.1,
            2,
            "Scene luminance, relative to middle grey, that becomes black; -12 for none.",
        )
    )
    white_EV: float = described(
        Number("EV", -2.0, 3.0, 0.0, 0.05, 2, "White point beyond that of the rendition; negative is before it.")
    )
    zones_EV: Values = toning.zones()
    contrast: toning.Contrast = field(default_factory=toning.Contrast)
    haze_percent: float = toning.haze()
    curve: Curve = field(default_factory=Curve)
    active: str = toning.active()


@dataclass(frozen=True)
class Recipe(Section):
    """Everything decided about one picture. Immutable; construction validates every value."""

    mend: Mend = field(default_factory=Mend)
    light: Light = field(default_factory=Light)
    tone: Tone = field(default_factory=Tone)
    colour: Grading = field(default_factory=Grading)
    places: Rows[Section] = tree.table(Place)
    detail: Detail = field(default_factory=Detail)
    finish: Finish = field(default_factory=Finish)
    processing: int = PROCESSING
    schema: int = SCHEMA
    """Version of the layout that it came in: a newer one is kept for the Matiz that wrote it."""
    start: str = RAW
    """RAW or RENDERED: what the stations' defaults are. A picture that is rendered already is left as it is."""
    unknown: Mapping[str, Any] = field(default_factory=dict, hash=False)
    """Dotted paths and values written by a newer Matiz, kept for it."""

    def __post_init__(self) -> None:
        if not _is_version(self.processing) or self.processing > PROCESSING:
            raise RecipeError(
                f"processing: this Matiz knows versions 1..{PROCESSING}, got {self.processing!r}; update Matiz"
            )
        if self.start not in (RAW, RENDERED):
            raise RecipeError(f"start: {RAW} or {RENDERED}, got {self.start!r:.40}")
        self.__dict__.update(checked(self).__dict__)

    @classmethod
    def starting(cls, start: str) -> Self:
        """Of a picture about which nothing is decided."""
        plain_one = cls(start=start)
        if start == RAW:
            return plain_one
        return replaced(plain_one, tone=replaced(plain_one.tone, rendition="as_delivered"))

    def check_together(self) -> None:
        """Masks that name other places' masks do not multiply without end."""
        check_references(self.places)

    def get(self, path: str) -> Any:
        """The value at a dotted path."""
        return paths.get(self, path)

    def is_active(self, station: str) -> bool:
        """Whether a station counts; one without a section of its own always does."""
        return getattr(getattr(self, station, None), "active", "on") == "on"

    def in_force(self) -> "Recipe":
        """What is done to the picture: stations that are left out at their defaults."""
        left_out = [item.name for item in fields(self) if not self.is_active(item.name)]
        return self.with_plain(*left_out) if left_out else self

    def with_plain(self, *stations: str) -> "Recipe":
        """With whole stations at their defaults; all of them when none is named."""
        plain_one = plain_recipe(self.start)
        return replaced(self, **{name: getattr(plain_one, name) for name in stations or tree.parts_of(Recipe)})

    def untouched(self) -> "Recipe":
        """With nothing decided but how the picture lies: what it is compared with."""
        # where Mend is bypassed the picture lies as it was taken
        plain_one, done = self.with_plain(), self.in_force()
        lies = {path.removeprefix("mend."): done.get(path) for path in LIES}
        return replaced(plain_one, mend=replaced(plain_one.mend, **lies))

    def as_framed(self) -> "Recipe":
        """With all of the picture as the camera held it: what its surroundings are read from, however it is cropped,
        turned by degrees, seen straight or bent."""
        mend, plain_one = self.mend, _PLAIN.mend
        if all(getattr(mend, name) == getattr(plain_one, name) for name in _HELD):
            return self
        return replaced(self, mend=replaced(mend, **{name: getattr(plain_one, name) for name in _HELD}))

    def uncropped(self) -> "Recipe":
        """With all of the picture, as it lies."""
        mend = self.mend
        if not mend.crop and mend.crop_ratio in ("original", "free"):
            return self
        return replaced(self, mend=replaced(mend, crop=(), crop_ratio="original"))

    def moved_up(self) -> "Recipe":
        """The same decisions, rendered by the newest arithmetic."""
        return replaced(self, processing=PROCESSING)

    def change(self, path: str, value: Any) -> tuple["Recipe", Change]:
        """A new recipe with one value changed, and the record of it."""
        return self.change_all([(path, value)], label=path)

    def change_all(self, settings: Iterable[tuple[str, Any]], *, label: str) -> tuple["Recipe", Change]:
        """A new recipe with several values changed as one step, and the record of it.

        A station that was left out is back in as soon as one of its values changes.
        """
        return changed(self, self._with_stations(settings), label=label)

    def insert(self, table: str, item: Section, *, label: str, at: int | None = None) -> tuple["Recipe", Change]:
        """A new recipe with an item put into a table, at its end or before the item `at`."""
        rows = self.get(table)
        if not isinstance(rows, Rows):
            raise RecipeError(f"{table}: this is not a table")
        ident = rows.fresh_id()
        settings: list[tuple[str, Any]] = [(f"{table}.{ident}", item)]
        if at is not None and at < len(rows):
            settings.append((f"{table}.{tree.ORDER}", (*rows.order[:at], ident, *rows.order[at:])))
        return self.change_all(settings, label=label)

    def applied(self, values: Sequence[tuple[str, Any]]) -> "Recipe":
        """The recipe with values of a history put in; what only a newer Matiz knows is kept aside for it."""
        recipe: Recipe = self
        for path, value in values:
            try:
                recipe = paths.put(recipe, path, value)
            except RecipeError:
                if self.schema <= SCHEMA:
                    raise
                kept = {name: other for name, other in recipe.unknown.items() if name != path}
                recipe = replaced(recipe, unknown=kept if value is ABSENT else {**kept, path: value})
        paths.check_around(recipe, [path for path, _ in values])
        return recipe

    def _with_stations(self, settings: Iterable[tuple[str, Any]]) -> Iterable[tuple[str, Any]]:
        for path, value in settings:
            station = path.split(".")[0]
            if not self.is_active(station) and path != f"{station}.active":
                yield f"{station}.active", "on"
            yield path, value

    def to_json(self) -> dict[str, Any]:
        out = {"schema": self.schema, "processing": self.processing, "start": self.start, **plain(self)}
        for path, value in self.unknown.items():
            _write_back(out, self, path.split("."), value)
        return out

    @classmethod
    def from_json(cls, data: Any, start: str = RAW) -> "Recipe":
        """Read what `to_json` wrote. start: what the picture starts from when the data does not say.

        Raises RecipeError for an unknown field or a value out of range, unless the data says that it comes from a
        newer schema: then the field is kept and written back.
        """
        if not isinstance(data, Mapping):
            raise RecipeError(f"recipe: expected a JSON object, got {type(data).__name__}")
        schema, processing = data.get("schema", SCHEMA), data.get("processing", PROCESSING)
        if not _is_version(schema):
            raise RecipeError(f"schema: expected a version number, got {schema!r:.40}")
        unknown: dict[str, Any] = {}

        def kept(path: str, value: Any) -> None:
            # what was kept of its parts is in it
            for part in [each for each in unknown if each.startswith(f"{path}.")]:
                del unknown[part]
            unknown[path] = value

        keep = kept if schema > SCHEMA else None
        start = data.get("start", start)
        if start not in (RAW, RENDERED):
            raise RecipeError(f"start: {RAW} or {RENDERED}, got {start!r:.40}")
        base = cls.starting(start)
        recipe = section_from(base, data, "", keep, frozenset({"schema", "processing", "start"}))
        if not _is_version(processing) or processing > PROCESSING:
            raise RecipeError(
                f"processing: this Matiz knows versions 1..{PROCESSING}, got {processing!r:.40}; update Matiz"
            )
        return replaced(recipe, schema=schema, processing=processing, unknown=unknown)


def _is_version(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 1 <= value < 2**31


def _write_back(out: dict[str, Any], recipe: Recipe, names: list[str], value: Any) -> None:
    """Put what a newer Matiz wrote where it was, unless its place is gone or holds what was decided here since."""
    *inner, last = names
    place: Any = out
    for name in inner:
        if isinstance(place, list):
            place = next((item for item in place if isinstance(item, dict) and item.get("id") == name), None)
        else:
            place = place.get(name) if isinstance(place, dict) else None
        if place is None:
            return
    if isinstance(place, dict) and (last not in place or place[last] == _as_begun(recipe, names)):
        place[last] = value


def _as_begun(recipe: Recipe, names: list[str]) -> Any:
    """What is somewhere before anything is decided, as JSON holds it: in a table, what a fresh item has there."""
    path = ".".join(names)
    if path in specs():
        return plain(plain_recipe(recipe.start).get(path))
    section = recipe.get(".".join(names[:-1])) if len(names) > 1 else recipe
    return plain(getattr(type(section)(), names[-1], ABSENT)) if isinstance(section, Section) else ABSENT


_PLAIN, _PLAIN_RENDERED = Recipe.starting(RAW), Recipe.starting(RENDERED)


def plain_recipe(start: str = RAW) -> Recipe:
    """The recipe of a picture about which nothing is decided."""
    return _PLAIN_RENDERED if start == RENDERED else _PLAIN


@cache
def specs() -> dict[str, Leaf]:
    """Every dotted path that every recipe has, and what it may hold."""
    return {path: leaf for path, leaf, _ in leaves(_PLAIN)}


def manual_light(cct_K: float, duv: float) -> Settings:
    """Settings that balance for a light, held to what a recipe takes: a measured one may lie a little outside."""
    cct_K = round(min(max(cct_K, 1500.0), 25_000.0), 1)
    held = min(max(duv, -0.03), duv_limit(cct_K) - 1e-5)
    return (("light.source", "manual"), ("light.cct_K", cct_K), ("light.duv", round(held, 5)))
