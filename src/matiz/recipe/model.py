"""The recipe of a picture: sections by station, dotted paths, changes."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, fields, is_dataclass, replace
from datetime import UTC, datetime
from functools import cache
from typing import Any

from ..colour.illuminants import NAMES
from ..colour.temperature import duv_limit
from ..errors import RecipeError
from .fields import Choice, CurvePoints, Number, Numbers, Points, Spec, Values, described

SCHEMA = 1
"""Version of the JSON layout."""

PROCESSING = 1
"""Version of the arithmetic: a newer Matiz renders an older recipe as before."""


def _active() -> Any:
    return described(Choice(("on", "off"), "on", "Whether the station counts; off keeps its values for later."))


@dataclass(frozen=True)
class Mend:
    """What the lens did, and is taken back. Radii count from the middle; the corner is half the diagonal away."""

    lens: str = described(
        Choice(
            ("off", "known"),
            "off",
            "Whether distortion and fall-off are taken from the lens database, when it knows the lens.",
        )
    )
    distortion_percent: float = described(
        Number("%", -20.0, 20.0, 0.0, 0.1, 2, "Share by which the lens moved the corner: negative is barrel.")
    )
    fall_off_EV: float = described(Number("EV", 0.0, 4.0, 0.0, 0.05, 2, "How much darker the lens drew the corner."))
    fringe_red_px: float = described(
        Number("px", -10.0, 10.0, 0.0, 0.05, 2, "How much further out than green the lens drew red, at the corner.")
    )
    fringe_blue_px: float = described(
        Number("px", -10.0, 10.0, 0.0, 0.05, 2, "How much further out than green the lens drew blue, at the corner.")
    )
    active: str = _active()


@dataclass(frozen=True)
class Light:
    """The light that is to look neutral."""

    source: str = described(
        Choice(
            ("as_shot", "manual", *NAMES),
            "as_shot",
            "Where the balance comes from; cct_K and duv count when it is manual.",
        )
    )
    cct_K: float = described(
        Number("K", 1500.0, 25_000.0, 5500.0, 50.0, 0, "Correlated colour temperature of the light.")
    )
    duv: float = described(
        Number("", -0.03, 0.03, 0.0, 0.0005, 4, "Distance from the Planckian locus; positive is greener.")
    )
    adaptation_percent: float = described(
        Number("%", 0.0, 100.0, 100.0, 1.0, 0, "How far the light is made neutral; less keeps some of its mood.")
    )
    active: str = _active()


@dataclass(frozen=True)
class Curve:
    """Tone curves on display lightness."""

    lightness: Points = described(
        CurvePoints("Display lightness L*/100 in and out; monotone cubic between the points.")
    )
    red: Points = described(CurvePoints("The same for red alone, after that of lightness."))
    green: Points = described(CurvePoints("The same for green alone, after that of lightness."))
    blue: Points = described(CurvePoints("The same for blue alone, after that of lightness."))


def _contrast(help_text: str) -> Any:
    return described(Number("dB", -12.0, 12.0, 0.0, 0.5, 1, help_text))


@dataclass(frozen=True)
class Contrast:
    """Local contrast, by the size of what it acts on."""

    fine_dB: float = _contrast("Contrast of detail up to 0.1 % of the long side.")
    middle_dB: float = _contrast("Contrast of detail up to 0.8 % of the long side.")
    broad_dB: float = _contrast("Contrast of shapes from 0.8 to 5 % of the long side.")


@dataclass(frozen=True)
class Tone:
    """How scene luminance becomes display lightness."""

    exposure_EV: float = described(Number("EV", -6.0, 6.0, 0.0, 0.05, 2, "Exposure, in stops."))
    rendition: str = described(
        Choice(("linear", "standard", "soft", "strong"), "standard", "The curve from scene to display.")
    )
    black_EV: float = described(
        Number("EV", -12.0, -2.0, -12.0, 0.1, 2, "Scene luminance from middle grey that is shown black; -12 for none.")
    )
    white_EV: float = described(
        Number("EV", -2.0, 3.0, 0.0, 0.05, 2, "How much later than its rendition's own the white point comes.")
    )
    zones_EV: Values = described(
        Numbers(Number("EV", -4.0, 4.0, 0.0, 0.05, 2, "How far zones 0..X are moved; smooth between them."), 11)
    )
    contrast: Contrast = field(default_factory=Contrast)
    haze_percent: float = described(
        Number("%", -50.0, 100.0, 0.0, 1.0, 0, "Share of the measured haze that is taken away; negative adds some.")
    )
    curve: Curve = field(default_factory=Curve)
    active: str = _active()


@dataclass(frozen=True)
class Recipe:
    """Everything decided about one picture. Immutable; construction validates every field."""

    mend: Mend = field(default_factory=Mend)
    light: Light = field(default_factory=Light)
    tone: Tone = field(default_factory=Tone)
    processing: int = PROCESSING
    unknown: Mapping[str, Any] = field(default_factory=dict)
    """Dotted paths and values written by a newer Matiz, kept for it."""

    def __post_init__(self) -> None:
        if self.processing not in range(1, PROCESSING + 1):
            raise RecipeError(
                f"processing: this Matiz knows versions 1..{PROCESSING}, got {self.processing!r}; update Matiz"
            )
        for path, spec in specs().items():
            name, *rest = path.split(".")
            checked = spec.check(path, self.get(path))
            object.__setattr__(self, name, _replaced(getattr(self, name), rest, checked))

    def get(self, path: str) -> Any:
        """The value at a dotted path."""
        value: Any = self
        _spec(path)
        for name in path.split("."):
            value = getattr(value, name)
        return value

    def is_active(self, station: str) -> bool:
        """Whether a station counts; one without a section of its own always does."""
        return getattr(getattr(self, station, None), "active", "on") == "on"

    def in_force(self) -> "Recipe":
        """What is done to the picture: stations that are left out at their defaults."""
        left_out = [item.name for item in fields(self) if not self.is_active(item.name)]
        if not left_out:
            return self
        plain = Recipe()
        return replace(self, **{name: getattr(plain, name) for name in left_out})

    def change(self, path: str, value: Any) -> tuple["Recipe", "Change"]:
        """A new recipe with one value changed, and the record of it."""
        return self.change_all([(path, value)], label=path)

    def change_all(self, settings: Iterable[tuple[str, Any]], *, label: str) -> tuple["Recipe", "Change"]:
        """A new recipe with several values changed as one step, and the record of it.

        A station that was left out is back in as soon as one of its values changes.
        """
        recipe, items = self, []
        for path, value in self._with_implied(settings):
            before, after = recipe.get(path), _spec(path).check(path, value)
            if before != after:
                recipe = _replaced(recipe, path.split("."), after)
                items.append((path, before, after))
        _check_light(recipe.light)
        return recipe, Change(label, tuple(items), datetime.now(UTC).isoformat(timespec="milliseconds"))

    def _with_implied(self, settings: Iterable[tuple[str, Any]]) -> list[tuple[str, Any]]:
        """A temperature or a Duv that is set means a manual light, unless a source is named after it."""
        out: list[tuple[str, Any]] = []
        for path, value in settings:
            station = path.split(".")[0]
            if not self.is_active(station) and path != f"{station}.active":
                out.append((f"{station}.active", "on"))
            if path in ("light.cct_K", "light.duv"):
                out.append(("light.source", "manual"))
            out.append((path, value))
        return out

    def to_json(self) -> dict[str, Any]:
        out: dict[str, Any] = {"schema": SCHEMA, "processing": self.processing}
        known = {path: self.get(path) for path in specs()}
        for path, value in (known | dict(self.unknown)).items():
            *sections, name = path.split(".")
            section = out
            for part in sections:
                section = section.setdefault(part, {})
            section[name] = _plain(value)
        return out

    @classmethod
    def from_json(cls, data: Any) -> "Recipe":
        """Read what `to_json` wrote.

        Raises RecipeError for an unknown field, unless the data says that it comes from a newer
        schema: then the field is kept and written back.
        """
        if not isinstance(data, dict):
            raise RecipeError(f"recipe: expected a JSON object, got {type(data).__name__}")
        schema = data.get("schema", SCHEMA)
        if not isinstance(schema, int) or schema < 1:
            raise RecipeError(f"schema: expected a version number, got {schema!r}")
        known, unknown = [], {}
        for path, value in _leaves(data):
            if path in specs():
                known.append((path, value))
            elif path not in ("schema", "processing"):
                if schema <= SCHEMA:
                    raise RecipeError(f"{path}: unknown field; known are {', '.join(specs())}")
                unknown[path] = value
        recipe = cls(processing=data.get("processing", PROCESSING), unknown=unknown)
        for path, value in known:
            recipe = _replaced(recipe, path.split("."), _spec(path).check(path, value))
        _check_light(recipe.light)
        return recipe


@dataclass(frozen=True)
class Change:
    """One step of the user's: what it was called, which values moved, and when (UTC)."""

    label: str
    items: tuple[tuple[str, Any, Any], ...]
    at_utc: str

    def __bool__(self) -> bool:
        return bool(self.items)

    def apply(self, recipe: Recipe) -> Recipe:
        return self._set(recipe, [(path, after) for path, _, after in self.items])

    def revert(self, recipe: Recipe) -> Recipe:
        return self._set(recipe, [(path, before) for path, before, _ in reversed(self.items)])

    @staticmethod
    def _set(recipe: Recipe, values: list[tuple[str, Any]]) -> Recipe:
        for path, value in values:
            recipe = _replaced(recipe, path.split("."), _spec(path).check(path, value))
        return recipe

    def to_json(self) -> dict[str, Any]:
        items = [[path, _plain(before), _plain(after)] for path, before, after in self.items]
        return {"label": self.label, "at_utc": self.at_utc, "items": items}

    @classmethod
    def from_json(cls, data: Any) -> "Change":
        try:
            items = tuple((str(p), _value(p, before), _value(p, after)) for p, before, after in data["items"])
            return cls(str(data["label"]), items, str(data["at_utc"]))
        except (KeyError, TypeError, ValueError) as error:
            raise RecipeError(
                f"history: an entry cannot be read ({error}); it must hold label, at_utc, items"
            ) from None


