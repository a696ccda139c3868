"""Numbers as people read them: fixed decimals, true minus, thin no-break space before the unit."""

from unicodedata import category

THIN_SPACE = "\u202f"
MINUS = "\u2212"


def number(value: float, decimals: int, unit: str = "", *, signed: bool = False) -> str:
    """`value` with `decimals`, a true minus, thin spaces between thousands and before the unit."""
    rounded = round(value, decimals) + 0.0
    text = f"{abs(rounded):,.{decimals}f}".replace(",", THIN_SPACE)
    sign = MINUS if rounded < 0 else "+" if signed and rounded > 0 else ""
    # degrees stand at their figure
    space = "" if unit in ("", "°") else THIN_SPACE
    return f"{sign}{text}{space}{unit}"


def kelvin(value: float) -> str:
    return number(round(value / 10.0) * 10.0, 0, "K")


def EV(value: float, *, signed: bool = True) -> str:
    return number(value, 2, "EV", signed=signed)


def duv(value: float) -> str:
    return number(value, 4, signed=True)


def degrees(value: float, *, signed: bool = False) -> str:
    return number(value, 1, "°", signed=signed)


def percent(share: float, decimals: int = 1) -> str:
    return number(share * 100.0, decimals, "%")


def counted(count: int, thing: str) -> str:
    """A number of things in words that agree: "1 picture", "3 pictures"."""
    return f"{number(count, 0)} {thing}{'' if count == 1 else 's'}"


def time_text(time_s: float) -> str:
    """An exposure as cameras write it."""
    return f"1/{number(1.0 / time_s, 0, 's')}" if time_s < 0.4 else number(time_s, 1, "s")


_STEERS = frozenset({"Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"})
"""Unicode categories of what is not shown but does something, or is no character: controls, directions of writing,
halves of characters, line separators."""


def printable(text: str) -> str:
    """A text for a terminal or a label: what would steer it, such as a control character in the name of a file, as its
    escape. Line breaks and tabs stay."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(
        c.encode("unicode_escape").decode("ascii") if category(c) in _STEERS and c not in "\n\t" else c for c in text
    )
