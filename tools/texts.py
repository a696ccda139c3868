"""Every text that a user can read, in one file per station: ``python -m tools.texts`` writes them to docs/texts/.

They are taken from the source: sentences and labels of several words wherever they stand, and single words where they
are handed to what shows them, or name the evidence of a finding. What stands in braces is filled in by the program.
"""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SOURCE, OUT = ROOT / "src" / "matiz", ROOT / "docs" / "texts"
STATIONS = ("sort", "mend", "light", "tone", "colour", "places", "detail", "finish", "deliver")
SHARED = {
    "window": ("ui/frame", "ui/canvas", "ui/kit", "ui/stations/*.py"),
    "work": ("work", "shoot", "merge", "proposals"),
    "findings": ("findings",),
    "recipe": ("recipe",),
    "commands": ("cli", "api.py"),
    "files": ("raw", "system"),
}
SILENT = (
    "getattr",
    "isinstance",
    "property",
    "setProperty",
    "setObjectName",
    "Signal",
    "debug",
    "warning",
    "exception",
)
"""Calls whose arguments nobody reads in the window."""
SHOWS = ("push", "caption", "Words", "choice", "label", "addItem", "setText", "drawText", "tape_grid", "Tape")
"""Calls that show their arguments."""


def texts_of(module: ast.Module) -> Iterator[str]:
    """The texts of a module in the order in which they stand."""
    inner, silent, shown = set(), set(), set()
    for node in ast.walk(module):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            silent.add(id(node.value))  # a docstring
        if isinstance(node, ast.JoinedStr):
            inner |= {id(part) for part in ast.walk(node) if part is not node}
        if isinstance(node, ast.Call) and _name(node.func) in SILENT:
            silent |= {id(part) for argument in node.args for part in ast.walk(argument)}
        if isinstance(node, ast.Call) and _name(node.func) in SHOWS:
            shown |= {id(part) for argument in node.args for part in ast.walk(argument)}
        if isinstance(node, ast.keyword) and node.arg == "evidence" and isinstance(node.value, ast.Dict):
            shown |= {id(key) for key in node.value.keys}
        if isinstance(node, ast.AnnAssign | ast.arg | ast.FunctionDef):
            noted = node.returns if isinstance(node, ast.FunctionDef) else node.annotation
            silent |= {id(part) for part in ast.walk(noted)} if noted is not None else set()
    found = []
    for node in ast.walk(module):
        if id(node) in inner | silent:
            continue
        text, words = _text(node)
        if _is_read(words) or (id(node) in shown and _is_word(words)):
            found.append((node.lineno, node.col_offset, text))
    return (text for *_, text in sorted(found))


def _name(function: ast.expr) -> str:
    return function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")


def _text(node: ast.AST) -> tuple[str, str]:
    """A literal as it is read, and its words alone."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value, node.value
    if isinstance(node, ast.JoinedStr):
        parts = [part.value if isinstance(part, ast.Constant) else "{}" for part in node.values]
        return "".join(parts), " ".join(part for part in parts if part != "{}")
    return "", ""


def _is_read(words: str) -> bool:
    """Whether it is a sentence or a label, and no key, path, rule of a style or format."""
    if sum(character.isalpha() for character in words) < 3 or "{{" in words or "\n    " in words:
        return False
    return " " in words.strip() or re.fullmatch(r"[A-Z][a-z]+", words.strip()) is not None


def _is_word(words: str) -> bool:
    return re.fullmatch(r"[A-Za-z][\w %*-]*", words.strip()) is not None


def pages() -> dict[str, str]:
    """The text of each file in docs/texts, by its name."""
    rooms = {station: (f"ui/stations/{station}",) for station in STATIONS} | SHARED
    return {f"{name}.md": _page(name, folders) for name, folders in rooms.items()}


def _page(name: str, folders: tuple[str, ...]) -> str:
    lines = [f"# Texts: {name}", "", "Written by `python -m tools.texts`; change them in the source.", ""]
    for folder in folders:
        for path in sorted(SOURCE.glob(folder if folder.endswith(".py") else f"{folder}/**/*.py")):
            texts = list(dict.fromkeys(texts_of(ast.parse(path.read_text()))))
            if texts:
                lines += [f"## {path.relative_to(SOURCE)}", "", *(f"- {' '.join(text.split())}" for text in texts), ""]
    return "\n".join(lines)


def main() -> None:
    OUT.mkdir(exist_ok=True)
    for name, text in pages().items():
        (OUT / name).write_text(text)


if __name__ == "__main__":
    main()