@cache
def specs() -> dict[str, Spec]:
    """Every dotted path of a recipe, and what it may hold."""
    return dict(_walk(Recipe, ""))


Settings = tuple[tuple[str, Any], ...]
"""Dotted paths and values, to be changed as one step."""


def manual_light(cct_K: float, duv: float) -> Settings:
    """Settings that balance for a light, held to what a recipe takes: a measured one may lie a little outside."""
    cct_K = round(min(max(cct_K, 1500.0), 25_000.0), 1)
    held = min(max(duv, -0.03), duv_limit(cct_K) - 1e-5)
    return (("light.source", "manual"), ("light.cct_K", cct_K), ("light.duv", round(held, 5)))


def apply_settings(recipe: Recipe, settings: Iterable[str]) -> Recipe:
    """A recipe changed by texts like "tone.exposure_EV=0.5", as the command line takes them."""
    pairs = []
    for text in settings:
        path, equals, value = text.partition("=")
        if not equals:
            raise RecipeError(f"{text!r}: expected path=value, such as tone.exposure_EV=0.5")
        pairs.append((path.strip(), _spec(path.strip()).parse(path.strip(), value)))
    return recipe.change_all(pairs, label="command line")[0]


def _check_light(light: Light) -> None:
    """Duv has less room where the locus of black bodies runs close to the pure colours."""
    limit = duv_limit(light.cct_K)
    if light.duv > limit:
        raise RecipeError(f"light.duv: {light.duv:g} is not a real light at {light.cct_K:.0f} K; at most {limit:.4f}")


def _spec(path: str) -> Spec:
    try:
        return specs()[path]
    except KeyError:
        raise RecipeError(f"{path}: unknown field; known are {', '.join(specs())}") from None


def _walk(section: type, prefix: str) -> Iterator[tuple[str, Spec]]:
    for item in fields(section):
        if "spec" in item.metadata:
            yield prefix + item.name, item.metadata["spec"]
        elif isinstance(item.type, type) and is_dataclass(item.type):
            yield from _walk(item.type, f"{prefix}{item.name}.")


def _replaced(section: Any, path: list[str], value: Any) -> Any:
    name, *rest = path
    return replace(section, **{name: _replaced(getattr(section, name), rest, value) if rest else value})


def _leaves(data: Mapping[str, Any], prefix: str = "") -> Iterator[tuple[str, Any]]:
    for name, value in data.items():
        path = f"{prefix}{name}"
        if isinstance(value, dict):
            yield from _leaves(value, f"{path}.")
        else:
            yield path, value


def _plain(value: Any) -> Any:
    """A value as JSON holds it: points and values as lists."""
    if not isinstance(value, tuple):
        return value
    return [list(item) if isinstance(item, tuple) else item for item in value]


def _value(path: str, value: Any) -> Any:
    return _spec(path).check(path, value)
